"""Production orders, with the snapshot of structure and standard taken at release."""

from decimal import Decimal

from django.contrib.postgres.fields import ArrayField
from django.db import models
from poietic_core.cost.model import InputKind
from poietic_core.order.attention import Kind
from poietic_core.order.need import still_needed
from poietic_core.order.states import OrderState
from poietic_core.order.working import Clock, Working
from poietic_core.structure.basis import Basis
from poietic_core.structure.model import Per

from ..catalog.models import Item, KeptFile, Partner, Place, Reason
from ..commanding.models import Changing
from ..costing.models import Standard
from ..engineering.models import Revision
from ..ledger.models import CostObject


class Order(Changing):
    """An instruction to make a quantity of an item by a date."""

    #: an order is a cost object, and has its key
    cost_object = models.OneToOneField(
        CostObject, models.PROTECT, primary_key=True, db_column="id", related_name="order"
    )
    number = models.IntegerField(unique=True)
    item = models.ForeignKey(Item, models.PROTECT, related_name="orders")
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    due = models.DateField()
    state = models.CharField(max_length=10, choices=[(s.value, s.value) for s in OrderState])
    #: where components are taken from, and where the output goes
    supply_place = models.ForeignKey(Place, models.PROTECT, related_name="+")
    receipt_place = models.ForeignKey(Place, models.PROTECT, related_name="+")
    note = models.CharField(max_length=400, blank=True)
    #: whom it is for, with the number and line of the customer's order and the day it is wanted on
    customer = models.ForeignKey(Partner, models.PROTECT, null=True, related_name="+")
    customer_order = models.CharField(max_length=40, blank=True)
    customer_line = models.CharField(max_length=20, blank=True)
    wanted_on = models.DateField(null=True)
    #: the lot that it was sized from: of it is reserved, and issued, first
    lot = models.ForeignKey("ledger.Lot", models.PROTECT, null=True, related_name="+")
    #: made for a component line of another order, and the topmost of these orders
    made_for = models.ForeignKey("self", models.PROTECT, null=True, related_name="made_by")
    made_for_operation = models.IntegerField(null=True)
    top = models.ForeignKey("self", models.PROTECT, null=True, related_name="+")
    #: what its units were taken out of, once that order had begun
    split_from = models.ForeignKey("self", models.PROTECT, null=True, related_name="split_off")
    #: made components whose content is taken in like a phantom's
    made_within = ArrayField(models.CharField(max_length=40), default=list)
    #: why it stands still, on top of its state; null: it does not
    hold_reason = models.ForeignKey(Reason, models.PROTECT, null=True, related_name="+")
    hold_words = models.CharField(max_length=400, blank=True, db_default="")
    held_at = models.DateTimeField(null=True)
    #: nobody is to be told of it as forgotten before this day, and why
    keep_until = models.DateField(null=True)
    keep_words = models.CharField(max_length=400, blank=True, db_default="")
    #: its material is released part by part
    is_in_parts = models.BooleanField(default=False)
    planned_at = models.DateTimeField()
    released_at = models.DateTimeField(null=True)
    revision = models.ForeignKey(Revision, models.PROTECT, null=True)
    #: frozen with the order at its release
    standard = models.ForeignKey(Standard, models.PROTECT, null=True)
    received = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    received_value = models.DecimalField(max_digits=18, decimal_places=2, default=0)

    class Meta:
        indexes = [models.Index(fields=["state", "due"], name="order_by_state_and_due")]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(made_for__isnull=True)
                | models.Q(made_for_operation__isnull=False, top__isnull=False),
                name="who_an_order_is_made_for_has_an_operation",
            )
        ]

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
    #: operations that must come before; null: the one listed before, empty: none
    after = ArrayField(models.IntegerField(), null=True)
    #: clock time at the standard pace [h], and what passes around it
    setup_hours = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    run_hours = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    run_quantity = models.DecimalField(max_digits=18, decimal_places=6, default=1)
    runs_whole_batches = models.BooleanField(default=False)
    machines = models.IntegerField(default=1)
    queue_hours = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    wait_hours = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    move_hours = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    transfer_quantity = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    #: of a phantom's operation: its units, which the times are stated for, in one of the order's
    #: or in the whole order; a fraction, exactly
    each = models.TextField(default="1")
    each_per = models.CharField(max_length=10, default=Per.UNIT.value)
    #: how often it was set up; null: not reported yet, or before that was asked. Of an order that
    #: was split, a share of the times that it was before
    times_set_up = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    steps = models.JSONField(default=list)
    #: units beyond its plan that material is released for, in the place of what was lost; below
    #: zero where units came from another order without the loss that the plan has for them
    replenished = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    #: units entering it for the order quantity, unrounded, with those
    entering = models.DecimalField(max_digits=18, decimal_places=6)
    good = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    scrap = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    #: worked on, set aside, and neither good nor lost yet
    rework = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    #: who does it, null: it is done here; the days that he has for it, and when what is out is to
    #: be back, by its shipment or his promise
    supplier = models.ForeignKey(Partner, models.PROTECT, null=True, related_name="+")
    days_out = models.DecimalField(max_digits=18, decimal_places=6, default=0, db_default=0)
    back_at = models.DateTimeField(null=True)
    #: sent to the supplier who does it, also what is back since
    sent = models.DecimalField(max_digits=18, decimal_places=6, default=0, db_default=0)
    #: value of abnormal scrap taken out to expense
    written_off = models.DecimalField(max_digits=18, decimal_places=2, default=0)
    #: when what is left of it runs; null: nothing is left, or not known
    starts_at = models.DateTimeField(null=True)
    ends_at = models.DateTimeField(null=True)
    #: units that it should work on next, of an order that runs
    units_due = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    #: hours of one machine at the standard pace that are left of it, and working days of work from
    #: it to the end of the order
    hours_left = models.DecimalField(max_digits=18, decimal_places=4, default=0)
    days_left = models.DecimalField(max_digits=18, decimal_places=4, default=0)
    #: whether it is worked at, by whom and since when; what it ran since its last report [h]
    working = models.CharField(
        max_length=8,
        blank=True,
        db_default="",
        default="",
        choices=[(w.value, w.name) for w in Working],
    )
    working_since = models.DateTimeField(null=True)
    worked_hours = models.DecimalField(max_digits=18, decimal_places=4, default=0, db_default=0)
    worker = models.ForeignKey("people.Person", models.PROTECT, null=True, related_name="+")
    paused_words = models.CharField(max_length=400, blank=True, default="", db_default="")
    labour_grade = models.ForeignKey("engineering.LabourGrade", models.PROTECT, null=True)
    alternate_centers = ArrayField(models.CharField(max_length=40), default=list)

    class Meta:
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["order", "number"], name="one_operation_per_number")
        ]
        indexes = [
            models.Index(
                fields=["work_center"],
                name="left_by_work_center",
                condition=models.Q(hours_left__gt=0),
            )
        ]

    def __str__(self) -> str:
        return f"{self.number} {self.name}"

    def clock(self) -> Clock:
        """Return how its clock stands."""
        return Clock(Working(self.working), self.working_since, self.worked_hours)

    @property
    def is_finished(self) -> bool:
        """Tell whether nothing more is worked in at it."""
        return self.working == Working.FINISHED

    @property
    def processed(self) -> Decimal:
        """Return the units that it has worked on, each once."""
        return self.good + self.scrap + self.rework

    @property
    def comes_after(self) -> tuple[int, ...] | None:
        """Return what must come before, as the core takes it."""
        return None if self.after is None else tuple(self.after)


class ReworkPlan(models.Model):
    """How pieces that were set aside at an operation are made good: a work of its own, that no standard grants."""

    operation = models.OneToOneField(OrderOperation, models.CASCADE, related_name="rework_plan")
    name = models.CharField(max_length=120)
    work_center = models.ForeignKey("engineering.WorkCenter", models.PROTECT, related_name="+")
    labour_grade = models.ForeignKey("engineering.LabourGrade", models.PROTECT, null=True)
    #: of a piece
    labour_hours = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    machine_hours = models.DecimalField(max_digits=18, decimal_places=6, default=0)

    class Meta:
        ordering = ["pk"]
        indexes = [models.Index(fields=["work_center"], name="rework_by_work_center")]

    def __str__(self) -> str:
        return self.name


class OrderInput(models.Model):
    """One costed input of an order: material, time, a supplier's work or an output; allowed, standard and used."""

    order = models.ForeignKey(Order, models.PROTECT, related_name="inputs")
    operation = models.IntegerField()
    kind = models.CharField(max_length=20, choices=[(k.value, k.value) for k in InputKind])
    item = models.ForeignKey(Item, models.PROTECT, null=True)
    work_center = models.ForeignKey("engineering.WorkCenter", models.PROTECT, null=True)
    supplier = models.ForeignKey(Partner, models.PROTECT, null=True)
    #: of overhead: its code, and what it is charged by; of an extra cost: its element, and ""; of
    #: the standard's hours that this order works elsewhere: their work center, and ""; of work by a
    #: supplier who is not the standard's: his code, and ""
    overhead = models.CharField(max_length=40, blank=True)
    base = models.CharField(max_length=30, blank=True)
    unit = models.CharField(max_length=10)
    #: what `allowed`, and what `standard`, is stated for
    basis = models.CharField(max_length=20, choices=[(b.value, b.value) for b in Basis])
    standard_basis = models.CharField(max_length=20, choices=[(b.value, b.value) for b in Basis])
    issue_rule = models.CharField(max_length=20, blank=True)
    #: by the order's structure, to the digits of the column and as a fraction, exactly
    allowed = models.DecimalField(max_digits=30, decimal_places=18)
    allowed_exactly = models.TextField()
    #: by the standard's structure
    standard = models.DecimalField(max_digits=30, decimal_places=18)
    #: frozen standard cost of one unit, and its split over elements
    price = models.DecimalField(max_digits=18, decimal_places=6)
    split = models.JSONField()
    #: what a supplier asks by the order's structure [EUR/unit]
    agreed_price = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    #: items that may be used in its place: item and ratio
    alternates = models.JSONField(default=list)
    #: mark of the components of the operation that may be exchanged for each other
    mix = models.CharField(max_length=20, blank=True, db_default="")
    #: spent on units that were set aside for rework: nothing is allowed for it
    is_rework = models.BooleanField(default=False)
    #: of what was used in the place of other inputs: each with `times` of it for `per` of this
    stands_for = models.JSONField(default=list)
    #: how much of it is covered by what was used in its place
    stood_in = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    #: of a component of an order that runs: what is still to be issued
    still = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    #: for the whole order, rounded up to the item's step
    need = models.DecimalField(max_digits=18, decimal_places=6)
    used = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    amount = models.DecimalField(max_digits=18, decimal_places=2, default=0)

    class Meta:
        ordering = ["operation", "pk"]
        indexes = [
            models.Index(
                fields=["item"], name="still_wanted_by_item", condition=models.Q(still__gt=0)
            )
        ]

    def __str__(self) -> str:
        return f"{self.operation} {self.kind} {self.item_id or self.work_center_id}"

    @property
    def covered(self) -> Decimal:
        """Return what was used of it, with what was used in its place."""
        return self.used + self.stood_in

    @property
    def still_needed(self) -> Decimal:
        """Return what the order still needs of an item."""
        assert self.item is not None
        return still_needed(self.need, self.covered, self.item.step)

    @property
    def is_worked_elsewhere(self) -> bool:
        """Tell whether the hours are the standard's alone: this order works them at another work center."""
        return self.work_center_id is not None and bool(self.overhead)

    @property
    def is_per_order(self) -> bool:
        """Tell whether it is allowed once per order, not for what is worked on."""
        return self.basis == Basis.ORDER

    @property
    def is_per_good(self) -> bool:
        """Tell whether it is allowed for good units only."""
        return self.basis == Basis.GOOD


class Tranche(models.Model):
    """A part of an order's material that was released: for a range of operations and a partial quantity."""

    order = models.ForeignKey(Order, models.PROTECT, related_name="tranches")
    number = models.IntegerField()
    #: operations whose material it is
    first = models.IntegerField()
    last = models.IntegerField()
    #: of the order's item; and as it was said, in a unit of the item's own
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    unit = models.CharField(max_length=20, blank=True)
    units = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    released_at = models.DateTimeField()

    class Meta:
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["order", "number"], name="one_tranche_per_number"),
            models.CheckConstraint(
                condition=models.Q(quantity__gt=0, last__gte=models.F("first")),
                name="a_tranche_releases_something",
            ),
        ]

    def __str__(self) -> str:
        return f"{self.order_id}.{self.number}"


class TrancheLine(models.Model):
    """What a tranche released of a component."""

    tranche = models.ForeignKey(Tranche, models.CASCADE, related_name="lines")
    input = models.ForeignKey(OrderInput, models.CASCADE, related_name="released")
    quantity = models.DecimalField(max_digits=18, decimal_places=6)

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["tranche", "input"], name="one_line_per_tranche_and_input"
            ),
            models.CheckConstraint(
                condition=models.Q(quantity__gt=0), name="a_tranche_line_is_above_zero"
            ),
        ]

    def __str__(self) -> str:
        return f"{self.tranche_id} {self.input_id} {self.quantity}"


class OrderGrade(models.Model):
    """A grade that an order's output is sorted into: expected by the structure, and received."""

    order = models.ForeignKey(Order, models.PROTECT, related_name="grades")
    item = models.ForeignKey(Item, models.PROTECT, related_name="+")
    share = models.DecimalField(max_digits=18, decimal_places=6)
    #: frozen standard cost of one unit
    price = models.DecimalField(max_digits=18, decimal_places=6)
    received = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    received_value = models.DecimalField(max_digits=18, decimal_places=2, default=0)

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(fields=["order", "item"], name="one_row_per_order_and_grade")
        ]

    def __str__(self) -> str:
        return f"{self.order_id} {self.item_id}"


class OrderDocument(models.Model):
    """A drawing or picture of an order, or of one of its operations."""

    order = models.ForeignKey(Order, models.CASCADE, related_name="documents")
    #: null: of the order as a whole
    operation = models.IntegerField(null=True)
    name = models.CharField(max_length=120)
    kept = models.ForeignKey(KeptFile, models.PROTECT)

    class Meta:
        ordering = ["operation", "name"]
        constraints = [
            models.UniqueConstraint(
                fields=["order", "name"], name="one_document_per_order_and_name"
            )
        ]

    def __str__(self) -> str:
        return self.name


class OrderEvent(models.Model):
    """Something that was done to an order and posted nothing: a change, a hold, a release."""

    order = models.ForeignKey(Order, models.CASCADE, related_name="events")
    entry = models.ForeignKey(
        "commanding.Entry", models.PROTECT, db_constraint=False, related_name="+"
    )

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(fields=["order", "entry"], name="one_event_per_order_and_entry")
        ]

    def __str__(self) -> str:
        return f"{self.order_id} {self.entry_id}"


class OrderSeen(models.Model):
    """Up to which entry a person has seen what happened to an order."""

    order = models.ForeignKey(Order, models.CASCADE, related_name="+")
    person = models.ForeignKey("people.Person", models.CASCADE, related_name="+")
    entry = models.BigIntegerField()

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["order", "person"], name="one_look_per_order_and_person"
            )
        ]

    def __str__(self) -> str:
        return f"{self.order_id} {self.person_id}"


class Standing(models.Model):
    """How an order stands: stored whenever something changes it, and read everywhere."""

    order = models.OneToOneField(Order, models.CASCADE, primary_key=True, related_name="standing")
    #: day that its dates were worked out for
    as_of = models.DateField()
    #: when what is left of it runs; null: nothing is left, or not known
    starts = models.DateField(null=True)
    finishes = models.DateField(null=True)
    #: working days after the due date
    days_late = models.IntegerField(default=0)
    #: first operation with pieces left to work on, in words
    waits_at = models.CharField(max_length=200, blank=True)
    #: of one that is not released: what would stop its release, each with its way out
    blocks = models.JSONField(default=list)
    #: the last day on which anything was done to it
    touched_on = models.DateField(null=True)
    #: a later revision of its structure that is in force; "" if there is none
    newer = models.CharField(max_length=10, blank=True)
    #: what is wrong with it, where it can't be computed
    fault = models.CharField(max_length=400, blank=True)
    wip = models.DecimalField(max_digits=18, decimal_places=2, default=0)
    charged = models.DecimalField(max_digits=18, decimal_places=2, default=0)
    #: what it will have been charged at its completion, as things stand
    forecast = models.DecimalField(max_digits=18, decimal_places=2, default=0, db_default=0)
    variance = models.DecimalField(max_digits=18, decimal_places=2, default=0)
    #: the same by cause
    causes = models.JSONField(default=dict, db_default={})

    class Meta:
        indexes = [models.Index(fields=["as_of"], name="standing_by_day")]

    def __str__(self) -> str:
        return str(self.order_id)


class Outcome(models.Model):
    """What a completed order came to, stored with its completion, its closing and what is charged later."""

    order = models.OneToOneField(Order, models.CASCADE, primary_key=True, related_name="outcome")
    item = models.ForeignKey(Item, models.PROTECT, related_name="+")
    finished_on = models.DateField()
    #: from its release to its completion [days]
    lead_days = models.IntegerField()
    received = models.DecimalField(max_digits=18, decimal_places=6)
    scrap = models.DecimalField(max_digits=18, decimal_places=6)
    #: frozen standard cost of one unit
    standard = models.DecimalField(max_digits=18, decimal_places=6)
    charged = models.DecimalField(max_digits=18, decimal_places=2)
    variance = models.DecimalField(max_digits=18, decimal_places=2)
    #: what it was charged, by element, and its variance, by cause
    elements = models.JSONField()
    causes = models.JSONField()
    #: worked, and allowed by its structure for what was worked on [h]
    labour_hours = models.DecimalField(max_digits=18, decimal_places=4)
    labour_allowed = models.DecimalField(max_digits=18, decimal_places=4)
    machine_hours = models.DecimalField(max_digits=18, decimal_places=4)
    machine_allowed = models.DecimalField(max_digits=18, decimal_places=4)

    class Meta:
        indexes = [
            models.Index(fields=["item", "-finished_on", "-order"], name="outcome_by_item_and_day")
        ]

    def __str__(self) -> str:
        return f"{self.order_id} {self.charged}"


class CauseRow(models.Model):
    """A part of what a finished order varied by: why, where, by what and by whom; unfavourable is positive.

    All of an order add up to its variance, to the cent.
    """

    order = models.ForeignKey(Order, models.CASCADE, related_name="cause_rows")
    #: when the order was finished, and what it made
    finished_on = models.DateField()
    item = models.ForeignKey(Item, models.PROTECT, related_name="+")
    kind = models.CharField(max_length=30)
    operation = models.IntegerField()
    work_center = models.ForeignKey(
        "engineering.WorkCenter", models.PROTECT, null=True, related_name="+"
    )
    #: what was used, or came beside; and of whom it was, or who worked on it
    component = models.ForeignKey(Item, models.PROTECT, null=True, related_name="+")
    supplier = models.ForeignKey(Partner, models.PROTECT, null=True, related_name="+")
    grade = models.ForeignKey(
        "engineering.LabourGrade", models.PROTECT, null=True, related_name="+"
    )
    person = models.ForeignKey("people.Person", models.PROTECT, null=True, related_name="+")
    #: of what was lost: why
    reason = models.CharField(max_length=120, blank=True)
    amount = models.DecimalField(max_digits=18, decimal_places=2)

    class Meta:
        indexes = [models.Index(fields=["finished_on", "kind"], name="cause_row_by_day")]

    def __str__(self) -> str:
        return f"{self.order_id} {self.kind} {self.amount}"


class PlannedNeed(models.Model):
    """What an order that is not released yet will need of an item, and what it would be short of now."""

    order = models.ForeignKey(Order, models.CASCADE, related_name="planned_needs")
    item = models.ForeignKey(Item, models.PROTECT, related_name="+")
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    #: after what runs, and planned orders due before it, have had theirs
    short = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    #: the day on which enough will have come; null: nothing is short, or nobody knows
    comes = models.DateField(null=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["order", "item"], name="one_need_per_order_and_item")
        ]

    def __str__(self) -> str:
        return f"{self.order_id} {self.item_id} {self.quantity}"


class PlannedWork(models.Model):
    """What an operation of an order that is not released yet will load its work center with, and when."""

    order = models.ForeignKey(Order, models.CASCADE, related_name="planned_work")
    number = models.IntegerField()
    work_center = models.ForeignKey("engineering.WorkCenter", models.PROTECT, related_name="+")
    starts_at = models.DateTimeField()
    ends_at = models.DateTimeField()
    #: of one machine at the standard pace
    hours = models.DecimalField(max_digits=18, decimal_places=4)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["order", "number"], name="one_work_per_order_and_number"
            )
        ]

    def __str__(self) -> str:
        return f"{self.order_id}/{self.number} {self.hours}"


class Shortage(models.Model):
    """What an order is short of: less of the item is reserved for it, or promised to it, than it needs."""

    order = models.ForeignKey(Order, models.CASCADE, related_name="shortages")
    item = models.ForeignKey(Item, models.PROTECT, related_name="+")
    quantity = models.DecimalField(max_digits=18, decimal_places=6)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["order", "item"], name="one_shortage_per_order_and_item"
            )
        ]

    def __str__(self) -> str:
        return f"{self.order_id} {self.item_id} {self.quantity}"


class StoredAttention(models.Model):
    """A thing that needs a decision: at an order, or because an item is missing."""

    kind = models.CharField(max_length=20, choices=[(k.value, k.value) for k in Kind])
    order = models.ForeignKey(Order, models.CASCADE, null=True, related_name="attentions")
    item = models.ForeignKey(Item, models.CASCADE, null=True, related_name="+")
    sentence = models.CharField(max_length=600)
    #: how many orders it concerns, and how late the latest is [working days]
    orders = models.IntegerField()
    days = models.IntegerField()
    money = models.DecimalField(max_digits=18, decimal_places=2)
    #: what it costs to leave it
    weight = models.DecimalField(max_digits=24, decimal_places=2)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["kind", "order", "item"],
                name="one_attention_per_cause",
                nulls_distinct=False,
            )
        ]
        indexes = [models.Index(fields=["-weight", "id"], name="attention_by_weight")]

    def __str__(self) -> str:
        return self.sentence
