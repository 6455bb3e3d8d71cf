"""Explosion, low-level codes, cycles, requirements of an order."""

from dataclasses import replace
from decimal import Decimal

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from poietic_core.order.need import need_of_item
from poietic_core.structure.basis import Basis, spread
from poietic_core.structure.explode import (
    CycleFound,
    Graph,
    total_requirements,
    working_order,
)
from poietic_core.structure.lines import Columns, Lines, codes_of
from poietic_core.structure.model import ComponentLine, Operation, OutputLine, Per, Structure
from poietic_core.structure.plant import low_level_codes
from poietic_core.structure.requirement import entering, quantity_per_unit
from poietic_core.structure.rules import problems_of
from poietic_core.units import NoConversion, exact_factor
from scipy.linalg import solve


def graph_of(**parents: str) -> Graph:
    """Return a graph from lines such as A="2 B, 3 C"."""
    return {
        parent: {
            child: Decimal(number) for number, child in (part.split() for part in text.split(", "))
        }
        for parent, text in parents.items()
    }


def whole(totals: dict[str, Decimal]) -> dict[str, int]:
    """Return totals as integers."""
    return {item: int(quantity) for item, quantity in totals.items()}


class PublishedExplosions(SimpleTestCase):
    """Against textbook examples and general libraries."""

    def test_speaker_kit(self) -> None:
        """Heizer & Render, Operations Management, MRP chapter (from memory, recomputed)."""
        kit = graph_of(A="2 B, 3 C", B="2 D, 2 E", C="2 E, 2 F", F="2 D, 1 G")

        totals = whole(total_requirements(kit, {"A": Decimal(50)}))

        self.assertEqual(
            totals, {"A": 50, "B": 100, "C": 150, "D": 800, "E": 500, "F": 300, "G": 300}
        )
        names = sorted(totals)
        at = {name: n for n, name in enumerate(names)}
        lines = [(at[p], at[c]) for p, children in kit.items() for c in children]
        codes = low_level_codes(*np.array(lines, dtype=np.int32).T, len(names))
        self.assertEqual(dict(zip(names, codes.tolist(), strict=True)), {"A": 0, "B": 1, "C": 1, "D": 3, "E": 2, "F": 2, "G": 3})  # fmt: skip

    def test_gozinto_matrix(self) -> None:
        """x = (I − N)⁻¹ d: Vazsonyi, Management Science 1 (1954); the instance is constructed."""
        graph = graph_of(P1="2 S1, 1 S2, 4 R1", P2="1 S1, 3 S2", S1="3 R1, 5 R2", S2="2 S1, 1 R2")
        demand = {"P1": Decimal(10), "P2": Decimal(20), "S1": Decimal(5), "R2": Decimal(7)}

        totals = whole(total_requirements(graph, demand))

        self.assertEqual(totals, {"P1": 10, "P2": 20, "S1": 185, "S2": 70, "R1": 595, "R2": 1002})

    @given(st.integers(2, 9).flatmap(lambda n: st.tuples(
        st.just(n),
        st.lists(st.tuples(st.integers(0, n - 1), st.integers(0, n - 1), st.integers(1, 4)), max_size=20),
        st.lists(st.integers(0, 9), min_size=n, max_size=n),
    )))  # fmt: skip
    def test_level_by_level_agrees_with_scipy(
        self, drawn: tuple[int, list[tuple[int, int, int]], list[int]]
    ) -> None:
        size, lines, demand = drawn
        graph: dict[str, dict[str, Decimal]] = {str(i): {} for i in range(size)}
        for a, b, quantity in lines:
            if a < b:
                graph[str(a)][str(b)] = Decimal(quantity)
        matrix = np.array(
            [[float(graph[str(p)].get(str(c), 0)) for p in range(size)] for c in range(size)]
        )
        reference = solve(np.eye(size) - matrix, np.array(demand, dtype=float))

        totals = total_requirements(graph, {str(i): Decimal(d) for i, d in enumerate(demand)})

        self.assertEqual(
            [float(totals[str(i)]) for i in range(size)], [round(x) for x in reference]
        )

    def test_a_cycle_is_refused_with_its_whole_loop(self) -> None:
        with self.assertRaisesMessage(CycleFound, "A → B → C → A"):
            working_order(graph_of(A="1 B, 1 X", B="2 C", C="1 A"))


class Requirements(SimpleTestCase):
    """What an order needs of its lines."""

    mill = Operation(number=10, name="Mill", work_center="M", yield_share=Decimal("0.95"))
    join = Operation(number=20, name="Assemble", work_center="A")

    def structure(self, line: ComponentLine, *outputs: OutputLine) -> Structure:
        """Return a structure of two operations with one component."""
        return Structure(
            item="CELL", operations=(self.mill, self.join), components=(line,), outputs=outputs
        )

    def need(
        self, line: ComponentLine | OutputLine, structure: Structure, good: int, step: str
    ) -> str:
        """Return the rounded need of a line."""
        enter = entering(structure.operations, Decimal(good))[line.operation]
        need = need_of_item(
            quantity_per_unit(line, structure.batch_quantity),
            spread(Basis.of(line.per), enter, operation=line.operation),
            step=Decimal(step),
        )
        return f"{need.value.normalize():f}"

    def test_need_is_rounded_up_once_at_the_end(self) -> None:
        # by hand: 2.40 × 40 / 0.95 = 101.0526…, in steps of 0.01 kg
        line = ComponentLine(item="PLATE", operation=10, quantity=Decimal("2.40"))

        self.assertEqual(self.need(line, self.structure(line), 40, "0.01"), "101.06")

    def test_allowance_and_yield_multiply_and_the_batch_divides(self) -> None:
        # by hand: 24 per 10 × 1.10 × 40 / 0.95 = 111.157…
        line = ComponentLine(
            item="PLATE", operation=10, quantity=Decimal(24), allowance=Decimal("0.10")
        )
        structure = Structure(
            item="CELL",
            operations=(self.mill, self.join),
            components=(line,),
            batch_quantity=Decimal(10),
        )

        self.assertEqual(self.need(line, structure, 40, "0.001"), "111.158")

    def test_what_a_division_leaves_never_asks_for_one_more(self) -> None:
        """3 ÷ 0.6 is 5, and 5 rounded up is 5 (handbook, calculations 1); 4 ÷ 0.95 × 1.9 is 8."""
        for good, share, each, need in ((1, "0.6", "3", "5"), (4, "0.95", "1.9", "8")):
            line = ComponentLine(item="PLATE", operation=10, quantity=Decimal(each))
            mill = replace(self.mill, yield_share=Decimal(share))
            structure = replace(self.structure(line), operations=(mill, self.join))
            self.assertEqual(self.need(line, structure, good, "1"), need)

    def test_a_unit_that_does_not_divide_evenly_asks_for_no_more_than_it_is(self) -> None:
        """0.45359237 kg of an item kept in pounds is one pound (NIST SP 811, exact)."""
        factor = exact_factor("kg", "lb", item="LEAD", stock_unit="lb")
        line = ComponentLine(
            item="LEAD", operation=20, quantity=Decimal("0.45359237"), unit="kg", unit_factor=factor
        )

        self.assertEqual(self.need(line, self.structure(line), 1, "1"), "1")
        with self.assertRaises(NoConversion):
            exact_factor("box", "pcs", item="X", stock_unit="pcs", own={"box": Decimal(0)})

    def test_a_line_per_order_does_not_grow_with_the_order(self) -> None:
        line = ComponentLine(item="FIXTURE", operation=10, quantity=Decimal(2), per=Per.ORDER)

        self.assertEqual(self.need(line, self.structure(line), 400, "1"), "2")

    def test_a_by_product_falls_from_every_piece_that_enters(self) -> None:
        line = ComponentLine(item="PLATE", operation=10, quantity=Decimal(1))
        swarf = OutputLine(
            item="SWARF", operation=10, quantity=Decimal("1.1"), credit_price=Decimal(1)
        )

        self.assertEqual(self.need(swarf, self.structure(line, swarf), 38, "0.1"), "44")

    def test_yields_of_a_chain_multiply(self) -> None:
        """Rolled yield 0.95 × 0.90 × 0.98 = 0.8379 (handbook, check values)."""
        chain = [
            Operation(number=n, name="", work_center="", yield_share=Decimal(y))
            for n, y in ((10, "0.95"), (20, "0.90"), (30, "0.98"))
        ]

        self.assertEqual(round(1 / entering(chain, Decimal(1))[10].value, 4), Decimal("0.8379"))

    def test_lines_out_of_columns_are_those_that_went_in(self) -> None:
        lines = [
            ComponentLine(
                item=f"C{n % 3}", operation=10 * n, quantity=Decimal(n), reference=f"R{n}"
            )
            for n in range(1, 6)
        ]
        part = Lines(Columns.of(lines), 1, 4)

        self.assertEqual(part, lines[1:4])
        self.assertEqual(list(part), lines[1:4])
        self.assertEqual((part[0], part[-1], part[1:]), (lines[1], lines[3], tuple(lines[2:4])))
        self.assertEqual(codes_of(part), codes_of(lines[1:4]))
        self.assertNotIn(lines[0], part)

    def test_everything_wrong_with_a_structure_is_said_at_once(self) -> None:
        wrong = Structure(
            item="CELL",
            operations=(
                Operation(number=10, name="", work_center="", yield_share=Decimal(2)),
                Operation(number=20, name="", work_center="", is_report_point=False),
            ),
            components=(
                ComponentLine(item="CELL", operation=10, quantity=Decimal(1)),
                ComponentLine(item="PAD", operation=30, quantity=Decimal(0)),
            ),
        )

        places = [p.place for p in problems_of(wrong)]

        self.assertEqual(
            places,
            ["operation:10", "operation:20", "component:CELL", "component:PAD", "component:PAD"],
        )
