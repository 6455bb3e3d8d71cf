"""Items, places and reasons."""

from django.db import models
from poietic_core.stock.valuation import Method

from ..commanding.models import Changing


class Item(Changing):
    """Anything with a code that is bought, made, stocked, or delivered as a by-product."""

    class Source(models.TextChoices):
        """Where the item comes from."""

        BUY = "buy"
        MAKE = "make"

    code = models.CharField(max_length=40, unique=True)
    name = models.CharField(max_length=120)
    unit = models.CharField(max_length=10)
    step = models.DecimalField(max_digits=18, decimal_places=6)
    source = models.CharField(max_length=10, choices=Source)
    #: the quantity over which setups and per-order lines are spread
    standard_lot = models.DecimalField(max_digits=18, decimal_places=6, default=1)
    #: price that the standard uses for a bought item [EUR/unit]
    price = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    is_active = models.BooleanField(default=True)

    class Meta:
        ordering = ["code"]
        constraints = [
            models.CheckConstraint(condition=models.Q(step__gt=0), name="item_step_above_zero"),
            models.CheckConstraint(
                condition=models.Q(standard_lot__gt=0), name="item_lot_above_zero"
            ),
        ]

    def __str__(self) -> str:
        return self.code

    @property
    def is_made(self) -> bool:
        """Tell whether production orders make it."""
        return self.source == self.Source.MAKE

    @property
    def method(self) -> Method:
        """Return how its stock is valued: what is made at standard, what is bought at average."""
        return Method.STANDARD if self.is_made else Method.MOVING_AVERAGE


class Place(Changing):
    """Where quantities are: stock of our own, or one of the ends of a movement."""

    class Kind(models.TextChoices):
        """What kind of place it is; only stores and floor hold stock of our own."""

        STORE = "store"
        FLOOR = "floor"
        SUPPLIER = "supplier"
        WIP = "work in process"

    code = models.CharField(max_length=40, unique=True)
    name = models.CharField(max_length=120)
    kind = models.CharField(max_length=20, choices=Kind)

    class Meta:
        ordering = ["code"]

    def __str__(self) -> str:
        return self.code

    @property
    def is_stock(self) -> bool:
        """Tell whether what is here counts as our stock."""
        return self.kind in (self.Kind.STORE, self.Kind.FLOOR)


class Reason(Changing):
    """Why pieces were scrapped."""

    code = models.CharField(max_length=40, unique=True)
    name = models.CharField(max_length=120)

    class Meta:
        ordering = ["code"]

    def __str__(self) -> str:
        return self.code
