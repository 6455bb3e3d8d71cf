"""Items, places and reasons."""

from django.conf import settings
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
    #: of its material, for lines measured by mass [kg/m³]
    density = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    is_active = models.BooleanField(default=True)
    inactive_reason = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["code"]
        indexes = [models.Index(fields=["change"], name="item_by_change")]
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


class ItemUnit(models.Model):
    """A unit of an item's own, such as a box or a sheet, in stock units."""

    item = models.ForeignKey(Item, models.CASCADE, related_name="own_units")
    name = models.CharField(max_length=20)
    quantity = models.DecimalField(max_digits=18, decimal_places=6)

    class Meta:
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(fields=["item", "name"], name="one_size_per_item_and_unit")
        ]

    def __str__(self) -> str:
        return f"{self.name} of {self.item_id}"


class WrittenNote(models.Model):
    """A note that a person wrote on an item or a work center."""

    kind = models.CharField(max_length=20)
    code = models.CharField(max_length=40)
    text = models.CharField(max_length=1000)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True)
    written_at = models.DateTimeField()

    class Meta:
        ordering = ["-written_at", "-pk"]
        indexes = [models.Index(fields=["kind", "code"], name="note_by_thing")]

    def __str__(self) -> str:
        return f"{self.kind} {self.code}"


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
