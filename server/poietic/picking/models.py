"""Pick lists: what is taken from its places for orders, and where it is brought."""

from decimal import Decimal

from django.conf import settings
from django.db import models
from poietic_core.quantity import ZERO

from ..catalog.models import Item, Place
from ..commanding.models import Changing
from ..ledger.models import Lot, Posting
from ..orders.models import Order, OrderInput, Tranche


class PickList(Changing):
    """What one person takes on one walk, for one order or several."""

    class State(models.TextChoices):
        """How far it has come."""

        OPEN = "open"
        DONE = "done"

    state = models.CharField(max_length=8, choices=State, default=State.OPEN)
    made_at = models.DateTimeField()
    #: who made it
    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True)
    #: its orders' numbers, in words
    words = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["pk"]
        indexes = [
            models.Index(fields=["id"], name="pick_list_open", condition=models.Q(state="open"))
        ]

    def __str__(self) -> str:
        return str(self.pk)


class PickLine(models.Model):
    """A quantity of an item to take at a place for a component of an order."""

    class State(models.TextChoices):
        """What became of it."""

        OPEN = "open"
        PICKED = "picked"
        #: less was there; the rest comes later, or by another line
        SHORT = "short"

    pick_list = models.ForeignKey(PickList, models.PROTECT, related_name="lines")
    order = models.ForeignKey(Order, models.PROTECT, related_name="picks")
    #: the component that it is for; another item stands in its place
    input = models.ForeignKey(OrderInput, models.PROTECT, related_name="picks")
    tranche = models.ForeignKey(Tranche, models.PROTECT, null=True, related_name="picks")
    item = models.ForeignKey(Item, models.PROTECT, related_name="+")
    #: which one to take; null: whichever lies there
    lot = models.ForeignKey(Lot, models.PROTECT, null=True, related_name="+")
    place = models.ForeignKey(Place, models.PROTECT, related_name="+")
    #: where it is to be brought
    target = models.ForeignKey(Place, models.PROTECT, related_name="+")
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    picked = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    state = models.CharField(max_length=8, choices=State, default=State.OPEN)

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(quantity__gt=0, picked__gte=0), name="a_pick_is_above_zero"
            )
        ]

    def __str__(self) -> str:
        return f"{self.pick_list_id} {self.item_id} {self.quantity}"


class PickTake(models.Model):
    """What was taken for a line in one act: which pieces, and where they were put."""

    line = models.ForeignKey(PickLine, models.PROTECT, related_name="takes")
    posting = models.ForeignKey(Posting, models.PROTECT, related_name="+")
    lot = models.ForeignKey(Lot, models.PROTECT, null=True, related_name="+")
    #: where it was taken from, and where it was put
    place = models.ForeignKey(Place, models.PROTECT, related_name="+")
    target = models.ForeignKey(Place, models.PROTECT, related_name="+")
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    #: of it went back to its place
    put_back = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    #: of it was reserved by its lot before it was taken
    kept_by_lot = models.DecimalField(max_digits=18, decimal_places=6, default=0)

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(quantity__gte=models.F("put_back")),
                name="no_more_is_put_back_than_was_taken",
            )
        ]

    def __str__(self) -> str:
        return f"{self.line_id} {self.quantity}"

    def of_lot(self, quantity: Decimal) -> Decimal:
        """Return how much of what goes back next is to be reserved by its lot again."""
        return max(ZERO, min(quantity, self.kept_by_lot - self.put_back))
