"""What runs of late cost walked through."""

from django.db import models

from ..catalog.models import Item
from ..ledger.models import CostObject, Posting, StockLine


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
