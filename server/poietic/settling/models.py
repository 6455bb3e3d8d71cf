"""What runs of late cost walked through; what periods were closed with; who follows up on variances."""

from django.db import models

from ..catalog.models import Item
from ..commanding.models import Changing
from ..engineering.models import WorkCenter
from ..ledger.models import Account, CostObject, Period, Posting, StockLine
from ..orders.models import Order


class ChainRow(models.Model):
    """One row of the chain that a run walked, in its order: what was worth what before, and is now."""

    #: the run's first posting, which stands for it
    posting = models.ForeignKey(Posting, models.PROTECT, related_name="chain")
    #: 0 begins the chain; what is made of an item stands below it
    depth = models.IntegerField()
    item = models.ForeignKey(Item, models.PROTECT, related_name="+")
    #: what it is: a late cost that begins the chain, stock, an order, or an account
    kind = models.CharField(max_length=40)
    #: of a late cost: which, with its receipt
    late_cost = models.ForeignKey("ledger.LateCost", models.PROTECT, null=True, related_name="+")
    cost_object = models.ForeignKey(CostObject, models.PROTECT, null=True, related_name="+")
    operation = models.IntegerField(null=True)
    #: of a delivery: its line
    line = models.ForeignKey(StockLine, models.PROTECT, null=True, related_name="chain")
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    before = models.DecimalField(max_digits=18, decimal_places=2)
    amount = models.DecimalField(max_digits=18, decimal_places=2)
    #: it goes no further
    stays = models.BooleanField()

    class Meta:
        ordering = ["pk"]
        indexes = [
            models.Index(
                fields=["cost_object"],
                name="chain_by_cost_object",
                condition=models.Q(cost_object__isnull=False),
            )
        ]

    def __str__(self) -> str:
        return f"{self.kind} {self.amount}"


class SpendingKind(models.TextChoices):
    """What a work center costs in a period."""

    LABOUR = "labour"
    MACHINE = "machine"
    VARIABLE_OVERHEAD = "variable overhead"
    FIXED_OVERHEAD = "fixed overhead"


class ActualCost(models.Model):
    """What a work center really cost in a month, by kind: payroll, machines, overhead."""

    first = models.DateField()
    work_center = models.ForeignKey(WorkCenter, models.PROTECT, related_name="+")
    kind = models.CharField(max_length=20, choices=SpendingKind)
    posting = models.ForeignKey(Posting, models.PROTECT, related_name="actual_costs")
    amount = models.DecimalField(max_digits=18, decimal_places=2)
    is_taken_back = models.BooleanField(default=False)

    class Meta:
        indexes = [models.Index(fields=["first"], name="actual_cost_by_month")]

    def __str__(self) -> str:
        return f"{self.work_center_id} {self.kind} {self.amount}"


class PeriodWip(models.Model):
    """WIP of an order at an operation when a period was closed."""

    period = models.ForeignKey(Period, models.CASCADE, related_name="wip")
    cost_object = models.ForeignKey(CostObject, models.PROTECT, related_name="+")
    operation = models.IntegerField()
    #: in WIP, and what the standard allows to be there
    charged = models.DecimalField(max_digits=18, decimal_places=2)
    allowed = models.DecimalField(max_digits=18, decimal_places=2)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.cost_object_id}/{self.operation} {self.charged}"


class PeriodSpending(models.Model):
    """What a work center absorbed, cost and was budgeted for when a period was closed, by kind."""

    period = models.ForeignKey(Period, models.CASCADE, related_name="spending")
    work_center = models.ForeignKey(WorkCenter, models.PROTECT, related_name="+")
    kind = models.CharField(max_length=20, choices=SpendingKind)
    absorbed = models.DecimalField(max_digits=18, decimal_places=2)
    #: null: nobody entered it
    actual = models.DecimalField(max_digits=18, decimal_places=2, null=True)
    budget = models.DecimalField(max_digits=18, decimal_places=2, null=True)
    spending = models.DecimalField(max_digits=18, decimal_places=2)
    volume = models.DecimalField(max_digits=18, decimal_places=2)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.work_center_id} {self.kind}"


class FollowUp(Changing):
    """Who looks after a variance of an order, until when, and what was found; seen again with its cause."""

    order = models.ForeignKey(Order, models.CASCADE, related_name="follow_ups")
    #: which cause; "" for all of it
    kind = models.CharField(max_length=30, blank=True)
    note = models.CharField(max_length=400)
    owner = models.ForeignKey("people.Person", models.PROTECT, null=True, related_name="+")
    look_again_on = models.DateField(null=True)
    is_done = models.BooleanField(default=False)

    class Meta:
        ordering = ["-pk"]
        constraints = [
            models.UniqueConstraint(fields=["order", "kind"], name="one_follow_up_per_cause")
        ]

    def __str__(self) -> str:
        return f"{self.order_id} {self.kind}"


class ClosingRule(Changing):
    """Which completed orders the night closes by itself: the one row of it."""

    is_on = models.BooleanField(default=False)
    #: whose variance is no more than this, either way [EUR]
    most = models.DecimalField(max_digits=18, decimal_places=2, default=0)
    #: and that were finished so many days ago
    days = models.IntegerField(default=3)

    class Meta:
        constraints = [
            models.CheckConstraint(condition=models.Q(id=1), name="there_is_one_closing_rule")
        ]

    def __str__(self) -> str:
        return f"{self.most} after {self.days} days"


class AccountCode(Changing):
    """What an account is called in the books outside, for a work center, an item or a group where they differ."""

    account = models.CharField(max_length=40, choices=Account)
    work_center = models.ForeignKey(WorkCenter, models.PROTECT, null=True, related_name="+")
    item = models.ForeignKey(Item, models.PROTECT, null=True, related_name="+")
    item_group = models.CharField(max_length=30, blank=True, db_default="")
    code = models.CharField(max_length=20)

    class Meta:
        ordering = ["account", "pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["account", "work_center", "item", "item_group"],
                name="one_code_per_account",
                nulls_distinct=False,
            ),
            models.CheckConstraint(
                condition=models.Q(item__isnull=True, item_group="")
                | models.Q(work_center__isnull=True, item_group="")
                | models.Q(work_center__isnull=True, item__isnull=True),
                name="an_account_code_is_of_one_thing",
            ),
        ]

    def __str__(self) -> str:
        return self.code
