"""Roll-up and requirements of random structures against a second model, written as plain recursion.

The second model knows nothing of putting phantoms in: it makes an order of the standard lot, walks
into each phantom for the quantity that is needed of it, and adds up what everything costs, in
fractions. Rules: handbook, calculations 2 and 5.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from decimal import Decimal
from fractions import Fraction
from math import ceil

from django.test import SimpleTestCase
from hypothesis import assume, given
from hypothesis import strategies as st
from poietic_core.cost.model import Element
from poietic_core.cost.rates import Rate, Rates, ShopRates
from poietic_core.cost.rollup import ItemFacts, roll_up
from poietic_core.order.need import need_of_item
from poietic_core.structure.basis import Basis, spread
from poietic_core.structure.model import (
    ComponentLine,
    Operation,
    OutputKind,
    OutputLine,
    PaymentBasis,
    Per,
    Structure,
    Subcontract,
)
from poietic_core.structure.phantom import NoRoomForPhantom, PhantomClash, inline
from poietic_core.structure.requirement import entering, quantity_per_unit

D, F = Decimal, Fraction
LABOUR, MACHINE = D(30), D("42.5")
RATES = ShopRates({"W": Rates(labour=LABOUR, machine=Rate.plain(Element.MACHINE, MACHINE))})
PRICES = {"NUT": D("0.07"), "BAR": D("6.5"), "BOX": D(3)}


@dataclass
class Made:
    """What an order takes, added up by the second model."""

    cost: Fraction = field(default_factory=Fraction)
    #: of bought items, unrounded
    taken: dict[str, Fraction] = field(default_factory=dict)


def walk(s: Structure, good: Fraction, phantoms: Mapping[str, Structure], made: Made) -> None:
    """Add what it takes for `good` units to leave a structure, once per order."""
    enter: dict[int, Fraction] = {}
    after = {
        o.number: o.after if o.after is not None else (s.operations[n - 1].number,) if n else ()
        for n, o in enumerate(s.operations)
    }
    for o in reversed(s.operations):
        following = [enter[k] for k, before in after.items() if o.number in before]
        enter[o.number] = (max(following) if following else good) / F(o.yield_share)
    for o in s.operations:
        e = enter[o.number]
        made.cost += F(o.setup_labour_hours) * F(LABOUR) + F(o.setup_machine_hours) * F(MACHINE)
        runs = e / F(o.run_quantity)
        made.cost += runs * (
            F(o.run_labour_hours) * F(LABOUR) + F(o.run_machine_hours) * F(MACHINE)
        )
        if o.subcontract:
            back = o.subcontract.basis is PaymentBasis.RETURNED
            made.cost += F(o.subcontract.price) * (e * F(o.yield_share) if back else e)
    for c in s.components:
        need = F(c.quantity) * F(c.unit_factor) * (1 + F(c.allowance))
        if c.per is Per.UNIT:
            need *= enter.get(c.operation, good) / F(s.batch_quantity)
        if c.item in phantoms:
            walk(phantoms[c.item], need, phantoms, made)
        else:
            made.taken[c.item] = made.taken.get(c.item, F(0)) + need
            made.cost += need * F(PRICES[c.item])
    for out in s.outputs:
        each = F(out.quantity) / F(s.batch_quantity)
        made.cost -= each * enter.get(out.operation, good) * F(out.credit_price)


quantities = st.decimals("0.1", 9, places=1)
hours = st.sampled_from([D(0), D("0.25"), D("0.7")])


@st.composite
def structures(draw: st.DrawFn, item: str, components: list[str], *, is_bare: bool = False) -> Structure:  # fmt: skip
    """Draw a structure of up to three operations, in sequence or joining, that uses some items."""
    ways: dict[int, list[tuple[int, ...] | None]] = {1000: [None], 2000: [None, ()], 3000: [(1000, 2000), (2000,)]}  # fmt: skip
    numbers = [] if is_bare else draw(st.sampled_from([[1000], [1000, 2000, 3000]]))
    operations = tuple(
        Operation(
            number=n,
            name="",
            work_center="W",
            setup_labour_hours=draw(hours),
            setup_machine_hours=draw(hours),
            run_labour_hours=draw(hours),
            run_machine_hours=draw(hours),
            run_quantity=draw(st.sampled_from([D(1), D(3)])),
            yield_share=draw(st.sampled_from([D(1), D("0.95"), D("0.6")])),
            after=(1000, 2000) if n == 3000 else draw(st.sampled_from(ways[n])),
            subcontract=draw(
                st.none()
                | st.builds(
                    Subcontract,
                    supplier=st.just("S"),
                    price=quantities,
                    basis=st.sampled_from(PaymentBasis),
                )
            ),
        )
        for n in numbers
    )
    at = st.sampled_from(numbers or [0])
    lines = tuple(
        ComponentLine(
            item=code,
            operation=draw(at),
            quantity=draw(quantities),
            per=draw(st.sampled_from(Per)),
            allowance=draw(st.sampled_from([D(0), D("0.1")])),
            unit_factor=draw(st.sampled_from([D(1), F(1, 3)])),
        )
        for code in components
    )
    outputs = (OutputLine(item="SWARF", operation=draw(at), quantity=draw(quantities), credit_price=D("0.4")),) if draw(st.booleans()) else ()  # fmt: skip
    batch = draw(st.sampled_from([D(1), D(7)]))
    return Structure(item=item, operations=operations, components=lines, outputs=outputs, batch_quantity=batch)  # fmt: skip


@st.composite
def plants(draw: st.DrawFn) -> tuple[Structure, dict[str, Structure]]:
    """Draw a top item over phantoms inside phantoms, some without operations of their own."""
    deep = draw(structures("DEEP", ["NUT"], is_bare=draw(st.booleans())))
    mid = draw(structures("MID", ["DEEP", "BAR"], is_bare=draw(st.booleans())))
    top = draw(structures("TOP", ["MID", "BOX", *draw(st.sampled_from([[], ["NUT"]]))]))
    return top, {"DEEP": deep, "MID": mid}


def facts_of(structure: Structure, lot: Decimal) -> dict[str, ItemFacts]:
    """Return a plant of bought items and one that is made."""
    bought = {
        code: ItemFacts(code=code, unit="pcs", is_made=False, standard_lot=D(1), price=price, structure=None)
        for code, price in PRICES.items()
    }  # fmt: skip
    top = ItemFacts(code=structure.item, unit="pcs", is_made=True, standard_lot=lot, price=None, structure=structure)  # fmt: skip
    return bought | {structure.item: top}


class Random(SimpleTestCase):
    """Both models, digit for digit."""

    @given(plants(), st.sampled_from([D(1), D(10), D("2.5")]))
    def test_a_unit_costs_what_an_order_of_the_standard_lot_takes(
        self, plant: tuple[Structure, dict[str, Structure]], lot: Decimal
    ) -> None:
        top, phantoms = plant
        made = Made()
        walk(top, F(lot), phantoms, made)
        assume(made.cost >= 0)

        rolled = roll_up(facts_of(top, lot), RATES, {}, phantoms)

        why = " ".join(m.sentence() for m in rolled.missing)
        assume("would stand at operation" not in why)  # per unit and per order: refused
        self.assertEqual(why, "")
        off = F(rolled.costs["TOP"].price) - made.cost / F(lot)
        self.assertLessEqual(abs(off), F(1, 1_000_000), f"{float(off)}")

    @given(plants(), st.integers(1, 40))
    def test_an_order_needs_exactly_what_it_takes_rounded_up_once(
        self, plant: tuple[Structure, dict[str, Structure]], good: int
    ) -> None:
        top, phantoms = plant
        made = Made()
        walk(top, F(good), phantoms, made)
        try:
            put_in = inline(top, phantoms).structure
        except (PhantomClash, NoRoomForPhantom):
            assume(False)

        enter = entering(put_in.operations, D(good))
        taken: dict[str, list[tuple[Fraction, Decimal]]] = {}
        for c in put_in.components:
            over = spread(Basis.of(c.per), enter.get(c.operation), operation=c.operation)
            need = need_of_item(quantity_per_unit(c, put_in.batch_quantity), over, step=D(1))
            taken.setdefault(c.item, []).append((F(need.value), D(1)))

        for item, exact in made.taken.items():
            lines = taken[item]
            if len(lines) == 1:
                self.assertEqual(lines[0][0], ceil(exact), item)
            else:  # at several operations each line is rounded up by itself
                self.assertLess(sum(n for n, _ in lines) - exact, len(lines))
                self.assertGreaterEqual(sum(n for n, _ in lines), exact)

    @given(
        structures("MAIN", ["BAR"]),
        st.decimals("0.001", 5, places=3),
        st.decimals("0.1", "0.9", places=1),
        st.sampled_from(Per),
    )
    def test_a_joint_cost_is_divided_without_a_rest(
        self, structure: Structure, quantity: Decimal, share: Decimal, per: Per
    ) -> None:
        """What the main item and its co-product bear is what the process costs without either's split."""
        lot = D(10)
        alone = roll_up(facts_of(structure, lot), RATES)
        assume(not alone.missing and alone.costs["MAIN"].price > 0)
        leaves = structure.operations[-1].number
        ring = OutputLine(
            item="RING", operation=leaves, quantity=quantity, kind=OutputKind.CO_PRODUCT,
            weight=D(1), per=per, batch=D(1),
        )  # fmt: skip
        both = replace(structure, outputs=(*structure.outputs, ring), main_weight=D(1) / share)
        facts = facts_of(both, lot)
        facts["RING"] = replace(facts["MAIN"], code="RING", structure=None)

        rolled = roll_up(facts, RATES)

        each = F(quantity) / (
            F(structure.operations[-1].yield_share) if per is Per.UNIT else F(lot)
        )
        whole = F(rolled.costs["MAIN"].price) + each * F(rolled.costs["RING"].price)
        tolerance = F(1, 1_000_000) * (2 + each)
        self.assertLessEqual(abs(whole - F(alone.costs["MAIN"].price)), tolerance)
