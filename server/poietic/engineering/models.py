"""Work centers, and structures in revisions."""

from datetime import date

from django.conf import settings
from django.contrib.postgres.constraints import ExclusionConstraint
from django.contrib.postgres.fields import ArrayField, RangeOperators
from django.db import models
from django.db.models import Func
from poietic_core.cost.model import Base
from poietic_core.structure.model import OutputKind, PaymentBasis, ShareRule

from ..catalog.models import Item, Partner
from ..commanding.models import Changing


class WorkCalendar(Changing):
    """When work centers work: a weekly pattern of shifts, with exceptions."""

    code = models.CharField(max_length=40, unique=True)
    name = models.CharField(max_length=120)
    zone = models.CharField(max_length=60)

    class Meta:
        ordering = ["code"]

    def __str__(self) -> str:
        return self.code


class SupplierTimes(Changing):
    """When a supplier works, and how long what we send is on its way."""

    supplier = models.OneToOneField(Partner, models.PROTECT, related_name="times")
    #: null: his days are counted round the clock
    calendar = models.ForeignKey(WorkCalendar, models.PROTECT, null=True)
    #: each way
    transport_days = models.DecimalField(max_digits=9, decimal_places=2, default=0)

    class Meta:
        ordering = ["supplier"]

    def __str__(self) -> str:
        return f"{self.supplier_id}"


class ShiftRow(models.Model):
    """One shift of every week, by the wall clock [minute of the day]."""

    calendar = models.ForeignKey(WorkCalendar, models.CASCADE, related_name="shifts")
    weekday = models.IntegerField()
    start = models.IntegerField()
    end = models.IntegerField()

    class Meta:
        ordering = ["weekday", "start"]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(weekday__range=(0, 6), start__range=(0, 1439)),
                name="shift_in_the_week",
            )
        ]

    def __str__(self) -> str:
        return f"{self.weekday} {self.start}-{self.end}"


class DayException(models.Model):
    """Days on which a calendar is closed, or one day's extra shift."""

    calendar = models.ForeignKey(WorkCalendar, models.CASCADE, related_name="exceptions")
    first = models.DateField()
    last = models.DateField()
    #: of an extra shift [minute of the day]; null where the days are closed
    start = models.IntegerField(null=True)
    end = models.IntegerField(null=True)
    why = models.CharField(max_length=120, blank=True)

    class Meta:
        ordering = ["first", "start"]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(last__gte=models.F("first")), name="exception_in_order"
            )
        ]

    def __str__(self) -> str:
        return f"{self.first} {self.why}"


class LabourGrade(Changing):
    """A skill of people, with what an hour of one of them costs."""

    code = models.CharField(max_length=40, unique=True)
    name = models.CharField(max_length=120)
    #: what an hour of overtime costs on top, as a share of the rate
    overtime_premium = models.DecimalField(max_digits=9, decimal_places=6, db_default=0)

    class Meta:
        ordering = ["code"]

    def __str__(self) -> str:
        return self.code


class GradeRate(models.Model):
    """What an hour of a labour grade costs from a day on [EUR/h]."""

    grade = models.ForeignKey(LabourGrade, models.CASCADE, related_name="rates")
    #: null: from the beginning
    effective_from = models.DateField(null=True)
    rate = models.DecimalField(max_digits=18, decimal_places=6)

    class Meta:
        ordering = [models.F("effective_from").asc(nulls_first=True)]
        constraints = [
            models.UniqueConstraint(
                fields=["grade", "effective_from"],
                nulls_distinct=False,
                name="one_rate_per_grade_and_day",
            )
        ]

    def __str__(self) -> str:
        return f"{self.grade_id} {self.rate}"


class WorkCenter(Changing):
    """Where operations run."""

    code = models.CharField(max_length=40, unique=True)
    name = models.CharField(max_length=120)
    #: null: weekdays from 8 to 16
    calendar = models.ForeignKey(WorkCalendar, models.PROTECT, null=True)
    #: interchangeable machines, or people where people set the pace
    machines = models.IntegerField(default=1)
    #: share of the standard pace that is reached
    efficiency = models.DecimalField(max_digits=6, decimal_places=4, default=1)
    #: from when on the variance of orders made here is worth a look: money, and share of what is allowed
    variance_from = models.DecimalField(max_digits=18, decimal_places=2, null=True)
    variance_share = models.DecimalField(max_digits=9, decimal_places=6, null=True)
    #: where its material is brought before use; null: straight into the order
    floor_place = models.ForeignKey("catalog.Place", models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ["code"]

    def __str__(self) -> str:
        return self.code


class WorkCenterRate(models.Model):
    """What an hour at a work center costs from a day on."""

    work_center = models.ForeignKey(WorkCenter, models.CASCADE, related_name="rates")
    #: null: from the beginning
    effective_from = models.DateField(null=True)
    #: of a person, where an operation names no labour grade [EUR/h]
    labour_rate = models.DecimalField(max_digits=18, decimal_places=6)
    #: of the machine hour: name, element, amount [EUR/h] or percent of another layer
    layers = models.JSONField()

    class Meta:
        ordering = [models.F("effective_from").asc(nulls_first=True)]
        constraints = [
            models.UniqueConstraint(
                fields=["work_center", "effective_from"],
                nulls_distinct=False,
                name="one_rate_per_work_center_and_day",
            )
        ]

    def __str__(self) -> str:
        return f"{self.work_center_id} from {self.effective_from}"


class OverheadBudget(Changing):
    """What a kind of overhead may cost in a period, and the capacity that it is spread over."""

    class CapacityBasis(models.TextChoices):
        """Which capacity is meant."""

        PRACTICAL = "practical"
        NORMAL = "normal"

    code = models.CharField(max_length=40)
    name = models.CharField(max_length=120)
    element = models.CharField(max_length=30)
    base = models.CharField(max_length=30, choices=[(b.value, b.value) for b in Base])
    #: null: charged at all work centers
    work_center = models.ForeignKey(WorkCenter, models.PROTECT, null=True)
    effective_from = models.DateField()
    effective_until = models.DateField()
    budget = models.DecimalField(max_digits=18, decimal_places=2)
    #: of the base, in the period
    capacity = models.DecimalField(max_digits=18, decimal_places=6)
    capacity_basis = models.CharField(max_length=12, choices=CapacityBasis)

    class Meta:
        ordering = ["code", "-effective_from"]
        constraints = [
            ExclusionConstraint(
                name="one_budget_per_overhead_and_day",
                expressions=[
                    ("code", RangeOperators.EQUAL),
                    (
                        Func(
                            "effective_from",
                            "effective_until",
                            models.Value("[]"),
                            function="daterange",
                        ),
                        RangeOperators.OVERLAPS,
                    ),
                ],
            )
        ]

    def __str__(self) -> str:
        return self.code


class Revision(Changing):
    """One numbered state of an item's structure."""

    class State(models.TextChoices):
        """Where a revision stands."""

        DRAFT = "draft"
        IN_REVIEW = "in review"
        APPROVED = "approved"
        RETIRED = "retired"
        #: for one line of a customer's order and nothing else: while it is changed, and approved
        OWN_DRAFT = "own draft"
        OWN = "own"

    item = models.ForeignKey(Item, models.PROTECT, related_name="revisions")
    letter = models.CharField(max_length=8)
    state = models.CharField(max_length=10, choices=State)
    batch_quantity = models.DecimalField(max_digits=18, decimal_places=6, default=1)
    share_rule = models.CharField(
        max_length=30,
        choices=[(r.value, r.value) for r in ShareRule],
        default=ShareRule.SALES_VALUE.value,
    )
    main_weight = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    #: item, share and weight of each
    grades = models.JSONField(default=list)
    #: first day in force, and the first day no longer; null: open
    effective_from = models.DateField(null=True)
    effective_to = models.DateField(null=True)
    approved_at = models.DateTimeField(null=True)
    approved_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True)
    note = models.CharField(max_length=400, blank=True)

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(fields=["item", "letter"], name="one_revision_per_letter"),
            ExclusionConstraint(
                name="one_revision_effective_at_any_date",
                expressions=[
                    ("item", RangeOperators.EQUAL),
                    (
                        Func("effective_from", "effective_to", function="daterange"),
                        RangeOperators.OVERLAPS,
                    ),
                ],
                condition=models.Q(state="approved"),
            ),
            models.UniqueConstraint(
                fields=["item"],
                condition=models.Q(state__in=["draft", "in review"]),
                name="one_open_revision_per_item",
            ),
        ]
        indexes = [
            models.Index(fields=["item"], name="graded_revision", condition=~models.Q(grades=[]))
        ]

    def __str__(self) -> str:
        return f"{self.item.code} rev {self.letter}"

    def state_on(self, day: date) -> str:
        """Return the state that counts on a day: what is no longer in force is retired."""
        has_ended = self.effective_to is not None and self.effective_to <= day
        return self.State.RETIRED.value if has_ended else self.state


#: a revision that is not approved yet; an item has one at most
OPEN_STATES = [Revision.State.DRAFT, Revision.State.IN_REVIEW]
#: made for one customer's line: never in force, and no state of the item's own structure
OWN_LETTER = "S"
OWN_STATES = [Revision.State.OWN_DRAFT, Revision.State.OWN]


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
    #: people who attend the machine; null: their hours are stated
    crew = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    labour_grade = models.ForeignKey(LabourGrade, models.PROTECT, null=True)
    #: units that the run hours are stated for
    run_quantity = models.DecimalField(max_digits=18, decimal_places=6, default=1)
    runs_whole_batches = models.BooleanField(default=False)
    machines = models.IntegerField(default=1)
    queue_hours = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    wait_hours = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    move_hours = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    transfer_quantity = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    yield_share = models.DecimalField(max_digits=18, decimal_places=6)
    is_report_point = models.BooleanField()
    #: operations that must come before; null: the one listed before, empty: none
    after = ArrayField(models.IntegerField(), null=True)
    #: codes, in order of preference
    alternate_centers = ArrayField(models.CharField(max_length=40), default=list)
    #: null: done here
    supplier = models.ForeignKey(Partner, models.PROTECT, null=True)
    subcontract_price = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    payment_basis = models.CharField(
        max_length=30, choices=[(b.value, b.value) for b in PaymentBasis], blank=True
    )
    days_out = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    #: kind, text, limits of each instruction step
    steps = models.JSONField(default=list)

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
    #: "" is the stock unit
    unit = models.CharField(max_length=20, blank=True)
    #: what its pieces are measured by, "" if by nothing; sizes [mm]
    measured_by = models.CharField(max_length=10, blank=True)
    length = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    width = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    thickness = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    #: item and ratio of each, in order of preference
    alternates = models.JSONField(default=list)
    #: mark of the components of the operation that may be exchanged for each other
    mix = models.CharField(max_length=20, blank=True, db_default="")
    reference = models.CharField(max_length=80, blank=True)
    effective_from = models.DateField(null=True)
    effective_until = models.DateField(null=True)

    class Meta:
        ordering = ["operation", "position"]

    def __str__(self) -> str:
        return f"{self.quantity} {self.item_id}"


class OutputRow(models.Model):
    """A by-product or co-product line of a revision."""

    revision = models.ForeignKey(Revision, models.CASCADE, related_name="outputs")
    position = models.IntegerField()
    item = models.ForeignKey(Item, models.PROTECT, related_name="by_product_of")
    operation = models.IntegerField()
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    kind = models.CharField(
        max_length=12,
        choices=[(k.value, k.value) for k in OutputKind],
        default=OutputKind.BY_PRODUCT.value,
    )
    credit_price = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    #: of one unit of a co-product, in what the share rule weighs by
    weight = models.DecimalField(max_digits=18, decimal_places=6, default=0)

    class Meta:
        ordering = ["operation", "position"]

    def __str__(self) -> str:
        return f"{self.quantity} {self.item_id}"
