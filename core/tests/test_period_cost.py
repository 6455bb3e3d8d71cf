"""The actual cost of a period: the published reciprocal example, loops, and a general solver."""

from collections.abc import Mapping
from decimal import Decimal

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from poietic_core.quantity import ZERO
from poietic_core.settle.period_cost import ItemPeriod, period_actuals
from scipy.linalg import solve


def item(key: int, difference: object, consumed: Mapping[int, object], ends: Mapping[str, object], standard: object = 0) -> ItemPeriod:  # fmt: skip
    """Return an item of which all that there was is consumed or ends somewhere."""
    used = {k: Decimal(str(q)) for k, q in consumed.items()}
    there = {k: Decimal(str(q)) for k, q in ends.items()}
    return ItemPeriod(
        item=key,
        quantity=sum((*used.values(), *there.values()), ZERO),
        difference=Decimal(str(difference)),
        consumed=used,
        ends=there,
        standard=Decimal(str(standard)),
    )


class Published(SimpleTestCase):
    """ "Castleford", Horngren, Datar & Rajan, ch. 15 (from memory, recomputed): check values, "Reciprocal method"."""

    def test_the_reciprocal_method(self) -> None:
        maintenance = item(1, 600_000, {2: 20}, {"machining": 30, "assembly": 50})
        systems = item(2, 116_000, {1: 10}, {"machining": 80, "assembly": 10})

        one, other = period_actuals([maintenance, systems])

        self.assertEqual((round(one.difference), round(other.difference)), (624_082, 240_816))
        self.assertEqual(round(one.ends["machining"] + other.ends["machining"]), 379_878)
        self.assertEqual(round(one.ends["assembly"] + other.ends["assembly"]), 336_122)


class ByHand(SimpleTestCase):
    """Two levels: what a component differs by goes where its pieces went."""

    def test_a_difference_goes_with_the_goods(self) -> None:
        # 100 parts cost 50 more; 40 are in stock, 60 went into 20 bodies, of which 15 were sold
        part = item(1, 50, {2: 60}, {"in stock": 40}, standard=2)
        body = item(2, 12, {}, {"in stock": 5, "sold": 15}, standard=9)

        parts, bodies = period_actuals([part, body])

        self.assertEqual(parts.ends, {"in stock": 20})
        self.assertEqual((bodies.own, bodies.brought, bodies.difference), (12, {1: 30}, 42))
        self.assertEqual(bodies.ends, {"in stock": Decimal("10.50"), "sold": Decimal("31.50")})
        self.assertEqual((parts.each, bodies.each), (Decimal("2.5"), Decimal("11.1")))

    def test_what_there_was_none_of_keeps_its_difference(self) -> None:
        (nothing,) = period_actuals([item(1, "-3.21", {}, {})])

        self.assertEqual((nothing.ends, nothing.each), ({"in stock": Decimal("-3.21")}, None))

    def test_what_another_item_consumed_that_is_not_asked_stays_elsewhere(self) -> None:
        (one,) = period_actuals([item(1, 9, {7: 1}, {"sold": 2})])

        self.assertEqual(one.ends, {"sold": 6, "elsewhere": 3})


QUANTITIES = st.integers(0, 50).map(Decimal)


@st.composite
def works(draw: st.DrawFn) -> list[ItemPeriod]:
    """Draw items that consume of each other in any way, loops too; something of each leaves."""
    size = draw(st.integers(1, 7))
    found = []
    for n in range(size):
        consumed = {m: draw(QUANTITIES) for m in range(size) if m != n and draw(st.booleans())}
        ends = {"in stock": draw(st.integers(1, 50).map(Decimal)), "sold": draw(QUANTITIES)}
        cents = draw(st.integers(-10_000_000, 10_000_000))
        found.append(item(n, Decimal(cents).scaleb(-2), consumed, ends))
    return found


class AnyWorks(SimpleTestCase):
    """Whatever is consumed by what."""

    @given(works())
    def test_it_is_what_a_dense_solver_finds_and_nothing_is_lost(self, items: list[ItemPeriod]) -> None:  # fmt: skip
        found = period_actuals(items)

        shares = np.zeros((len(items), len(items)))
        for i in items:
            for user, quantity in i.consumed.items():
                shares[i.item, user] = quantity / i.quantity
        own = np.array([float(i.difference) for i in items])
        dense = solve(np.eye(len(items)) - shares.T, own)
        for actual, expected in zip(found, dense, strict=True):
            self.assertAlmostEqual(float(actual.difference), expected, delta=0.006 + 1e-9 * abs(expected))  # fmt: skip
        left = sum((a for f in found for a in f.ends.values()), ZERO)
        self.assertEqual(left, sum((i.difference for i in items), ZERO))
