"""What a bought item costs: the price of a supplier that counts, and of a form by its mass."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from enum import StrEnum

from ..derivation import Derivation, given, product
from ..effectivity import counts_on
from ..quantity import ZERO, exact
from ..units import MeasureIncomplete


@dataclass(frozen=True, slots=True, kw_only=True)
class SupplierPrice:
    """What a supplier asks for one unit, from a quantity on, for a time [money/unit]."""

    supplier: str
    price: Decimal
    from_quantity: Decimal = ZERO
    #: first and last day; None: open
    effective_from: date | None = None
    effective_until: date | None = None

    def is_effective(self, day: date) -> bool:
        """Tell whether the price counts on a day."""
        return counts_on(day, self.effective_from, self.effective_until)


def price_for(
    prices: Sequence[SupplierPrice], quantity: Decimal, day: date
) -> SupplierPrice | None:
    """Return the price that counts for a quantity on a day: the first supplier's with one.

    Of its breaks the highest that the quantity reaches; below all of them the lowest.
    """
    counting = [p for p in prices if p.is_effective(day)]
    own = [p for p in counting if p.supplier == counting[0].supplier]
    own.sort(key=lambda p: p.from_quantity)
    reached = [p for p in own if p.from_quantity <= quantity]
    return reached[-1] if reached else next(iter(own), None)


def next_break(
    prices: Sequence[SupplierPrice], quantity: Decimal, day: date
) -> SupplierPrice | None:
    """Return the first price of the supplier whose price counts that a quantity does not reach yet.

    Source
    ------
    All-units quantity discounts: Heizer & Render, Operations Management, ch. 12.
    """
    now = price_for(prices, quantity, day)
    above = [
        p for p in prices
        if now and p.supplier == now.supplier and p.is_effective(day)
        and p.from_quantity > max(quantity, now.from_quantity)
    ]  # fmt: skip
    return min(above, key=lambda p: p.from_quantity, default=None)


class Form(StrEnum):
    """The shape in which a material is stocked."""

    ROUND_BAR = "round bar"
    FLAT_BAR = "flat bar"
    SHEET = "sheet"
    PLATE = "plate"


#: to 28 digits
PI = Decimal("3.141592653589793238462643383")
MM_TO_M = Decimal("0.001")
#: what of a form one stock unit fixes [mm]: a metre of bar, a square metre of sheet
PER_UNIT = {"m": ("length",), "m²": ("length", "width")}


@dataclass(frozen=True, slots=True, kw_only=True)
class StockForm:
    """A form with its sizes [mm] and density [kg/m³]; of a round bar the thickness is the diameter."""

    form: Form
    length: Decimal | None = None
    width: Decimal | None = None
    thickness: Decimal | None = None
    density: Decimal | None = None


@exact
def mass_of(stock: StockForm, item: str, unit: str) -> Derivation:
    """Return the mass of one stock unit of a form [kg].

    Parameters
    ----------
    form : sizes [mm], density [kg/m³]
    code, unit : of the item, for refusals

    Raises
    ------
    MeasureIncomplete (quantity.measure_incomplete)
        If the density, or a size that the form needs, is missing.

    Source
    ------
    Volume × density; round bar π d² / 4 (geometry).

    Examples
    --------
    >>> steel = StockForm(form=Form.PLATE, thickness=Decimal(1), density=Decimal(7850))
    >>> print(f"{mass_of(steel, 'PL', 'm²').value.normalize():f}")
    7.85
    """
    is_round = stock.form is Form.ROUND_BAR
    names = ["length", "thickness"] if is_round else ["length", "width", "thickness"]
    fixed = dict.fromkeys(PER_UNIT.get(unit, ()), Decimal(1000))
    sizes = {n: fixed.get(n, getattr(stock, n)) for n in names}
    lacks = [n for n, size in (sizes | {"density": stock.density}).items() if not size]
    if lacks or stock.density is None:
        raise MeasureIncomplete(item, stock.form.value, lacks)
    terms = [given(n, size * MM_TO_M, unit="m") for n, size in sizes.items() if size]
    if is_round:
        terms += [terms[-1], given("π / 4", PI / 4)]
    terms.append(given("density", stock.density, unit="kg/m³"))
    return product(f"mass of one {unit} of {item}", terms, unit="kg")
