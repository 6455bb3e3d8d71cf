"""What a planning run proposes: what to make and buy, and which of what exists should come another day."""

from decimal import Decimal

from django.conf import settings
from django.db import models

from ..catalog.models import Item, Site
from ..selling.models import CustomerLine


class PlanRun(models.Model):
    """One run over demand and supply as they were; a what-if stands beside the plan and changes nothing."""

    is_what_if = models.BooleanField()
    #: what it takes for granted instead of what is so, in the words of its command
    assumptions = models.JSONField(default=dict)
    first_day = models.DateField()
    last_day = models.DateField()
    made_at = models.DateTimeField()
    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True)
    #: the change that it was made under: what changed since, it does not know
    change = models.BigIntegerField()
    items = models.IntegerField()
    proposals = models.IntegerField()
    late = models.IntegerField()
    moves = models.IntegerField()
    #: over what was proposed: two runs of the same data have the same
    digest = models.CharField(max_length=64)
    #: what was not planned, in sentences
    told = models.JSONField(default=list)

    class Meta:
        ordering = ["-pk"]

    def __str__(self) -> str:
        return str(self.pk)

    @classmethod
    def last_plan(cls) -> "PlanRun | None":
        """Return the plan that counts: the last that is no what-if."""
        return cls.objects.filter(is_what_if=False).select_related("person").first()


class PlanBasis(models.Model):
    """What the last plan was made of and proposes, as arrays: what changed since is told from it."""

    run = models.OneToOneField(PlanRun, models.CASCADE, related_name="basis")
    #: numpy's archive of arrays
    arrays = models.BinaryField()

    def __str__(self) -> str:
        return str(self.run_id)


class Stirred(models.Model):
    """An item of which demand or supply changed since it was planned: written by the database, as that changes."""

    item = models.BigIntegerField()

    def __str__(self) -> str:
        return str(self.item)


class ProposalState(models.TextChoices):
    """What became of a proposal."""

    OPEN = "open"
    ACCEPTED = "accepted"
    DECLINED = "declined"


class Proposal(models.Model):
    """A quantity of an item to make or to buy by a day."""

    #: a plan is written at once and read as a whole: looking up both ends of each row would take most of its time
    run = models.ForeignKey(PlanRun, models.CASCADE, related_name="rows", db_constraint=False)
    item = models.ForeignKey(Item, models.PROTECT, related_name="+", db_constraint=False)
    #: of the item's smallest quantity
    steps = models.BigIntegerField()
    due = models.DateField()
    #: when it has to be ordered, or begun
    order_on = models.DateField()
    #: working days by which it is too late for that
    late = models.IntegerField()
    state = models.CharField(max_length=10, choices=ProposalState, default=ProposalState.OPEN)
    #: the order that was made of it, or why it was declined
    became = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["pk"]
        indexes = [
            models.Index(fields=["run", "state", "order_on", "id"], name="proposal_by_day"),
            models.Index(fields=["run", "item", "due"], name="proposal_by_item"),
        ]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(steps__gt=0), name="a_proposal_proposes_something"
            )
        ]

    def __str__(self) -> str:
        return f"{self.item_id} {self.steps} {self.due}"

    @property
    def quantity(self) -> Decimal:
        """Return the quantity [unit of the item]."""
        return self.steps * self.item.step


class Advice(models.Model):
    """Something that exists and should come another day; or that nothing wants."""

    run = models.ForeignKey(PlanRun, models.CASCADE, related_name="advice")
    item = models.ForeignKey(Item, models.PROTECT, related_name="+")
    #: production order, purchase order, transfer, and its number
    source = models.CharField(max_length=20)
    number = models.IntegerField()
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    on = models.DateField()
    #: null: nothing wants it
    to = models.DateField(null=True)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.source} {self.number}"


class PlannedTransfer(models.Model):
    """What lies at one site and is wanted at another."""

    run = models.ForeignKey(PlanRun, models.CASCADE, related_name="transfers")
    item = models.ForeignKey(Item, models.PROTECT, related_name="+")
    from_site = models.ForeignKey(Site, models.CASCADE, related_name="+")
    to_site = models.ForeignKey(Site, models.CASCADE, related_name="+")
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    send_on = models.DateField()
    #: when it is wanted there, and by how many working days it is too late for that
    due = models.DateField()
    late = models.IntegerField()

    class Meta:
        ordering = ["send_on", "pk"]

    def __str__(self) -> str:
        return f"{self.item_id} {self.quantity} {self.from_site_id} to {self.to_site_id}"


class EndangeredLine(models.Model):
    """A line of a customer's order that is not there in time by a plan, and what it waits for."""

    run = models.ForeignKey(PlanRun, models.CASCADE, related_name="endangered")
    line = models.ForeignKey(CustomerLine, models.CASCADE, related_name="+")
    #: when it is there; null: nobody knows
    comes = models.DateField(null=True)
    #: the item at the end of the chain that makes it late, how much of it, and what that is of
    cause = models.ForeignKey(Item, models.PROTECT, related_name="+")
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    #: "nothing" where nothing covers it, "" for stock
    source = models.CharField(max_length=20, blank=True)
    number = models.BigIntegerField()
    words = models.CharField(max_length=400, blank=True)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.line_id} {self.comes}"


class PlannedLoad(models.Model):
    """What a run's lots and orders load a work center with in a week, against what it can do [h of one machine]."""

    run = models.ForeignKey(PlanRun, models.CASCADE, related_name="loads")
    work_center = models.ForeignKey("engineering.WorkCenter", models.CASCADE, related_name="+")
    #: its Monday
    first = models.DateField()
    capacity = models.DecimalField(max_digits=18, decimal_places=4)
    ordered = models.DecimalField(max_digits=18, decimal_places=4)
    proposed = models.DecimalField(max_digits=18, decimal_places=4)
    #: items that load it most where it is too much, by code
    most = models.JSONField(default=list)

    class Meta:
        ordering = ["work_center__code", "first"]

    def __str__(self) -> str:
        return f"{self.work_center_id} {self.first}"

    @property
    def over(self) -> Decimal:
        """Return by how many hours it is too much."""
        return max(Decimal(0), self.ordered + self.proposed - self.capacity)


class Declined(models.Model):
    """An item of which nothing is proposed before a day, and why."""

    item = models.OneToOneField(Item, models.CASCADE, related_name="+")
    until = models.DateField()
    reason = models.CharField(max_length=200)

    class Meta:
        ordering = ["until", "pk"]

    def __str__(self) -> str:
        return f"{self.item_id} {self.until}"
