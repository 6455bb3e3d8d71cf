"""Frozen standards: complete sets, each row with the basis it was computed from."""

from django.db import models
from poietic_core.cost.model import ItemCost

from ..catalog.models import Item
from ..commanding.models import Changing
from .basis import cost_from_json


class CostSet(Changing):
    """Standards of all items: in force, in preparation, as they were, or as they would be."""

    class State(models.TextChoices):
        """What the set is for."""

        CURRENT = "current"
        NEXT = "next"
        PAST = "past"
        WHAT_IF = "what-if"

    state = models.CharField(max_length=10, choices=State, default=State.PAST)
    name = models.CharField(max_length=120, blank=True)
    #: the day whose prices, rates and structures it was rolled up from
    as_of = models.DateField(null=True)
    #: of a what-if: the set it is made over, and what it changes
    base = models.ForeignKey("self", models.PROTECT, null=True, related_name="what_ifs")
    changes = models.JSONField(default=list)
    #: items that got no standard: what they lack
    missing = models.JSONField(default=list)
    frozen_at = models.DateTimeField()
    #: in force since then, for the last time
    activated_at = models.DateTimeField(null=True)
    note = models.CharField(max_length=400, blank=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["state"],
                condition=models.Q(state__in=["current", "next"]),
                name="one_set_in_force_and_one_next",
            ),
            models.UniqueConstraint(
                fields=["name"],
                condition=models.Q(state="what-if"),
                name="one_what_if_of_a_name",
            ),
        ]

    def __str__(self) -> str:
        return self.name or f"{self.state} {self.frozen_at:%Y-%m-%d %H:%M}"


class Standard(models.Model):
    """The frozen standard of an item; never changed."""

    cost_set = models.ForeignKey(CostSet, models.PROTECT, related_name="standards")
    item = models.ForeignKey(Item, models.PROTECT, related_name="standards")
    total = models.DecimalField(max_digits=18, decimal_places=6)
    #: by element, this level and lower levels
    cost = models.JSONField()
    #: the costed structure it was computed from, as JSON; empty for a bought item. Text,
    #: because nobody asks into it, and a hundred thousand are written at once
    basis = models.TextField(blank=True)
    #: the set in which it was rolled up, whose standards say what the components of its basis
    #: cost; another one than its own where it was kept from one set to the next
    rolled_in = models.ForeignKey(CostSet, models.PROTECT, related_name="rolled")
    #: the item whose basis it is computed in, as a co-product or a grade
    made_with = models.CharField(max_length=40, blank=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["cost_set", "item"], name="one_standard_per_set_and_item"
            )
        ]

    def __str__(self) -> str:
        return f"{self.item_id} {self.total}"

    def as_item_cost(self) -> ItemCost:
        """Return it as the core's cost of a component."""
        return ItemCost(
            cost=cost_from_json(self.cost),
            is_made=bool(self.basis or self.made_with),
            unit=self.item.unit,
        )


class SetArrays(models.Model):
    """A set in arrays, for questions that touch all of it; written with it, and never changed."""

    cost_set = models.OneToOneField(CostSet, models.PROTECT, primary_key=True)
    data = models.BinaryField()

    def __str__(self) -> str:
        return str(self.cost_set_id)
