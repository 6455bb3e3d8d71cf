"""Production orders, with the snapshot of structure and standard taken at release."""

from django.db import models
from poietic_core.cost.model import InputKind
from poietic_core.order.states import OrderState

from ..catalog.models import Item, Place
from ..commanding.models import Changing
from ..costing.models import Standard
from ..engineering.models import Revision


class Order(Changing):
    """An instruction to make a quantity of an item by a date."""

    number = models.IntegerField(unique=True)
    item = models.ForeignKey(Item, models.PROTECT, related_name="orders")
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    due = models.DateField()
    state = models.CharField(max_length=10, choices=[(s.value, s.value) for s in OrderState])
    #: where components are taken from, and where the output goes
    supply_place = models.ForeignKey(Place, models.PROTECT, related_name="+")
    receipt_place = models.ForeignKey(Place, models.PROTECT, related_name="+")
    note = models.CharField(max_length=400, blank=True)
    planned_at = models.DateTimeField()
    released_at = models.DateTimeField(null=True)
    revision = models.ForeignKey(Revision, models.PROTECT, null=True)
    #: frozen with the order at its release
    standard = models.ForeignKey(Standard, models.PROTECT, null=True)
    received = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    received_value = models.DecimalField(max_digits=18, decimal_places=2, default=0)

    class Meta:
        indexes = [models.Index(fields=["state", "due"], name="order_by_state_and_due")]

    def __str__(self) -> str:
        return str(self.number)


class OrderOperation(models.Model):
    """An operation of an order: what the structure said at release, and what was done."""

    order = models.ForeignKey(Order, models.PROTECT, related_name="operations")
    number = models.IntegerField()
    name = models.CharField(max_length=120)
    work_center = models.ForeignKey("engineering.WorkCenter", models.PROTECT)
    yield_share = models.DecimalField(max_digits=18, decimal_places=6)
    is_report_point = models.BooleanField()
    #: units entering it for the order quantity, unrounded
    entering = models.DecimalField(max_digits=18, decimal_places=6)
    good = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    scrap = models.DecimalField(max_digits=18, decimal_places=6, default=0)

    class Meta:
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["order", "number"], name="one_operation_per_number")
        ]

    def __str__(self) -> str:
        return f"{self.number} {self.name}"


class OrderInput(models.Model):
    """One costed input of an order: material, time or by-product; allowed, standard and used."""

    order = models.ForeignKey(Order, models.PROTECT, related_name="inputs")
    operation = models.IntegerField()
    kind = models.CharField(max_length=20, choices=[(k.value, k.value) for k in InputKind])
    item = models.ForeignKey(Item, models.PROTECT, null=True)
    work_center = models.ForeignKey("engineering.WorkCenter", models.PROTECT, null=True)
    unit = models.CharField(max_length=10)
    is_per_order = models.BooleanField()
    issue_rule = models.CharField(max_length=20, blank=True)
    #: per unit entering, or per order, by the order's structure and by the standard's; unrounded
    allowed = models.DecimalField(max_digits=30, decimal_places=18)
    standard = models.DecimalField(max_digits=30, decimal_places=18)
    #: frozen standard cost of one unit, and its split over elements
    price = models.DecimalField(max_digits=18, decimal_places=6)
    split = models.JSONField()
    #: for the whole order, rounded up to the item's step
    need = models.DecimalField(max_digits=18, decimal_places=6)
    used = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    amount = models.DecimalField(max_digits=18, decimal_places=2, default=0)

    class Meta:
        ordering = ["operation", "pk"]

    def __str__(self) -> str:
        return f"{self.operation} {self.kind} {self.item_id or self.work_center_id}"
