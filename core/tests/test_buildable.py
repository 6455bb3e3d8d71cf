"""How many can be built now: against a textbook, a second model, and linear programming."""

from dataclasses import replace
from decimal import Decimal
from math import ceil, floor

from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from poietic_core.order.need import need_of_item
from poietic_core.planning.buildable import Shelf, can_be_built
from poietic_core.planning.sizing import order_quantity_from
from poietic_core.structure.basis import Basis, spread
from poietic_core.structure.model import ComponentLine, Operation, Per, Structure
from poietic_core.structure.requirement import entering, quantity_per_unit
from scipy.optimize import linprog

D = Decimal
Lines = dict[str, int]


def made(item: str, lines: Lines, *, yield_share: str = "1", per: Per = Per.UNIT) -> Structure:
    """Return a structure with one operation."""
    return Structure(
        item=item,
        batch_quantity=D(1),
        operations=(Operation(number=10, name="Fit", work_center="W", yield_share=D(yield_share)),),
        components=tuple(
            ComponentLine(item=c, operation=10, quantity=D(q), per=per) for c, q in lines.items()
        ),
    )


def shelf(structures: list[Structure], free: Lines, **steps: str) -> Shelf:
    return Shelf(
        structures={s.item: s for s in structures},
        free={item: D(q) for item, q in free.items()},
        steps={item: D(s) for item, s in steps.items()},
    )


#: items A to E; each may be made of those that come after it
plants = st.lists(
    st.lists(st.tuples(st.integers(1, 4), st.integers(0, 3)), max_size=3), min_size=4, max_size=4
).map(
    lambda rows: {
        "ABCD"[n]: {"ABCDE"[min(4, n + ahead)]: q for ahead, q in row if q}
        for n, row in enumerate(rows)
    }
)
stocks = st.dictionaries(st.sampled_from("BCDE"), st.integers(0, 25))


def builds(n: int, plant: dict[str, Lines], stock: Lines, made_items: set[str]) -> bool:
    """Tell whether somebody gets n of A built: takes what is there, makes the rest, level by level."""
    wanted = dict.fromkeys("ABCDE", 0) | {"A": n}
    for item in "ABCDE":
        left = wanted[item] - (min(stock.get(item, 0), wanted[item]) if item != "A" else 0)
        if not left:
            continue
        if item not in made_items:
            return False
        for component, q in plant[item].items():
            wanted[component] += left * q
    return True


class CanBeBuilt(SimpleTestCase):
    """Over all levels, of what is free."""

    def test_the_speaker_kit_the_other_way_round(self) -> None:
        """Heizer & Render (from memory, recomputed): 50 A take 800 D, 500 E and 300 G."""
        kit = [
            made("A", {"B": 2, "C": 3}),
            made("B", {"D": 2, "E": 2}),
            made("C", {"E": 2, "F": 2}),
            made("F", {"D": 2, "G": 1}),
        ]
        exactly = can_be_built("A", shelf(kit, {"D": 800, "E": 500, "G": 300}))
        self.assertEqual(exactly.quantity, 50)
        self.assertEqual({n.item: (n.missing, n.gives) for n in exactly.limits}, {"D": (16, 0), "E": (10, 0), "G": (6, 0)})  # fmt: skip

        short = can_be_built("A", shelf(kit, {"D": 800, "E": 499, "G": 300}))
        self.assertEqual((short.quantity, [(n.item, n.missing, n.gives) for n in short.limits]), (49, [("E", 1, 1)]))  # fmt: skip
        helped = can_be_built("A", shelf(kit, {"B": 10, "D": 800, "E": 500, "G": 300}))
        self.assertEqual(helped.quantity, 50, "F still wants all of G")

    @settings(max_examples=200)
    @given(plants, stocks, st.sets(st.sampled_from("BCD")))
    def test_it_is_what_a_second_model_finds_by_trying_one_after_the_other(
        self, plant: dict[str, Lines], stock: Lines, others: set[str]
    ) -> None:
        made_items = {i for i in {"A", *others} if plant[i]}
        structures = [made(i, plant[i]) for i in made_items]
        if "A" not in made_items or not builds(1, plant, stock, made_items):
            self.assertEqual(can_be_built("A", shelf(structures, stock)).quantity, 0)
            return
        found = can_be_built("A", shelf(structures, stock))
        n = int(found.quantity)

        self.assertTrue(builds(n, plant, stock, made_items))
        self.assertFalse(builds(n + 1, plant, stock, made_items))
        for limit in found.limits:
            self.assertNotIn(limit.item, made_items)
            more = stock | {limit.item: stock.get(limit.item, 0) + 1}
            self.assertTrue(builds(n + int(limit.gives), plant, more, made_items))
            self.assertFalse(builds(n + int(limit.gives) + 1, plant, more, made_items))

    @given(st.lists(st.tuples(st.integers(1, 9), st.integers(0, 99)), min_size=1, max_size=6))
    def test_on_one_level_it_is_the_linear_program(self, rows: list[tuple[int, int]]) -> None:
        """scipy's linprog: the largest n with q n ≤ what is free of each component."""
        names = "BCDEFG"
        lines = {names[k]: q for k, (q, _) in enumerate(rows)}
        free = {names[k]: there for k, (_, there) in enumerate(rows)}
        best = linprog([-1.0], A_ub=[[q] for q, _ in rows], b_ub=[there for _, there in rows])

        found = can_be_built("A", shelf([made("A", lines)], free))

        self.assertEqual(int(found.quantity), floor(-best.fun + 1e-9))

    def test_yield_and_what_is_taken_once_for_the_order_count(self) -> None:
        glass = [made("A", {"B": 1}, yield_share="0.9")]
        self.assertEqual(can_be_built("A", shelf(glass, {"B": 10})).quantity, 9)
        self.assertEqual(can_be_built("A", shelf(glass, {"B": 9})).quantity, 8)
        paint = [made("A", {"B": 2}, per=Per.ORDER)]
        self.assertEqual(can_be_built("A", shelf(paint, {"B": 1})).quantity, 0)
        self.assertEqual(can_be_built("A", shelf(paint, {"B": 2})).limits, ())

    @given(st.integers(1, 60), st.sampled_from(["0.9", "0.95", "1"]), st.integers(1, 7))
    def test_it_needs_what_an_order_of_that_quantity_would_need(
        self, n: int, yield_share: str, each: int
    ) -> None:
        one = made("A", {"B": each}, yield_share=yield_share)
        line = one.components[0]
        over = spread(Basis.of(line.per), entering(one.operations, D(n))[10], operation=10)
        need = need_of_item(quantity_per_unit(line, D(1)), over, step=D(1)).value

        self.assertEqual(shelf([one], {}).missing("A", D(n), {}), {"B": need})
        self.assertEqual(need, ceil(round(n * each / float(yield_share), 9)))

    def test_quantities_come_in_steps_and_what_is_bought_is_not_built(self) -> None:
        cut = [made("A", {"B": 2})]
        self.assertEqual(can_be_built("A", shelf(cut, {"B": 3}, A="0.25")).quantity, D("1.5"))
        self.assertEqual(can_be_built("B", shelf(cut, {"B": 3})).quantity, 0)


class SizeFromLot(SimpleTestCase):
    """A quantity of a component sets the order's, and back."""

    @given(
        st.integers(1, 500),
        st.sampled_from(["0.83", "0.9", "0.95", "1"]),
        st.sampled_from(["1", "1.25", "3", "0.4"]),
        st.sampled_from(["1", "0.5", "0.001"]),
    )
    def test_it_is_covered_and_one_step_more_would_not_be(
        self, available: int, yield_share: str, each: str, step: str
    ) -> None:
        line = ComponentLine(item="B", operation=10, quantity=D(each))
        one = made("A", {"B": 1}, yield_share=yield_share)
        one = replace(one, components=(line,))
        found = order_quantity_from(one, "B", D(available), step=D(1), component_step=D(step))

        def need(n: Decimal) -> Decimal:
            over = spread(Basis.of(line.per), entering(one.operations, n)[10], operation=10)
            return need_of_item(quantity_per_unit(line, D(1)), over, step=D(step)).value

        self.assertTrue(not found or need(found) <= available)
        self.assertGreater(need(found + 1), available)

    def test_a_lot_of_blanks_sizes_an_order_of_mirrors(self) -> None:
        """By hand: 24 blanks by yields of 0.95 and 0.90 are 20.52: twenty mirrors."""
        blank = ComponentLine(item="BLANK", operation=10, quantity=D(1))
        steps = tuple(
            Operation(number=n, name="Work", work_center="W", yield_share=D(y))
            for n, y in ((10, "0.95"), (20, "0.90"))
        )
        mirror = Structure(item="M", batch_quantity=D(1), operations=steps, components=(blank,))
        sized = order_quantity_from(mirror, "BLANK", D(24), step=D(1), component_step=D(1))
        self.assertEqual(sized, 20)
        self.assertEqual(order_quantity_from(mirror, "BLANK", D(1), step=D(1), component_step=D(1)), 0)  # fmt: skip
        self.assertEqual(order_quantity_from(mirror, "PAD", D(9), step=D(1), component_step=D(1)), 0)  # fmt: skip
        self.assertEqual(order_quantity_from(mirror, "BLANK", D(24), step=D(5), component_step=D(1)), 20)  # fmt: skip
