"""Postings and their lines (append-only), and the balances kept beside them."""

from decimal import Decimal

from django.conf import settings
from django.db import models
from poietic_core.stock.valuation import Holding as CoreHolding

from ..catalog.models import Item, Place
from ..commanding.models import Changing, Entry


class Account(models.TextChoices):
    """The accounts that postings carry money between."""

    STOCK = "stock"
    WIP = "work in process"
    GOODS_RECEIVED = "goods received not invoiced"
    LABOUR_ABSORBED = "labour absorbed"
    MACHINE_ABSORBED = "machine absorbed"
    OVERHEAD_ABSORBED = "overhead absorbed"
    SCRAP_EXPENSE = "scrap expense"
    PURCHASE_PRICE_VARIANCE = "purchase price variance"
    STOCK_REVALUATION = "stock revaluation"
    PRICE_VARIANCE = "price variance"
    RATE_VARIANCE = "rate variance"
    USAGE_VARIANCE = "usage variance"
    EFFICIENCY_VARIANCE = "efficiency variance"
    YIELD_VARIANCE = "yield variance"
    METHOD_VARIANCE = "method variance"
    SETUP_VARIANCE = "setup variance"
    ORDER_SIZE_VARIANCE = "order size variance"
    BY_PRODUCT_PRICE_VARIANCE = "by-product price variance"
    BY_PRODUCT_QUANTITY_VARIANCE = "by-product quantity variance"
    OUTPUT_MIX_VARIANCE = "output mix variance"
    GRADING_VARIANCE = "grading variance"
    FIXED_OVERHEAD_VOLUME_VARIANCE = "fixed overhead volume variance"
    ROUNDING_VARIANCE = "rounding variance"


class Posting(models.Model):
    """A document of what happened, with its lines."""

    class Kind(models.TextChoices):
        """What happened."""

        RECEIVE_MATERIAL = "material received"
        ISSUE = "issue"
        RETURN = "return"
        REPORT = "report"
        RECEIPT = "receipt"
        COMPLETION = "completion"
        CLOSING = "closing"
        REVALUATION = "standard changed"

    kind = models.CharField(max_length=20, choices=Kind)
    entry = models.ForeignKey(Entry, models.PROTECT, db_constraint=True, related_name="postings")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True)
    happened_at = models.DateTimeField()
    entered_at = models.DateTimeField()
    reason = models.CharField(max_length=400, blank=True)
    order = models.ForeignKey("orders.Order", models.PROTECT, null=True, related_name="postings")
    operation = models.IntegerField(null=True)
    reverses = models.OneToOneField("self", models.PROTECT, null=True, related_name="reversal")

    class Meta:
        indexes = [models.Index(fields=["order", "id"], name="posting_by_order")]

    def __str__(self) -> str:
        return f"{self.pk} {self.kind}"


class StockLine(models.Model):
    """A quantity of an item moved from one place to another, at a value."""

    class Part(models.TextChoices):
        """What the movement is to its order."""

        COMPONENT = "component"
        BY_PRODUCT = "by-product"
        CO_PRODUCT = "co-product"
        OUTPUT = "output"

    posting = models.ForeignKey(Posting, models.PROTECT, related_name="stock_lines")
    item = models.ForeignKey(Item, models.PROTECT)
    from_place = models.ForeignKey(Place, models.PROTECT, related_name="+")
    to_place = models.ForeignKey(Place, models.PROTECT, related_name="+")
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    #: what the stock gained or lost by it, and what the other side was posted at
    value = models.DecimalField(max_digits=18, decimal_places=2)
    worth = models.DecimalField(max_digits=18, decimal_places=2)
    part = models.CharField(max_length=12, choices=Part, blank=True)
    operation = models.IntegerField(null=True)

    class Meta:
        constraints = [
            models.CheckConstraint(condition=models.Q(quantity__gt=0), name="stock_line_moves"),
            models.CheckConstraint(
                condition=~models.Q(from_place=models.F("to_place")),
                name="stock_line_has_two_places",
            ),
        ]

    def __str__(self) -> str:
        return f"{self.quantity} {self.item_id}"


class JournalLine(models.Model):
    """Money on an account: debit above zero, credit below."""

    posting = models.ForeignKey(Posting, models.PROTECT, related_name="journal_lines")
    account = models.CharField(max_length=40, choices=Account)
    amount = models.DecimalField(max_digits=18, decimal_places=2)
    operation = models.IntegerField(null=True)
    element = models.CharField(max_length=30, blank=True)
    item = models.ForeignKey(Item, models.PROTECT, null=True)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=~models.Q(account=Account.WIP)
                | (models.Q(operation__isnull=False) & ~models.Q(element="")),
                name="wip_line_has_its_cell",
            ),
            models.CheckConstraint(
                condition=~models.Q(account=Account.STOCK) | models.Q(item__isnull=False),
                name="stock_line_has_its_item",
            ),
        ]

    def __str__(self) -> str:
        return f"{self.account} {self.amount}"


#: the kind of a time line that says how often an operation was set up
SET_UP = "times set up"


class TimeLine(models.Model):
    """Hours that an operation was charged; of a supplier's work pieces, of overhead its base.

    Or how often it was set up, which by itself costs nothing.
    """

    posting = models.ForeignKey(Posting, models.PROTECT, related_name="time_lines")
    operation = models.IntegerField()
    kind = models.CharField(max_length=20)
    #: which overhead
    code = models.CharField(max_length=40, blank=True)
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    amount = models.DecimalField(max_digits=18, decimal_places=2)

    def __str__(self) -> str:
        return f"{self.operation} {self.kind} {self.quantity}"


class UnitLine(models.Model):
    """Units that an operation of an order finished or lost; without a value of their own."""

    posting = models.ForeignKey(Posting, models.PROTECT, related_name="unit_lines")
    operation = models.IntegerField()
    is_good = models.BooleanField()
    reason = models.ForeignKey("catalog.Reason", models.PROTECT, null=True)
    quantity = models.DecimalField(max_digits=18, decimal_places=6)

    def __str__(self) -> str:
        return f"{self.operation} {self.quantity}"


class Holding(Changing):
    """All our stock of an item, and its value."""

    item = models.OneToOneField(Item, models.PROTECT, primary_key=True)
    quantity = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    value = models.DecimalField(max_digits=18, decimal_places=2, default=0)
    #: the standard in force, for standard-costed stock [EUR/unit]
    standard = models.DecimalField(max_digits=18, decimal_places=6, null=True)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=models.Q(quantity__gte=0), name="holding_not_below_zero"
            )
        ]

    def __str__(self) -> str:
        return self.item.code

    def as_core(self) -> CoreHolding:
        """Return it as the core computes with it."""
        return CoreHolding(
            method=self.item.method,
            quantity=Decimal(self.quantity),
            value=Decimal(self.value),
            standard=self.standard,
        )


class StockBalance(models.Model):
    """Stock of an item at a place."""

    item = models.ForeignKey(Item, models.PROTECT)
    place = models.ForeignKey(Place, models.PROTECT)
    quantity = models.DecimalField(max_digits=18, decimal_places=6)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["item", "place"], name="one_balance_per_item_and_place"
            ),
            models.CheckConstraint(
                condition=models.Q(quantity__gte=0), name="stock_not_below_zero"
            ),
        ]

    def __str__(self) -> str:
        return f"{self.item_id} {self.place_id} {self.quantity}"


class WipBalance(models.Model):
    """Work in process of an order, by operation and element."""

    order = models.ForeignKey("orders.Order", models.PROTECT, related_name="wip")
    operation = models.IntegerField()
    element = models.CharField(max_length=30)
    amount = models.DecimalField(max_digits=18, decimal_places=2)
    #: what receipts have credited so far
    credited = models.DecimalField(max_digits=18, decimal_places=2, default=0)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["order", "operation", "element"], name="one_wip_balance_per_cell"
            )
        ]

    def __str__(self) -> str:
        return f"{self.order_id}/{self.operation} {self.element} {self.amount}"
