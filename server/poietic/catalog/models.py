"""Items with their prices and documents, partners, places and reasons."""

from django.conf import settings
from django.contrib.postgres.indexes import GinIndex, OpClass
from django.db import models
from django.db.models.functions import Concat, Lower
from poietic_core.cost.prices import Form
from poietic_core.planning.lot_sizing import LotRule
from poietic_core.stock.lots import Tracking
from poietic_core.stock.valuation import Method

from ..commanding.models import Changing


def searched() -> models.GeneratedField:
    """Return a column of what is searched: code and name in small letters."""
    return models.GeneratedField(
        expression=Lower(Concat("code", models.Value(" "), "name")),
        output_field=models.TextField(),
        db_persist=True,
    )


class Partner(Changing):
    """A firm that supplies us or buys from us."""

    code = models.CharField(max_length=40, unique=True)
    name = models.CharField(max_length=120)
    is_supplier = models.BooleanField(default=True)
    is_customer = models.BooleanField(default=False)
    #: as it stands on papers
    address = models.CharField(max_length=400, blank=True, default="", db_default="")
    search = searched()

    class Meta:
        ordering = ["code"]
        indexes = [GinIndex(OpClass("search", name="gin_trgm_ops"), name="partner_by_words")]

    def __str__(self) -> str:
        return self.code


class Item(Changing):
    """Anything with a code that is bought, made, stocked, or delivered as a by-product."""

    class Source(models.TextChoices):
        """Where the item comes from."""

        BUY = "buy"
        MAKE = "make"
        BOTH = "both"

    code = models.CharField(max_length=40, unique=True)
    name = models.CharField(max_length=120)
    unit = models.CharField(max_length=10)
    step = models.DecimalField(max_digits=18, decimal_places=6)
    source = models.CharField(max_length=10, choices=Source)
    #: not replenished on its own: what it is made of passes through to its parent
    is_phantom = models.BooleanField(default=False)
    valuation = models.CharField(
        max_length=20,
        choices=[(m.value, m.value) for m in Method],
        default=Method.MOVING_AVERAGE.value,
    )
    #: how its pieces are told apart
    tracking = models.CharField(
        max_length=10,
        choices=[(t.value, t.value) for t in Tracking],
        default=Tracking.NONE.value,
    )
    #: what a supplier sends waits in quarantine until it is judged
    is_inspected = models.BooleanField(default=False, db_default=False)
    #: how lots or serials are numbered, such as HT-{year}-{number:4}
    number_rule = models.CharField(max_length=60, blank=True)
    #: how much planning makes or buys at once
    lot_rule = models.CharField(
        max_length=30,
        choices=[(r.value, r.value) for r in LotRule],
        default=LotRule.LOT_FOR_LOT.value,
    )
    #: from ordering to having [working days]
    lead_time_days = models.IntegerField(null=True)
    lot_minimum = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    lot_multiple = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    #: of one order; more is made or bought in several
    lot_maximum = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    #: working days that one lot covers
    lot_days = models.IntegerField(null=True)
    #: of one order, or of setting up once [EUR]; null: the usual
    ordering_cost = models.DecimalField(max_digits=18, decimal_places=2, null=True)
    #: below which stock is not to fall; of a reorder point: that
    safety_stock = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    #: by which share more than ordered may come without a reason
    over_receipt = models.DecimalField(max_digits=9, decimal_places=6, null=True)
    #: and that may be missing: of what is made at its completion without a reason, null: any; of
    #: what is bought without being waited for any longer
    under_receipt = models.DecimalField(max_digits=9, decimal_places=6, null=True)
    #: from when on its orders' variance is worth a look: money, and share of what is allowed
    variance_from = models.DecimalField(max_digits=18, decimal_places=2, null=True)
    variance_share = models.DecimalField(max_digits=9, decimal_places=6, null=True)
    #: the quantity over which setups and per-order lines are spread
    standard_lot = models.DecimalField(max_digits=18, decimal_places=6, default=1)
    #: of a bought item where no supplier's price is known [EUR per `price_per`]
    price = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    #: "kg" where a form is priced by its mass, "" for the stock unit
    price_per = models.CharField(max_length=2, blank=True)
    #: the shape in which it is stocked, "" if none; sizes [mm]
    form = models.CharField(max_length=12, choices=[(f.value, f.value) for f in Form], blank=True)
    form_length = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    form_width = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    form_thickness = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    #: of its material, for lines measured by mass [kg/m³]
    density = models.DecimalField(max_digits=18, decimal_places=6, null=True)
    #: what it belongs to in forecasts and books, such as TELESCOPES; "" if to nothing
    item_group = models.CharField(max_length=30, blank=True, db_default="")
    #: Global Trade Item Number, with its check digit; "" where it has none
    gtin = models.CharField(max_length=14, blank=True, db_default="")
    is_active = models.BooleanField(default=True)
    inactive_reason = models.CharField(max_length=200, blank=True)
    search = searched()

    class Meta:
        ordering = ["code"]
        indexes = [
            models.Index(fields=["change"], name="item_by_change"),
            models.Index(fields=["id"], name="phantom_item", condition=models.Q(is_phantom=True)),
            models.Index(fields=["item_group", "code"], name="item_by_group"),
            GinIndex(OpClass("search", name="gin_trgm_ops"), name="item_by_words"),
            models.Index(OpClass("search", name="text_pattern_ops"), name="item_by_first_words"),
        ]
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
        return self.source != self.Source.BUY

    @property
    def method(self) -> Method:
        """Return how its stock is valued."""
        return Method(self.valuation)


class DatedPrice(models.Model):
    """A price of one unit, from a quantity on, for a time."""

    from_quantity = models.DecimalField(max_digits=18, decimal_places=6, default=0)
    price = models.DecimalField(max_digits=18, decimal_places=6)
    #: first and last day; null: open
    effective_from = models.DateField(null=True)
    effective_until = models.DateField(null=True)

    class Meta:
        abstract = True


class PriceRow(DatedPrice):
    """What a supplier asks for an item."""

    item = models.ForeignKey(Item, models.CASCADE, related_name="prices")
    supplier = models.ForeignKey(Partner, models.PROTECT, related_name="prices")
    #: the first supplier listed is the one that the standard buys from
    position = models.IntegerField()

    class Meta:
        ordering = ["position"]

    def __str__(self) -> str:
        return f"{self.item_id} {self.price}"


class ListPrice(DatedPrice):
    """What we ask for an item."""

    item = models.ForeignKey(Item, models.CASCADE, related_name="list_prices")
    #: null: everybody who has no price of their own
    customer = models.ForeignKey(Partner, models.PROTECT, null=True, related_name="list_prices")
    position = models.IntegerField()

    class Meta:
        ordering = ["position"]

    def __str__(self) -> str:
        return f"{self.item_id} {self.price}"


class KeptFile(models.Model):
    """A drawing or picture as it was brought."""

    name = models.CharField(max_length=120)
    file = models.FileField(upload_to="%Y/%m")
    #: of its content, as it was recognised
    media_type = models.CharField(max_length=60)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True)
    brought_at = models.DateTimeField()

    def __str__(self) -> str:
        return self.name

    @classmethod
    def loose(cls) -> "models.QuerySet[KeptFile]":
        """Return the files that are attached to nothing, whatever apps attach them to."""
        ties = [f.name for f in cls._meta.get_fields() if f.one_to_many]
        return cls.objects.filter(**dict.fromkeys(ties))


class ItemDocument(models.Model):
    """A drawing or picture of an item."""

    item = models.ForeignKey(Item, models.PROTECT, related_name="documents")
    name = models.CharField(max_length=120)
    kept = models.ForeignKey(KeptFile, models.PROTECT)

    class Meta:
        ordering = ["name"]
        indexes = [GinIndex(OpClass(Lower("name"), name="gin_trgm_ops"), name="document_by_words")]
        constraints = [
            models.UniqueConstraint(fields=["item", "name"], name="one_document_per_item_and_name")
        ]

    def __str__(self) -> str:
        return self.name


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
    """A note that a person wrote on an item, a structure or a work center."""

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


class Site(Changing):
    """Where stores and floor places stand together: a works, a warehouse."""

    code = models.CharField(max_length=40, unique=True)
    name = models.CharField(max_length=120)
    #: as it stands on papers
    address = models.CharField(max_length=400, blank=True, default="", db_default="")
    #: how long a transfer to it is on its way [working days]
    transfer_days = models.IntegerField(default=1, db_default=1)

    class Meta:
        ordering = ["code"]

    def __str__(self) -> str:
        return self.code


class Place(Changing):
    """Where quantities are: stock of our own, or one of the ends of a movement."""

    class Kind(models.TextChoices):
        """What kind of place it is; stores, floor and what is on the way hold stock of our own."""

        STORE = "store"
        FLOOR = "floor"
        #: a pallet, a box or a trolley: what lies on it goes where it goes
        CARRIER = "carrier"
        TRANSIT = "on the way"
        SUPPLIER = "supplier"
        CUSTOMER = "customer"
        WIP = "work in process"
        SCRAP = "scrap"
        COUNT = "count difference"
        #: where pieces pass through that go on under another lot
        REGROUPED = "regrouped"

    code = models.CharField(max_length=80, unique=True)
    name = models.CharField(max_length=120)
    kind = models.CharField(max_length=20, choices=Kind)
    #: of stores and floor places; of what is on the way: to which
    site = models.ForeignKey(Site, models.PROTECT, null=True, related_name="places")
    #: of a carrier: the store or floor place where it stands
    stands_at = models.ForeignKey("self", models.PROTECT, null=True, related_name="carriers")
    #: of suppliers and customers: whose; null: nobody's in particular
    partner = models.ForeignKey(Partner, models.PROTECT, null=True, related_name="places")
    #: who walks from place to place goes in this order
    walk_order = models.IntegerField(default=0)
    #: what is scanned there
    scan_code = models.CharField(max_length=80, unique=True)

    class Meta:
        ordering = ["code"]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(kind__in=["store", "floor", "carrier"], site__isnull=False)
                | ~models.Q(kind__in=["store", "floor", "carrier"]),
                name="stock_place_has_its_site",
            ),
            models.CheckConstraint(
                condition=models.Q(kind="carrier") ^ models.Q(stands_at__isnull=True),
                name="a_carrier_stands_somewhere",
            ),
            models.UniqueConstraint(
                fields=["partner", "kind"], name="one_place_per_partner_and_kind"
            ),
        ]

    def __str__(self) -> str:
        return self.code

    @property
    def is_stock(self) -> bool:
        """Tell whether what is here counts as our stock."""
        return self.kind in STOCK_KINDS

    @property
    def is_on_the_floor(self) -> bool:
        """Tell whether what is here stands ready at a work center, by itself or on a carrier."""
        at = self.stands_at or self
        return at.kind == Place.Kind.FLOOR


#: places that things are taken from and put to, and all that hold stock of our own
OWN_KINDS = (Place.Kind.STORE, Place.Kind.FLOOR, Place.Kind.CARRIER)
STOCK_KINDS = (*OWN_KINDS, Place.Kind.TRANSIT)


class Reason(Changing):
    """Why pieces were scrapped, more was issued, an order stands still, or a count was put right."""

    class Use(models.TextChoices):
        """What the reason is given for."""

        SCRAP = "scrap"
        OVER_ISSUE = "over-issue"
        HOLD = "hold"
        ADJUSTMENT = "adjustment"

    code = models.CharField(max_length=40, unique=True)
    name = models.CharField(max_length=120)
    use = models.CharField(max_length=12, choices=Use, default=Use.SCRAP)
    #: of scrap: its cost leaves the order as an expense, where it does not stay and show as yield
    is_written_off = models.BooleanField(default=False)

    class Meta:
        ordering = ["code"]

    def __str__(self) -> str:
        return self.code
