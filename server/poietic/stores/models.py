"""Counts and transfers between sites, and what was changed of lots."""

from django.db import models

from ..catalog.models import Item, Place
from ..commanding.models import Changing, Entry
from ..ledger.models import Lot


class LotChange(models.Model):
    """One field of a lot that was put right, or another judgement of it."""

    lot = models.ForeignKey(Lot, models.PROTECT, related_name="changes")
    entry = models.ForeignKey(Entry, models.PROTECT, related_name="+")
    field = models.CharField(max_length=20)
    before = models.CharField(max_length=80, blank=True)
    after = models.CharField(max_length=80, blank=True)
    why = models.CharField(max_length=400, blank=True)

    class Meta:
        ordering = ["-pk"]

    def __str__(self) -> str:
        return f"{self.lot_id} {self.field}"


class Transfer(Changing):
    """Material sent from a place of one site to another place; on the way until all came or was given up."""

    from_place = models.ForeignKey(Place, models.PROTECT, related_name="+")
    to_place = models.ForeignKey(Place, models.PROTECT, related_name="+")
    sent_at = models.DateTimeField()
    expected_on = models.DateField(null=True)
    is_on_the_way = models.BooleanField(default=True)
    note = models.CharField(max_length=400, blank=True)

    class Meta:
        ordering = ["pk"]
        indexes = [
            models.Index(
                fields=["id"], name="transfer_on_the_way", condition=models.Q(is_on_the_way=True)
            )
        ]

    def __str__(self) -> str:
        return str(self.pk)


class TransferLine(models.Model):
    """A quantity that was sent, and what became of it."""

    transfer = models.ForeignKey(Transfer, models.PROTECT, related_name="lines")
    item = models.ForeignKey(Item, models.PROTECT, related_name="+")
    lot = models.ForeignKey(Lot, models.PROTECT, null=True, related_name="+")
    quantity = models.DecimalField(max_digits=18, decimal_places=6)
    #: at the other end, or back where it came from
    arrived = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    #: given up as missing
    missing = models.DecimalField(max_digits=18, decimal_places=6, default=0)

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(quantity__gte=models.F("arrived") + models.F("missing")),
                name="no_more_arrives_than_was_sent",
            )
        ]

    def __str__(self) -> str:
        return f"{self.transfer_id} {self.item_id} {self.quantity}"


class Count(Changing):
    """Stock counted at a place, or of an item: opened, counted, posted with its differences."""

    class State(models.TextChoices):
        """How far it has come."""

        OPEN = "open"
        POSTED = "posted"
        DROPPED = "dropped"

    #: what is counted: all at a place, or all of an item
    place = models.ForeignKey(Place, models.PROTECT, null=True, related_name="+")
    item = models.ForeignKey(Item, models.PROTECT, null=True, related_name="+")
    #: who counts is not told what should be there
    is_blind = models.BooleanField(default=True)
    #: share of what should be there by which a count may differ before it is counted again
    tolerance = models.DecimalField(max_digits=18, decimal_places=6)
    state = models.CharField(max_length=8, choices=State, default=State.OPEN)
    opened_at = models.DateTimeField()

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(place__isnull=True) ^ models.Q(item__isnull=True),
                name="a_place_or_an_item_is_counted",
            )
        ]

    def __str__(self) -> str:
        return str(self.pk)


class CountLine(models.Model):
    """What was counted of an item at a place, of a lot where it has one."""

    count = models.ForeignKey(Count, models.PROTECT, related_name="lines")
    item = models.ForeignKey(Item, models.PROTECT, related_name="+")
    place = models.ForeignKey(Place, models.PROTECT, related_name="+")
    lot = models.ForeignKey(Lot, models.PROTECT, null=True, related_name="+")
    #: null: not counted yet
    counted = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    #: what the books said at that moment
    on_hand = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    times = models.IntegerField(default=0)

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["count", "item", "place", "lot"],
                name="one_line_per_count_item_place_and_lot",
                nulls_distinct=False,
            )
        ]

    def __str__(self) -> str:
        return f"{self.count_id} {self.item_id} {self.counted}"
