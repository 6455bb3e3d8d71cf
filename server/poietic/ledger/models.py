"""Postings and their lines (append-only), and the balances kept beside them."""

from decimal import Decimal

from django.conf import settings
from django.contrib.postgres.indexes import GinIndex, OpClass
from django.db import models
from django.db.models.functions import Concat, Lower
from poietic_core.stock.lots import LotState, Tracking
from poietic_core.stock.valuation import Holding as CoreHolding

from ..catalog.models import Item, Place
from ..commanding.models import Changing, Entry


class Account(models.TextChoices):
    """The accounts that postings carry money between."""

    STOCK = "stock"
    WIP = "work in process"
    GOODS_RECEIVED = "goods received not invoiced"
    PAYABLES = "payables"
    #: of what came and has gone on since: not carried to where it went
    LATE_COST = "late cost not carried on"
    COST_OF_GOODS_SOLD = "cost of goods sold"
    LABOUR_ABSORBED = "labour absorbed"
    MACHINE_ABSORBED = "machine absorbed"
    OVERHEAD_ABSORBED = "overhead absorbed"
    #: of a work center, borne by no order
    OVERHEAD_EXPENSE = "overhead expense"
    LABOUR_EXPENSE = "labour expense"
    MACHINE_EXPENSE = "machine expense"
    #: of work centers and periods, never of orders
    LABOUR_SPENDING = "labour spending variance"
    MACHINE_SPENDING = "machine spending variance"
    OVERHEAD_SPENDING = "overhead spending variance"
    OVERHEAD_VOLUME = "overhead volume variance"
    SCRAP_EXPENSE = "scrap expense"
    COUNT_DIFFERENCE = "count difference"
    PURCHASE_PRICE_VARIANCE = "purchase price variance"
    STOCK_REVALUATION = "stock revaluation"
    #: from one order's work in process into another's: adds up to nothing in each act
    HANDED_OVER = "handed over between orders"
    PRICE_VARIANCE = "price variance"
    STANDARD_CHANGE_VARIANCE = "standard change variance"
    RATE_VARIANCE = "rate variance"
    USAGE_VARIANCE = "usage variance"
    EFFICIENCY_VARIANCE = "efficiency variance"
    SUBSTITUTION_VARIANCE = "substitution variance"
    MIX_VARIANCE = "mix variance"
    MIX_YIELD_VARIANCE = "mix yield variance"
    REWORK_VARIANCE = "rework variance"
    EXTRA_COST_VARIANCE = "extra cost variance"
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
    #: of orders that run, at the end of a period; taken back when the next one begins
    VARIANCE_OF_OPEN_ORDERS = "variance of open orders"
    WIP_ADJUSTMENT = "work in process beyond standard"
    #: actual cost of a period over standard, carried to where the goods went
    STOCK_ADJUSTMENT = "stock beyond standard"
    SOLD_ADJUSTMENT = "cost of goods sold beyond standard"
    PERIOD_DIFFERENCES = "differences of the period carried on"


class CostObject(models.Model):
    """Anything that costs are accumulated for."""

    class Kind(models.TextChoices):
        """What it stands for."""

        ORDER = "production order"

    kind = models.CharField(max_length=20, choices=Kind)
    number = models.IntegerField()
    opened_at = models.DateTimeField()
    closed_at = models.DateTimeField(null=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["kind", "number"], name="one_cost_object_per_number")
        ]

    def __str__(self) -> str:
        return f"{self.kind} {self.number}"


class Posting(models.Model):
    """A document of what happened, with its lines."""

    class Kind(models.TextChoices):
        """What happened."""

        RECEIVE_MATERIAL = "material received"
        PURCHASE_RECEIPT = "purchase receipt"
        SHIPMENT = "sent to supplier"
        SUPPLIER_RETURN = "returned to supplier"
        INVOICE = "supplier invoice"
        MOVE = "move"
        SEND = "sent"
        ARRIVE = "arrived"
        SCRAP = "scrap of stock"
        COUNT = "count"
        REGROUP = "lots regrouped"
        ISSUE = "issue"
        RETURN = "return"
        REPORT = "report"
        RECEIPT = "receipt"
        EXTRA_COST = "extra cost"
        SPLIT = "split"
        MERGE = "merge"
        COMPLETION = "completion"
        CLOSING = "closing"
        REVALUATION = "standard changed"
        VALUATION = "valued otherwise"
        DELIVERY = "delivery"
        LATE_COST = "late cost"
        PERIOD_END = "period end"
        ACTUAL_COST = "actual cost"

    kind = models.CharField(max_length=20, choices=Kind)
    entry = models.ForeignKey(Entry, models.PROTECT, db_constraint=True, related_name="postings")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True)
    happened_at = models.DateTimeField()
    entered_at = models.DateTimeField()
    #: the day that it belongs to, where that lies in a period which was closed by then
    belongs_on = models.DateField(null=True)
    reason = models.CharField(max_length=400, blank=True)
    cost_object = models.ForeignKey(CostObject, models.PROTECT, null=True, related_name="postings")
    operation = models.IntegerField(null=True)
    reverses = models.OneToOneField("self", models.PROTECT, null=True, related_name="reversal")

    class Meta:
        indexes = [models.Index(fields=["cost_object", "id"], name="posting_by_cost_object")]

    def __str__(self) -> str:
        return f"{self.pk} {self.kind}"


class Period(Changing):
    """A month of the books that was closed at least once."""

    first = models.DateField(unique=True)
    #: the same span as moments of the works' day
    begins_at = models.DateTimeField()
    ends_at = models.DateTimeField()
    #: null: it was opened again
    closed_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["first"]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(begins_at__lt=models.F("ends_at")), name="a_period_lasts"
            )
        ]

    def __str__(self) -> str:
        return f"{self.first:%B %Y}"


class PeriodEvent(models.Model):
    """A period was closed, or opened again: both are kept."""

    period = models.ForeignKey(Period, models.PROTECT, related_name="events")
    entry = models.ForeignKey(Entry, models.PROTECT, db_constraint=False, related_name="+")
    closes = models.BooleanField()
    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True)
    at = models.DateTimeField()
    reason = models.CharField(max_length=400, blank=True)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.period_id} {'closed' if self.closes else 'opened'}"


class Lot(Changing):
    """Pieces of an item that are told apart from others: a lot, or one serial."""

    item = models.ForeignKey(Item, models.PROTECT, related_name="lots")
    code = models.CharField(max_length=80)
    kind = models.CharField(
        max_length=10, choices=[(t.value, t.value) for t in Tracking if t is not Tracking.NONE]
    )
    supplier_code = models.CharField(max_length=80, blank=True)
    #: the posting that made it or received it; null: from before lots were kept
    came_by = models.ForeignKey(Posting, models.PROTECT, null=True, related_name="lots")
    made_on = models.DateField(null=True)
    #: last day on which it may be used
    expires_on = models.DateField(null=True)
    state = models.CharField(
        max_length=12,
        choices=[(s.value, s.value) for s in LotState],
        default=LotState.USABLE.value,
    )

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["item", "code"], name="one_lot_per_item_and_code")
        ]
        indexes = [
            GinIndex(
                OpClass(
                    Lower(Concat("code", models.Value(" "), "supplier_code")), name="gin_trgm_ops"
                ),
                name="lot_by_words",
            )
        ]

    def __str__(self) -> str:
        return self.code


class LotCounter(models.Model):
    """The last number that an item's lots or serials were given, for each stem of its rule."""

    item = models.ForeignKey(Item, models.PROTECT)
    stem = models.CharField(max_length=80)
    last = models.IntegerField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["item", "stem"], name="one_counter_per_item_and_stem")
        ]

    def __str__(self) -> str:
        return f"{self.stem} {self.last}"


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
    #: which pieces; null: they are not told apart
    lot = models.ForeignKey(Lot, models.PROTECT, null=True, related_name="lines")
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
    #: of work in process: whose
    cost_object = models.ForeignKey(CostObject, models.PROTECT, null=True, related_name="+")

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=~models.Q(account=Account.WIP)
                | (
                    models.Q(operation__isnull=False, cost_object__isnull=False)
                    & ~models.Q(element="")
                ),
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
    #: spent on units that were set aside before
    is_rework = models.BooleanField(default=False)
    #: who worked, where it was said; and how many of the hours were overtime
    person = models.ForeignKey("people.Person", models.PROTECT, null=True, related_name="+")
    overtime = models.DecimalField(max_digits=18, decimal_places=6, db_default=0)
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    amount = models.DecimalField(max_digits=18, decimal_places=2)

    class Meta:
        indexes = [
            models.Index(
                fields=["person"],
                name="time_by_person",
                condition=models.Q(person__isnull=False),
            )
        ]

    def __str__(self) -> str:
        return f"{self.operation} {self.kind} {self.quantity}"


class HandoverLine(models.Model):
    """Material or output of one order's work in process that goes over to another's: below zero where it leaves.

    Of no quantity: what material that was issued before turned out to cost more.
    """

    posting = models.ForeignKey(Posting, models.PROTECT, related_name="handover_lines")
    operation = models.IntegerField()
    part = models.CharField(max_length=12, choices=StockLine.Part)
    item = models.ForeignKey(Item, models.PROTECT, related_name="+")
    #: of which lot it was issued; null: it is not told apart
    lot = models.ForeignKey(Lot, models.PROTECT, null=True, related_name="+")
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    amount = models.DecimalField(max_digits=18, decimal_places=2)

    class Meta:
        indexes = [
            models.Index(
                fields=["lot"], name="handed_over_by_lot", condition=models.Q(lot__isnull=False)
            )
        ]

    def __str__(self) -> str:
        return f"{self.operation} {self.item_id} {self.quantity}"


class UnitLine(models.Model):
    """Units that an operation finished, lost or set aside; without a value of their own."""

    class Kind(models.TextChoices):
        """What became of them."""

        GOOD = "good"
        SCRAP = "scrap"
        REWORK = "rework"
        #: to the supplier who does the operation
        SENT = "sent"

    posting = models.ForeignKey(Posting, models.PROTECT, related_name="unit_lines")
    operation = models.IntegerField()
    kind = models.CharField(max_length=8, choices=Kind)
    reason = models.ForeignKey("catalog.Reason", models.PROTECT, null=True)
    #: where they went; null: they stay where the operation is
    place = models.ForeignKey(Place, models.PROTECT, null=True, related_name="+")
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
    #: since when it is valued as it is; null: since it is there
    valued_from = models.ForeignKey(Posting, models.PROTECT, null=True, related_name="+")

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
    """Stock of an item at a place: of a lot, or of pieces that are not told apart."""

    item = models.ForeignKey(Item, models.PROTECT)
    place = models.ForeignKey(Place, models.PROTECT)
    lot = models.ForeignKey(Lot, models.PROTECT, null=True)
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    #: promised to cost objects; of no lot: whichever of the item's there is
    reserved = models.DecimalField(max_digits=18, decimal_places=6, default=0)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["item", "place", "lot"],
                name="one_balance_per_item_place_and_lot",
                nulls_distinct=False,
            ),
            models.CheckConstraint(
                condition=models.Q(quantity__gte=0), name="stock_not_below_zero"
            ),
            models.CheckConstraint(
                condition=models.Q(reserved__gte=0), name="reserved_not_below_zero"
            ),
        ]

    def __str__(self) -> str:
        return f"{self.item_id} {self.place_id} {self.quantity}"


class Reservation(models.Model):
    """Stock on hand that is promised to a cost object, for one operation."""

    cost_object = models.ForeignKey(CostObject, models.PROTECT, related_name="reservations")
    operation = models.IntegerField()
    item = models.ForeignKey(Item, models.PROTECT)
    place = models.ForeignKey(Place, models.PROTECT)
    #: null: whichever there is
    lot = models.ForeignKey(Lot, models.PROTECT, null=True)
    quantity = models.DecimalField(max_digits=18, decimal_places=6)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["cost_object", "operation", "item", "place", "lot"],
                name="one_reservation_per_line",
                nulls_distinct=False,
            ),
            models.CheckConstraint(
                condition=models.Q(quantity__gt=0), name="reservation_above_zero"
            ),
        ]

    def __str__(self) -> str:
        return f"{self.cost_object_id} {self.item_id} {self.quantity}"


class Layer(models.Model):
    """What one receipt brought in, and what is left of it; older ones have smaller keys."""

    item = models.ForeignKey(Item, models.PROTECT, related_name="layers")
    lot = models.ForeignKey(Lot, models.PROTECT, null=True)
    posting = models.ForeignKey(Posting, models.PROTECT, related_name="layers")
    #: null: it was made when the item came to be valued by layers
    line = models.OneToOneField(StockLine, models.PROTECT, null=True, related_name="layer")
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    value = models.DecimalField(max_digits=18, decimal_places=2)
    quantity_left = models.DecimalField(max_digits=18, decimal_places=6)
    value_left = models.DecimalField(max_digits=18, decimal_places=2)

    class Meta:
        indexes = [
            models.Index(
                fields=["item"], name="open_layer_by_item", condition=models.Q(quantity_left__gt=0)
            )
        ]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(quantity_left__gte=0), name="layer_not_below_zero"
            )
        ]

    def __str__(self) -> str:
        return f"{self.item_id} {self.quantity_left}"


class Consumption(models.Model):
    """What a line took out of a layer; below zero: what it put back."""

    posting = models.ForeignKey(Posting, models.PROTECT, related_name="consumptions")
    layer = models.ForeignKey(Layer, models.PROTECT, related_name="consumptions")
    #: null: the item came to be valued otherwise
    line = models.ForeignKey(StockLine, models.PROTECT, null=True, related_name="consumptions")
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    value = models.DecimalField(max_digits=18, decimal_places=2)

    def __str__(self) -> str:
        return f"{self.layer_id} {self.quantity}"


class WipBalance(models.Model):
    """Work in process of a cost object, by operation and element."""

    cost_object = models.ForeignKey(CostObject, models.PROTECT, related_name="wip")
    operation = models.IntegerField()
    element = models.CharField(max_length=30)
    amount = models.DecimalField(max_digits=18, decimal_places=2)
    #: what receipts have credited so far
    credited = models.DecimalField(max_digits=18, decimal_places=2, default=0)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["cost_object", "operation", "element"], name="one_wip_balance_per_cell"
            )
        ]

    def __str__(self) -> str:
        return f"{self.cost_object_id}/{self.operation} {self.element} {self.amount}"


class LateCost(models.Model):
    """What a receipt turned out to cost beyond its value: known only after it."""

    #: which said so: an invoice, a closing, or a run that carried another late cost on
    posting = models.ForeignKey(Posting, models.PROTECT, related_name="late_costs")
    item = models.ForeignKey(Item, models.PROTECT, related_name="+")
    receipt = models.ForeignKey(Posting, models.PROTECT, related_name="later_costs")
    amount = models.DecimalField(max_digits=18, decimal_places=2)
    #: of it, what went to what was still in stock at once; the rest is carried on by a run
    in_stock = models.DecimalField(max_digits=18, decimal_places=2)
    carried_by = models.ForeignKey(Posting, models.PROTECT, null=True, related_name="carried")

    class Meta:
        indexes = [
            models.Index(fields=["item", "receipt"], name="late_cost_by_receipt"),
            models.Index(
                fields=["item"],
                name="late_cost_that_waits",
                condition=models.Q(carried_by__isnull=True),
            ),
        ]

    def __str__(self) -> str:
        return f"{self.receipt_id} {self.amount}"


class Correction(models.Model):
    """How much more a movement turned out to be worth, by a run that carried late cost on."""

    posting = models.ForeignKey(Posting, models.PROTECT, related_name="corrections")
    line = models.ForeignKey(StockLine, models.PROTECT, related_name="corrections")
    #: of stock valued by layers: of which; null: it was one pool
    layer = models.ForeignKey(Layer, models.PROTECT, null=True, related_name="+")
    amount = models.DecimalField(max_digits=18, decimal_places=2)

    def __str__(self) -> str:
        return f"{self.line_id} {self.amount}"
