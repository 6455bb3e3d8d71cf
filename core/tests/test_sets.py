"""Cost sets: rolled anew, changed, compared, and taken apart; against the roll-up itself."""

from dataclasses import replace
from decimal import Decimal
from typing import Any

import numpy as np
from django.test import SimpleTestCase
from hypothesis import example, given, settings
from hypothesis import strategies as st
from poietic_core.cost.array_costs import array_costs
from poietic_core.cost.arrays import pack
from poietic_core.cost.contributions import contributions, sensitivities
from poietic_core.cost.model import Base, Element, ItemCost, UnitCost
from poietic_core.cost.overhead import OverheadRate
from poietic_core.cost.rates import Rate, Rates, ShopRates
from poietic_core.cost.rollup import ItemFacts, RollUp, roll_up
from poietic_core.cost.screen import merged, screened
from poietic_core.cost.sets import (
    Cause,
    Change,
    ChangeKind,
    ChangeOfNothing,
    CostSet,
    changed,
    differences,
    reroll,
)
from poietic_core.cost.unit import standard_cost, unit_cost
from poietic_core.structure.model import (
    ComponentLine,
    Grade,
    Operation,
    OutputKind,
    OutputLine,
    PaymentBasis,
    Per,
    Structure,
    Subcontract,
)
from scipy.linalg import solve

D = Decimal


def shop(machine: str = "40", labour: str = "24") -> ShopRates:
    """Return the rates of two work centers."""
    rates = Rates(labour=D(labour), machine=Rate.plain(Element.MACHINE, D(machine)))
    return ShopRates({"MILL": rates, "ASSY": Rates(labour=D(32), machine=Rate({}))})


def part(quantity: str = "2", hours: str = "0.25", share: str = "0.95") -> Structure:
    """Return a milled part with a co-product."""
    return Structure(
        item="PART",
        operations=(
            Operation(number=10, name="Mill", work_center="MILL", run_machine_hours=D(hours), run_labour_hours=D(hours), setup_machine_hours=D(1), yield_share=D(share)),
            Operation(number=20, name="Coat", work_center="MILL", subcontract=Subcontract(supplier="COAT", price=D("3.5"))),
        ),
        components=(ComponentLine(item="PLATE", operation=10, quantity=D(quantity)), ComponentLine(item="JIG", operation=10, quantity=D(1), per=Per.ORDER)),
        outputs=(OutputLine(item="RING", operation=10, quantity=D(2), kind=OutputKind.CO_PRODUCT, weight=D(1)), OutputLine(item="SWARF", operation=10, quantity=D("0.5"), credit_price=D("1.2"))),
        main_weight=D(4),
    )  # fmt: skip


CELL = Structure(
    item="CELL",
    operations=(Operation(number=10, name="Fit", work_center="ASSY", run_labour_hours=D("0.5"), yield_share=D("0.9")),),
    components=(ComponentLine(item="PART", operation=10, quantity=D(3)), ComponentLine(item="RING", operation=10, quantity=D(1))),
    grades=(Grade(item="CELL-A", share=D("0.5"), weight=D(3)), Grade(item="CELL-B", share=D("0.5"), weight=D(1))),
)  # fmt: skip


def plant(structure: Structure, plate: str = "6.5", lot: str = "20") -> dict[str, ItemFacts]:
    """Return all items: what is bought, the part with what leaves beside it, the cell with its grades."""

    def item(code: str, **facts: Any) -> ItemFacts:
        known = {"unit": "pcs", "is_made": True, "standard_lot": D(lot), "price": None, "structure": None}  # fmt: skip
        return ItemFacts(code=code, **(known | facts))

    items = [
        item("PLATE", is_made=False, price=D(plate)),
        item("JIG", is_made=False, price=D(15)),
        item("SWARF", is_made=False, price=D("1.2")),
        item("PART", structure=structure),
        item("CELL", structure=CELL, standard_lot=D(5)),
        *(item(code) for code in ("RING", "CELL-A", "CELL-B")),
    ]
    return {i.code: i for i in items}


def rolled(structure: Structure, rates: ShopRates, plate: str = "6.5", lot: str = "20") -> RollUp:
    """Return the whole of it rolled up."""
    found = roll_up(plant(structure, plate, lot), rates)
    assert not found.missing
    return found


def cost_set(found: RollUp) -> CostSet:
    """Return a roll-up as a set."""
    bought = {c: i.cost.total() for c, i in found.costs.items() if not i.is_made}
    return CostSet(found.bases, bought)


BASE = rolled(part(), shop())
ARRAYS = pack(cost_set(BASE).bases, cost_set(BASE).bought)
numbers = st.decimals("0.1", 50, places=2).map(str)


class Sets(SimpleTestCase):
    """A set against the roll-up that it came from."""

    def test_rolled_anew_it_costs_the_same(self) -> None:
        again = reroll(cost_set(BASE)).costs
        self.assertEqual(
            {c: u.total() for c, u in again.items()},
            {c: i.cost.total() for c, i in BASE.costs.items()},
        )

    @settings(max_examples=30)
    @given(price=numbers, machine=numbers, labour=numbers, lot=st.integers(1, 90).map(str))
    def test_a_what_if_is_the_roll_up_of_what_it_says(
        self, price: str, machine: str, labour: str, lot: str
    ) -> None:
        changes = [
            Change(kind=ChangeKind.PRICE, code="PLA*", to=D(price)),
            Change(kind=ChangeKind.MACHINE_RATE, code="MILL", to=D(machine)),
            Change(kind=ChangeKind.LABOUR_RATE, code="MILL", to=D(labour)),
            Change(kind=ChangeKind.LOT, code="PART", to=D(lot)),
        ]
        if_so = reroll(changed(cost_set(BASE), changes)).costs
        truly = rolled(part(), shop(machine, labour), price, lot).costs
        for code in ("PART", "CELL", "RING", "CELL-A"):
            self.assertAlmostEqual(if_so[code].total(), truly[code].cost.total(), places=4)

    @settings(max_examples=40)
    @given(quantity=numbers, price=numbers, batch=st.integers(1, 7), lot=st.integers(1, 90))
    def test_components_one_by_one_cost_what_the_roll_up_summed(
        self, quantity: str, price: str, batch: int, lot: int
    ) -> None:
        handling = OverheadRate(code="HANDLING", element=Element.MATERIAL_OVERHEAD, base=Base.MATERIAL_COST, rate=D("0.08"))  # fmt: skip
        made = part(quantity)
        made = replace(
            made,
            batch_quantity=D(batch),
            components=tuple(replace(c, allowance=D("0.07")) for c in made.components),
        )
        found = rolled(made, replace(shop(), overheads=[handling]), price, str(lot))
        for code, basis in found.bases.items():
            self.assertEqual(unit_cost(basis), found.costs[code].cost, code)
            self.assertEqual(standard_cost(basis).value, found.costs[code].price, code)

    def test_what_leaves_beside_an_item_costs_anew_with_it(self) -> None:
        stale = UnitCost(this_level={Element.SUBCONTRACT: D(9)}, lower_levels={})
        known = BASE.costs | {"RING": ItemCost(cost=stale, is_made=True, unit="pcs")}
        items = {c: i for c, i in plant(part(), "7.5").items() if c in ("PLATE", "PART", "CELL")}
        again = roll_up(items, shop(), known)
        self.assertEqual(again.costs, rolled(part(), shop(), "7.5").costs)

    @settings(max_examples=15)
    @given(price=numbers, machine=numbers, quantity=numbers, hours=numbers, lot=st.integers(1, 90))
    @example(price="49.99", machine="2.63", quantity="1.91", hours="4.32", lot=32)  # an exact half
    def test_causes_add_up_and_each_tells_what_changed(
        self, price: str, machine: str, quantity: str, hours: str, lot: int
    ) -> None:
        other = rolled(part(quantity, hours), shop(machine), price, str(lot))
        found = differences(cost_set(BASE), cost_set(other))
        for code, difference in found.items():
            self.assertEqual(sum(difference.causes.values(), D(0)), difference.amount(), code)
            self.assertEqual(difference.new, other.costs[code].cost, code)
        for code in (
            "CELL",
            "PART",
            "CELL-A",
        ):  # purchased, conversion and credits make up the cost
            whole = sum((c.amount for c in contributions(cost_set(other), code)), D(0))
            self.assertAlmostEqual(whole, other.costs[code].price, delta=D("0.0005"))
        self.assertEqual(found["PLATE"].causes.keys() - {Cause.PRICE}, set())
        only_rate = differences(cost_set(BASE), cost_set(rolled(part(), shop(machine))))
        self.assertLessEqual(only_rate["CELL"].causes.keys(), {Cause.RATE})

    def test_contributions_add_up_to_the_standard(self) -> None:
        for code in ("CELL", "PART", "CELL-A", "CELL-B"):
            parts = contributions(cost_set(BASE), code)
            whole = sum((c.amount for c in parts), D(0))
            self.assertAlmostEqual(whole, BASE.costs[code].cost.total(), places=4)
        plate = next(c for c in contributions(cost_set(BASE), "CELL") if c.code == "PLATE")
        # 2 plates at a yield of 0.95, three parts at a yield of 0.9; by hand
        self.assertAlmostEqual(plate.quantity, D(2) / D("0.95") * 3 / D("0.9"), places=12)
        dearer = changed(
            cost_set(BASE), [Change(kind=ChangeKind.PRICE, code="PLATE", by=D("0.01"))]
        )
        moved = reroll(dearer).costs["CELL"].total() - BASE.costs["CELL"].cost.total()
        # the ring that leaves with the part takes its share of what the plate costs more
        self.assertLess(moved, plate.amount / 100)

    def test_what_a_yield_or_a_lot_moves_is_what_the_roll_up_says(self) -> None:
        def costs(*, share: str = "0.95", lot: str = "20", last: str = "0.995") -> RollUp:
            """Return a cell of three parts, nothing leaving beside them."""
            made = replace(part(share=share), outputs=())
            made = replace(made, operations=(made.operations[0], replace(made.operations[1], yield_share=D(last))))  # fmt: skip
            cell = replace(CELL, grades=(), components=CELL.components[:1])
            facts = (("PLATE", None, D("6.5")), ("JIG", None, D(15)), ("PART", made, None), ("CELL", cell, None))  # fmt: skip
            items = {
                code: ItemFacts(code=code, unit="pcs", is_made=s is not None, standard_lot=D(lot), price=p, structure=s)
                for code, s, p in facts
            }  # fmt: skip
            return roll_up(items, shop())

        now = costs()
        told = {(s.code, s.operation): s.moved for s in sensitivities(cost_set(now), "CELL")}
        self.assertEqual(told.keys(), {("CELL", 10), ("PART", 10), ("PART", 20), ("PART", None)})
        for key, other, sign in (
            (("PART", 10), costs(share="0.9595"), 1),
            (("PART", None), costs(lot="20.2"), 1),
            (("PART", 20), costs(last="0.98505"), -1),
        ):
            moved = sign * (other.costs["CELL"].price - now.costs["CELL"].price)
            self.assertLess(moved, 0)
            self.assertAlmostEqual(told[key], moved, delta=D("0.00001"))

    def test_each_of_many_yields_moves_what_another_roll_up_says(self) -> None:
        """Operations that branch and join, paid on good pieces and on sent ones: each yield, rolled anew."""
        shares = [D("0.9"), D("0.95"), D("0.8"), D("0.995")]
        ways: list[tuple[int, ...]] = [(), (), (10, 20), (30,)]
        operations = tuple(
            Operation(
                number=10 * (n + 1), name="", work_center="MILL", run_machine_hours=D(n + 1), yield_share=share, after=way,
                subcontract=Subcontract(supplier="COAT", price=D(3), basis=PaymentBasis.SENT if n % 2 else PaymentBasis.RETURNED),
            )
            for n, (share, way) in enumerate(zip(shares, ways, strict=True))
        )  # fmt: skip

        def rolled_with(number: int = 0, factor: str = "1") -> RollUp:
            changed = tuple(
                replace(o, yield_share=o.yield_share * D(factor)) if o.number == number else o
                for o in operations
            )
            made = Structure(item="TREE", operations=changed)
            item = ItemFacts(code="TREE", unit="pcs", is_made=True, standard_lot=D(1), price=None, structure=made)  # fmt: skip
            return roll_up({"TREE": item}, shop())

        now = rolled_with()
        told = {s.operation: s.moved for s in sensitivities(cost_set(now), "TREE")}
        for number in (10, 20, 30):
            moved = rolled_with(number, "1.01").costs["TREE"].price - now.costs["TREE"].price
            self.assertAlmostEqual(told[number], moved, delta=D("0.000002"))
        lost = rolled_with(40, "0.99").costs["TREE"].price - now.costs["TREE"].price
        self.assertAlmostEqual(told[40], -lost, delta=D("0.000002"))

    def test_a_change_of_nothing_is_refused(self) -> None:
        for kind in ChangeKind:
            with self.assertRaises(ChangeOfNothing):
                ARRAYS.changed([Change(kind=kind, code="NONE", by=D("0.1"))])

    def test_contributions_equal_the_inverse_matrix_applied_to_direct_costs(self) -> None:
        """(I − Nᵀ)⁻¹ of direct costs, by scipy, with yields and without a co-product."""
        alone = replace(part(), outputs=())
        facts = {
            i: ItemFacts(code=i, unit="pcs", is_made=s is not None, standard_lot=D(1), price=p, structure=s)
            for i, s, p in (("PLATE", None, D("6.5")), ("JIG", None, D(15)), ("PART", alone, None), ("CELL", replace(CELL, grades=(), components=CELL.components[:1]), None))
        }  # fmt: skip
        found = roll_up(facts, shop())
        codes = ["PLATE", "JIG", "PART", "CELL"]
        needs = np.zeros((4, 4))
        needs[2, 0], needs[2, 1], needs[3, 2] = 2 / 0.95, 1, 3 / 0.9
        direct = np.array([6.5, 15, 64 * 0.25 / 0.95 + 40 + 3.5, 16 / 0.9])
        exact = solve(np.eye(4) - needs, direct)
        for code, value in zip(codes, exact, strict=True):
            self.assertAlmostEqual(float(found.costs[code].cost.total()), float(value), places=4)


class Arrays(SimpleTestCase):
    """A set in arrays against the same set in Decimal."""

    def alike(self, old: CostSet, new: CostSet) -> None:
        """Compare costs and causes of all items of two sets, both ways."""
        exact = differences(old, new)
        found = screened(pack(old.bases, old.bought), pack(new.bases, new.bought))
        at = {name: n for n, name in enumerate(found.names.tolist())}
        self.assertEqual(
            exact.keys(), {c for c, n in at.items() if found.old[n] == found.old[n] and found.new[n] == found.new[n]}
        )  # fmt: skip
        for code, difference in exact.items():
            n = at[code]
            self.assertAlmostEqual(found.new[n], float(difference.new.total()), delta=2e-5)
            for k, cause in enumerate(Cause):
                moved = float(difference.causes.get(cause, 0))
                self.assertAlmostEqual(found.causes[n, k], moved, delta=4e-5, msg=f"{code} {cause}")

    @settings(max_examples=25)
    @given(
        price=numbers,
        machine=numbers,
        quantity=numbers,
        share=st.integers(50, 100),
        lot=st.integers(1, 90),
        overhead=st.booleans(),
    )
    def test_they_say_the_same(self, price: str, machine: str, quantity: str, share: int, lot: int, overhead: bool) -> None:  # fmt: skip
        rates = shop(machine)
        if overhead:
            rates = replace(rates, overheads=[OverheadRate(code=b.value, element=Element.FIXED_OVERHEAD, base=b, rate=D("0.3")) for b in Base])  # fmt: skip
        structure = part(quantity, "0.5", str(D(share) / 100))
        self.alike(cost_set(BASE), cost_set(rolled(structure, rates, price, str(lot))))
        self.alike(
            cost_set(rolled(part(), rates)), cost_set(rolled(part(), rates, price, str(lot)))
        )

    def test_an_item_that_was_bought_and_is_made_differs_by_its_structure(self) -> None:
        made = cost_set(BASE)
        bought = CostSet(
            {c: b for c, b in made.bases.items() if c != "PART"},
            {**made.bought, "PART": D(200), "RING": D(3)},
        )
        for old, new in ((made, bought), (bought, made)):
            self.alike(old, new)
            found = differences(old, new)
            self.assertEqual(found["CELL"].causes.keys(), {Cause.STRUCTURE})
            self.assertEqual(found["CELL"].new, reroll(new).costs["CELL"])

    def test_a_what_if_changes_arrays_and_structures_alike(self) -> None:
        changes = [
            Change(kind=ChangeKind.PRICE, code="*", by=D("0.12")),
            Change(kind=ChangeKind.MACHINE_RATE, code="MILL", to=D("41.5")),
            Change(kind=ChangeKind.HOURS, code="MILL", by=D("-0.1")),
            Change(kind=ChangeKind.SUBCONTRACT, code="COAT", to=D(4)),
            Change(kind=ChangeKind.LOT, code="PART", to=D(50)),
        ]
        exact = reroll(changed(cost_set(BASE), changes)).costs
        inputs = ARRAYS.changed(changes)
        for code, cost in zip(inputs.names.tolist(), array_costs(inputs), strict=True):
            if code in exact:
                self.assertAlmostEqual(cost, float(exact[code].total()), delta=2e-5, msg=code)

    def test_sets_of_nothing_and_of_bought_items_alone(self) -> None:
        nothing, bought = CostSet({}, {}), CostSet({}, {"PLATE": D("6.5"), "JIG": D(15)})
        dearer = CostSet({}, {"PLATE": D(7), "NEW": D(1)})
        for old, new in ((nothing, nothing), (nothing, bought), (bought, dearer)):
            self.alike(old, new)
        found = screened(pack(bought.bases, bought.bought), pack(dearer.bases, dearer.bought))
        self.assertEqual(found.names[~np.isnan(found.old - found.new)].tolist(), ["PLATE"])

    def test_some_items_can_take_the_place_of_others(self) -> None:
        other = cost_set(rolled(part("3"), shop("50")))
        of_part = pack({"PART": other.bases["PART"]}, {})
        mixed = CostSet(
            {**cost_set(BASE).bases, "PART": other.bases["PART"]}, cost_set(BASE).bought
        )

        both = merged(ARRAYS, of_part)

        exact = reroll(mixed).costs
        for code, cost in zip(both.names.tolist(), array_costs(both), strict=True):
            if code in exact:
                self.assertAlmostEqual(cost, float(exact[code].total()), delta=2e-5, msg=code)

    def test_they_are_read_as_they_were_written(self) -> None:
        again = type(ARRAYS).from_bytes(ARRAYS.to_bytes())
        np.testing.assert_array_equal(array_costs(again), array_costs(ARRAYS))
