"""What customers order, what is foreseen, and what was delivered to whom."""

from datetime import date
from decimal import Decimal

from django.db import models

from ..catalog.models import Item, Partner
from ..commanding.models import Changing
from ..engineering.models import Revision
from ..ledger.models import Posting, StockLine


class CustomerOrderState(models.TextChoices):
    """How far a customer's order has come."""

    OFFER = "offer"
    ACCEPTED = "accepted"
    #: nothing more of it leaves
    ENDED = "ended"


class CustomerOrder(Changing):
    """What a customer orders, or is offered: an offer is not yet demand."""

    number = models.IntegerField(unique=True)
    customer = models.ForeignKey(Partner, models.PROTECT, related_name="ordered")
    #: the customer's number of it
    their_number = models.CharField(max_length=40, blank=True)
    state = models.CharField(max_length=10, choices=CustomerOrderState)
    note = models.CharField(max_length=400, blank=True)
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["number"]
        indexes = [models.Index(fields=["state", "number"], name="customer_order_by_state")]

    def __str__(self) -> str:
        return str(self.number)


class CustomerLine(models.Model):
    """A quantity of an item that a customer wants by a day, at a price."""

    order = models.ForeignKey(CustomerOrder, models.PROTECT, related_name="lines")
    number = models.IntegerField()
    item = models.ForeignKey(Item, models.PROTECT, related_name="+")
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    #: of one [EUR]; null: not agreed
    price = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    wanted_on = models.DateField()
    #: what we told the customer; null: nothing yet
    promised_on = models.DateField(null=True)
    #: lower numbers are served first of what is wanted on one day
    priority = models.IntegerField(default=5)
    #: planning counts it
    is_planned = models.BooleanField(default=True)
    #: made to this line's own structure; null: to the standard
    structure = models.OneToOneField(Revision, models.PROTECT, null=True, related_name="line")
    #: of one, by its own structure as it was approved, at the standards of that day [EUR]
    own_cost = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    #: left to the customer, less what came back
    delivered = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    #: of an order that was accepted: still to leave
    open = models.DecimalField(max_digits=18, decimal_places=6, default=0)

    class Meta:
        ordering = ["order", "number"]
        constraints = [
            models.UniqueConstraint(
                fields=["order", "number"], name="one_line_per_number_of_customer_order"
            ),
            models.CheckConstraint(
                condition=models.Q(
                    quantity__gt=0, open__gte=0, delivered__gte=0, priority__range=(1, 9)
                ),
                name="a_customer_line_wants_something",
            ),
        ]
        indexes = [
            models.Index(
                fields=["item", "wanted_on"],
                name="wanted_by_item",
                condition=models.Q(open__gt=0),
            )
        ]

    def __str__(self) -> str:
        return f"{self.order_id}/{self.number}"

    @property
    def due(self) -> date:
        """Return the day that counts: what was promised, else what is wanted."""
        return self.promised_on or self.wanted_on

    def count_open(self, state: str) -> Decimal:
        """Return what is still to leave while its order is in a state."""
        if state != CustomerOrderState.ACCEPTED:
            return Decimal(0)
        return max(Decimal(0), self.quantity - self.delivered)


class Forecast(Changing):
    """What is foreseen to be wanted of an item in a span of days, whoever will want it.

    Orders of customers that are wanted in the span consume it.
    """

    item = models.ForeignKey(Item, models.PROTECT, related_name="+")
    first_day = models.DateField()
    last_day = models.DateField()
    quantity = models.DecimalField(max_digits=18, decimal_places=6)

    class Meta:
        ordering = ["item", "first_day"]
        constraints = [
            models.UniqueConstraint(
                fields=["item", "first_day"], name="one_forecast_per_item_and_first_day"
            ),
            models.CheckConstraint(
                condition=models.Q(quantity__gt=0, last_day__gte=models.F("first_day")),
                name="a_forecast_foresees_something",
            ),
        ]

    def __str__(self) -> str:
        return f"{self.item_id} {self.first_day}"


class Sold(models.Model):
    """A line of a delivery: whose order it was, and what was asked for it."""

    posting = models.ForeignKey(Posting, models.PROTECT, related_name="sold")
    line = models.OneToOneField(StockLine, models.PROTECT, related_name="sold")
    customer = models.ForeignKey(Partner, models.PROTECT, related_name="+")
    customer_order = models.CharField(max_length=40, blank=True)
    customer_line = models.CharField(max_length=20, blank=True)
    #: the line of ours that it was delivered for
    ordered = models.ForeignKey(CustomerLine, models.PROTECT, null=True, related_name="sold")
    #: for all of it [EUR]; null: nothing was said
    price = models.DecimalField(max_digits=18, decimal_places=2, null=True)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.customer_id} {self.customer_order}"
