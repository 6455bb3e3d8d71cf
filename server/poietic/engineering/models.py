"""Work centers, and structures in revisions."""

from django.db import models

from ..catalog.models import Item
from ..commanding.models import Changing


class WorkCenter(Changing):
    """Where operations run, and what an hour there costs."""

    code = models.CharField(max_length=40, unique=True)
    name = models.CharField(max_length=120)
    #: [EUR/h]
    machine_rate = models.DecimalField(max_digits=18, decimal_places=6)
    labour_rate = models.DecimalField(max_digits=18, decimal_places=6)

    class Meta:
        ordering = ["code"]

    def __str__(self) -> str:
        return self.code


class Revision(Changing):
    """One numbered state of an item's structure."""

    class State(models.TextChoices):
        """Where a revision stands."""

        DRAFT = "draft"
        APPROVED = "approved"
        RETIRED = "retired"

    item = models.ForeignKey(Item, models.PROTECT, related_name="revisions")
    letter = models.CharField(max_length=4)
    state = models.CharField(max_length=10, choices=State)
    batch_quantity = models.DecimalField(max_digits=18, decimal_places=6, default=1)
    approved_at = models.DateTimeField(null=True)
    note = models.CharField(max_length=400, blank=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["item", "letter"], name="one_revision_per_letter"),
            models.UniqueConstraint(
                fields=["item"],
                condition=models.Q(state="approved"),
                name="one_approved_revision_per_item",
            ),
            models.UniqueConstraint(
                fields=["item"], condition=models.Q(state="draft"), name="one_draft_per_item"
            ),
        ]

    def __str__(self) -> str:
        return f"{self.item.code} rev {self.letter}"


class OperationRow(models.Model):
    """An operation of a revision."""

    revision = models.ForeignKey(Revision, models.CASCADE, related_name="operations")
    number = models.IntegerField()
    name = models.CharField(max_length=120)
    work_center = models.ForeignKey(WorkCenter, models.PROTECT)
    setup_labour_hours = models.DecimalField(max_digits=18, decimal_places=6)
    setup_machine_hours = models.DecimalField(max_digits=18, decimal_places=6)
    run_labour_hours = models.DecimalField(max_digits=18, decimal_places=6)
    run_machine_hours = models.DecimalField(max_digits=18, decimal_places=6)
    yield_share = models.DecimalField(max_digits=18, decimal_places=6)
    is_report_point = models.BooleanField()

    class Meta:
        ordering = ["number"]

    def __str__(self) -> str:
        return f"{self.number} {self.name}"


class ComponentRow(models.Model):
    """A component line of a revision."""

    revision = models.ForeignKey(Revision, models.CASCADE, related_name="components")
    position = models.IntegerField()
    item = models.ForeignKey(Item, models.PROTECT, related_name="used_in")
    operation = models.IntegerField()
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    per = models.CharField(max_length=10)
    allowance = models.DecimalField(max_digits=18, decimal_places=6)
    issue_rule = models.CharField(max_length=20)

    class Meta:
        ordering = ["operation", "position"]

    def __str__(self) -> str:
        return f"{self.quantity} {self.item_id}"


class OutputRow(models.Model):
    """A by-product line of a revision."""

    revision = models.ForeignKey(Revision, models.CASCADE, related_name="outputs")
    position = models.IntegerField()
    item = models.ForeignKey(Item, models.PROTECT, related_name="by_product_of")
    operation = models.IntegerField()
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    credit_price = models.DecimalField(max_digits=18, decimal_places=6)

    class Meta:
        ordering = ["operation", "position"]

    def __str__(self) -> str:
        return f"{self.quantity} {self.item_id}"
