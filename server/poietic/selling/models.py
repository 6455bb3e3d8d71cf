"""What was delivered to whom."""

from django.db import models

from ..catalog.models import Partner
from ..ledger.models import Posting, StockLine


class Sold(models.Model):
    """A line of a delivery: whose order it was, and what was asked for it."""

    posting = models.ForeignKey(Posting, models.PROTECT, related_name="sold")
    line = models.OneToOneField(StockLine, models.PROTECT, related_name="sold")
    customer = models.ForeignKey(Partner, models.PROTECT, related_name="+")
    customer_order = models.CharField(max_length=40, blank=True)
    customer_line = models.CharField(max_length=20, blank=True)
    #: for all of it [EUR]; null: nothing was said
    price = models.DecimalField(max_digits=18, decimal_places=2, null=True)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.customer_id} {self.customer_order}"
