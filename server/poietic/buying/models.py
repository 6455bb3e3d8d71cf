"""Purchase orders, what came of them, and what suppliers invoiced for it."""

from django.db import models
from poietic_core.buying.landed import SpreadBy
from poietic_core.buying.matching import OpenReceipt
from poietic_core.buying.purchase import LineStands, PurchaseState

from ..catalog.models import Item, Partner, Place
from ..commanding.models import Changing
from ..ledger.models import Posting
from ..orders.models import Order


class Purchase(Changing):
    """An order to a supplier."""

    number = models.IntegerField(unique=True)
    supplier = models.ForeignKey(Partner, models.PROTECT, related_name="purchases")
    state = models.CharField(max_length=20, choices=[(s.value, s.value) for s in PurchaseState])
    ordered_on = models.DateField(null=True)
    confirmed_on = models.DateField(null=True)
    #: the supplier's number of it
    their_number = models.CharField(max_length=40, blank=True)
    note = models.CharField(max_length=400, blank=True)
    drafted_at = models.DateTimeField()

    class Meta:
        ordering = ["number"]
        indexes = [models.Index(fields=["state", "number"], name="purchase_by_state")]

    def __str__(self) -> str:
        return str(self.number)


class PurchaseLine(models.Model):
    """A quantity of an item that is bought, at a price, by a day."""

    purchase = models.ForeignKey(Purchase, models.PROTECT, related_name="lines")
    number = models.IntegerField()
    item = models.ForeignKey(Item, models.PROTECT, related_name="+")
    #: the supplier's unit, and how many stock units one is
    unit = models.CharField(max_length=20)
    per_unit = models.DecimalField(max_digits=18, decimal_places=6)
    #: ordered [unit], and what a unit costs [money]
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    price = models.DecimalField(max_digits=18, decimal_places=6)
    #: as it was first sent to the supplier; null: a draft
    asked_quantity = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    asked_for = models.DateField(null=True)
    #: when it is to be there: as wanted, then as promised
    comes_on = models.DateField()
    #: not goods but work on the units of an order, at its operation
    is_work = models.BooleanField(default=False)
    #: where it is put, and the order and operation that it is for
    place = models.ForeignKey(Place, models.PROTECT, related_name="+")
    order = models.ForeignKey(Order, models.PROTECT, null=True, related_name="bought")
    operation = models.IntegerField(null=True)
    #: came, went back, and was invoiced [stock unit]
    received = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    returned = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    invoiced = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    #: of what went back: it is not sent again [stock unit]
    not_replaced = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    #: nothing more is expected of it
    is_ended = models.BooleanField(default=False)
    #: because the order that it is work for was completed: it is awaited again when that is taken back
    ended_with_order = models.BooleanField(default=False, db_default=False)
    #: of an order that was sent: still to come [stock unit]
    coming = models.DecimalField(max_digits=18, decimal_places=6, default=0)

    class Meta:
        ordering = ["purchase", "number"]
        constraints = [
            models.UniqueConstraint(fields=["purchase", "number"], name="one_line_per_number"),
            models.CheckConstraint(
                condition=models.Q(quantity__gt=0, per_unit__gt=0), name="a_line_buys_something"
            ),
            models.CheckConstraint(
                condition=models.Q(received__gte=models.F("returned"), returned__gte=0),
                name="no_more_goes_back_than_came",
            ),
            models.CheckConstraint(
                condition=models.Q(order__isnull=True) | models.Q(operation__isnull=False),
                name="an_order_it_is_for_has_an_operation",
            ),
        ]
        indexes = [
            models.Index(
                fields=["item", "comes_on"],
                name="coming_by_item",
                condition=models.Q(coming__gt=0),
            ),
            models.Index(fields=["order"], name="work_by_order", condition=models.Q(is_work=True)),
        ]

    def __str__(self) -> str:
        return f"{self.purchase_id}/{self.number}"

    def stands(self) -> LineStands:
        """Return how it stands, in stock units."""
        return LineStands(
            ordered=self.quantity * self.per_unit,
            received=self.received,
            returned=self.returned,
            not_replaced=self.not_replaced,
            invoiced=self.invoiced,
            is_ended=self.is_ended,
        )


class StandIn(models.Model):
    """How the simulated supplier plays one of ours: shares and amounts in percent, days, a seed."""

    supplier = models.OneToOneField(Partner, models.CASCADE, related_name="stand_in")
    late = models.IntegerField()
    days = models.IntegerField()
    short = models.IntegerField()
    missing = models.IntegerField()
    dearer = models.IntegerField()
    more = models.IntegerField()
    seed = models.IntegerField()

    class Meta:
        ordering = ["supplier"]

    def __str__(self) -> str:
        return f"{self.supplier_id}"


class Shipment(models.Model):
    """Half-made units sent to the supplier who does their next operation."""

    line = models.ForeignKey(PurchaseLine, models.PROTECT, related_name="shipments")
    posting = models.OneToOneField(Posting, models.PROTECT, related_name="shipment")
    sent_at = models.DateTimeField()
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    carrier = models.CharField(max_length=80, blank=True)
    packages = models.IntegerField(default=1)
    #: of all packages [kg]
    weight = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    note = models.CharField(max_length=400, blank=True)
    #: lots, serials, whatever stands on the units
    marks = models.CharField(max_length=400, blank=True, default="", db_default="")
    #: what was done to the units so far, at the standard [money]
    worth = models.DecimalField(max_digits=18, decimal_places=2, default=0, db_default=0)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return str(self.pk)


class ShippedPart(models.Model):
    """A component that went along: issued to the order at the supplier's operation."""

    shipment = models.ForeignKey(Shipment, models.PROTECT, related_name="parts")
    item = models.ForeignKey(Item, models.PROTECT, related_name="+")
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    #: as it was named
    lot = models.CharField(max_length=80, blank=True)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.shipment_id} {self.item_id} {self.quantity}"


class Delivery(models.Model):
    """What came of a purchase line at once, and what of that is invoiced."""

    line = models.ForeignKey(PurchaseLine, models.PROTECT, related_name="deliveries")
    posting = models.ForeignKey(Posting, models.PROTECT, related_name="deliveries")
    came_at = models.DateTimeField()
    #: number of the supplier's despatch note
    note = models.CharField(max_length=40, blank=True)
    #: [stock unit], at the order's price [money]; less what went back
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    value = models.DecimalField(max_digits=18, decimal_places=2)
    returned = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    returned_value = models.DecimalField(max_digits=18, decimal_places=2, default=0)
    #: by invoices, and at what it was received at
    invoiced = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    cleared = models.DecimalField(max_digits=18, decimal_places=2, default=0)
    #: it was taken back, as if it had never come
    is_undone = models.BooleanField(default=False)
    #: something of it is neither invoiced nor returned, or more was
    is_open = models.BooleanField(default=True)

    class Meta:
        ordering = ["pk"]
        indexes = [
            models.Index(
                fields=["came_at"], name="open_delivery_by_age", condition=models.Q(is_open=True)
            )
        ]

    def __str__(self) -> str:
        return f"{self.line_id} {self.quantity}"

    @property
    def open(self) -> OpenReceipt:
        """Return what of it is neither invoiced nor returned; below zero, where more was."""
        return OpenReceipt(
            quantity=self.quantity - self.returned - self.invoiced,
            value=self.value - self.returned_value - self.cleared,
        )


class SupplierReturn(models.Model):
    """What of a delivery went back to its supplier."""

    delivery = models.ForeignKey(Delivery, models.PROTECT, related_name="returns")
    posting = models.OneToOneField(Posting, models.PROTECT, related_name="supplier_return")
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    #: at what it was received at
    value = models.DecimalField(max_digits=18, decimal_places=2)
    is_replaced = models.BooleanField()
    is_undone = models.BooleanField(default=False)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.delivery_id} {self.quantity}"


class Invoice(Changing):
    """What a supplier asks to be paid, or in a credit note gives back."""

    supplier = models.ForeignKey(Partner, models.PROTECT, related_name="invoices")
    #: the supplier's
    number = models.CharField(max_length=40)
    dated = models.DateField()
    is_credit = models.BooleanField(default=False)
    #: without tax; below zero in a credit note
    total = models.DecimalField(max_digits=18, decimal_places=2)
    posting = models.OneToOneField(Posting, models.PROTECT, related_name="invoice")
    is_taken_back = models.BooleanField(default=False)

    class Meta:
        ordering = ["-pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["supplier", "number"],
                name="one_invoice_per_supplier_and_number",
                condition=models.Q(is_taken_back=False),
            )
        ]

    def __str__(self) -> str:
        return self.number


class InvoiceLine(models.Model):
    """What an invoice asks for a part of a delivery, or as a further cost of it."""

    invoice = models.ForeignKey(Invoice, models.PROTECT, related_name="lines")
    delivery = models.ForeignKey(Delivery, models.PROTECT, related_name="invoice_lines")
    #: of a further cost: what for, and how it was shared; else ""
    cost = models.CharField(max_length=120, blank=True)
    spread_by = models.CharField(
        max_length=10, blank=True, choices=[(s.value, s.value) for s in SpreadBy]
    )
    #: [stock unit]; of a further cost 0
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    amount = models.DecimalField(max_digits=18, decimal_places=2)
    #: what that was received at; the rest is the difference
    cleared = models.DecimalField(max_digits=18, decimal_places=2)
    #: of the difference, what went to what was still in stock
    in_stock = models.DecimalField(max_digits=18, decimal_places=2, default=0)
    #: and what is kept for where it has gone on to
    gone_on = models.DecimalField(max_digits=18, decimal_places=2, default=0)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.invoice_id} {self.amount}"
