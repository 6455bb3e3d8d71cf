"""The graph of operations: against every path of it, and what is said of two structures."""

from dataclasses import replace
from datetime import date
from decimal import Decimal

import networkx as nx
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from poietic_core.derivation import given as stated
from poietic_core.order.report import Progress, due_at, remaining
from poietic_core.quantity import exact
from poietic_core.structure.compare import Status, compare
from poietic_core.structure.flow import Network, Step, equivalent_units
from poietic_core.structure.model import ComponentLine, Operation, OutputLine, Structure
from poietic_core.structure.rules import problems_of


@st.composite
def graphs(draw: st.DrawFn) -> list[Step]:
    """Draw up to six operations that end in one, each after some of those before it."""
    numbers = range(10, 10 + 10 * draw(st.integers(1, 6)), 10)
    shares = st.sampled_from([Decimal(y) for y in ("1", "0.5", "0.8", "0.25")])
    steps: list[Step] = []
    for n in numbers:
        earlier = [s.number for s in steps]
        after = draw(st.sets(st.sampled_from(earlier))) if earlier else set()
        steps.append(Step(number=n, yield_share=draw(shares), after=tuple(sorted(after))))
    loose = {s.number for s in steps[:-1]} - {a for s in steps for a in s.after or ()}
    joined = tuple(sorted({*(steps[-1].after or ()), *loose}))
    return [*steps[:-1], replace(steps[-1], after=joined)]


class Flow(SimpleTestCase):
    """Units through operations that branch and join."""

    def test_many_unreported_operations_in_parallel_are_passed_once_each(self) -> None:
        """40 operations, each after the two before it: 2^39 ways lead through them."""
        numbers = range(10, 410, 10)
        progress = [
            Progress(
                number=n,
                good=Decimal(0),
                scrap=Decimal(0),
                is_report_point=n == 400,
                after=tuple(b for b in (n - 10, n - 20) if b >= 10),
            )
            for n in numbers
        ]

        self.assertEqual(due_at(progress, Decimal(3), Decimal(1)), {400: 3})

    @given(graphs(), st.integers(1, 50))
    def test_entering_is_the_largest_over_all_ways_to_the_end(
        self, steps: list[Step], good: int
    ) -> None:
        """Enumerates all paths with networkx; the shares are dyadic or 0.8, so Decimal is exact enough."""
        graph = nx.DiGraph()
        graph.add_nodes_from(s.number for s in steps)
        graph.add_edges_from((a, s.number) for s in steps for a in s.after or ())
        shares = {s.number: s.yield_share for s in steps}
        end = steps[-1].number

        required = Network(steps).required(stated("good", Decimal(good)))

        for number, entering in required.items():
            ways = nx.all_simple_paths(graph, number, end) if number != end else [[end]]
            needs = [self.along(way, shares, Decimal(good)) for way in ways]
            self.assertAlmostEqual(entering.value, max(needs), places=20)

    @staticmethod
    @exact
    def along(way: list[int], shares: dict[int, Decimal], good: Decimal) -> Decimal:
        """Return what must enter the first operation of a way."""
        for number in way:
            good /= shares[number]
        return good

    @given(graphs(), st.integers(1, 50))
    def test_nothing_done_needs_everything_and_everything_done_needs_nothing(
        self, steps: list[Step], good: int
    ) -> None:
        network = Network(steps)
        required = network.required(stated("good", Decimal(good)))
        begun = [self.progress(s, Decimal(0), Decimal(0)) for s in steps]
        done = [
            self.progress(s, required[s.number].value * s.yield_share, required[s.number].value)
            for s in steps
        ]

        left = remaining(begun, Decimal(good))
        for s in steps:
            self.assertAlmostEqual(left[s.number], required[s.number].value, places=20)
        for units in remaining(done, Decimal(good)).values():
            self.assertAlmostEqual(units, Decimal(0), places=20)
        stand = equivalent_units(
            network,
            standing={o.number: o.good for o in done},
            processed={o.number: o.processed() for o in done},
        )
        self.assertAlmostEqual(stand[10].value, required[10].value, places=15)

    @staticmethod
    def progress(step: Step, good: Decimal, processed: Decimal) -> Progress:
        """Return the progress of an operation."""
        return Progress(
            number=step.number,
            good=good,
            scrap=processed - good,
            is_report_point=True,
            yield_share=step.yield_share,
            after=step.after,
        )

    @given(graphs(), st.lists(st.integers(0, 9), min_size=6, max_size=6))
    def test_what_is_due_never_exceeds_what_was_passed_on(
        self, steps: list[Step], goods: list[int]
    ) -> None:
        network = Network(steps)
        done: dict[int, Decimal] = {}
        for s, good in zip(steps, goods, strict=False):
            passed = [done[b] for b in network.before[s.number]]
            done[s.number] = min([Decimal(good), *passed])
        progress = [self.progress(s, done[s.number], done[s.number]) for s in steps]

        due = due_at(progress, Decimal(20), Decimal(1))

        for s in steps:
            for before in network.before[s.number]:
                self.assertLessEqual(done[s.number] + due[s.number], done[before])


MILL = Operation(number=10, name="Mill", work_center="MILL", run_machine_hours=Decimal("0.25"))
PLATE = ComponentLine(item="PLATE", operation=10, quantity=Decimal(2))
SWARF = OutputLine(item="SWARF", operation=10, quantity=Decimal(1), credit_price=Decimal(1))
CELL = Structure(item="CELL", operations=(MILL,), components=(PLATE,), outputs=(SWARF,))


class Compared(SimpleTestCase):
    """Two structures as one list."""

    def test_the_same_structure_has_no_difference_whatever_its_batch(self) -> None:
        by_ten = replace(
            CELL,
            batch_quantity=Decimal(10),
            components=(replace(PLATE, quantity=Decimal(20)),),
            outputs=(replace(SWARF, quantity=Decimal(10)),),
        )

        for other in (CELL, by_ten):
            self.assertEqual({r.status() for r in compare(CELL, other)}, {Status.SAME})

    def test_each_difference_is_named_in_working_order(self) -> None:
        new = replace(
            CELL,
            operations=(
                replace(MILL, run_machine_hours=Decimal("0.2")),
                Operation(number=20, name="Fit", work_center="ASSY"),
            ),
            components=(
                replace(PLATE, allowance=Decimal("0.1")),
                ComponentLine(item="PAD", operation=20, quantity=Decimal(9)),
            ),
            outputs=(),
        )

        rows = [(r.operation, r.status(), r.changes) for r in compare(CELL, new)]

        self.assertEqual(
            rows,
            [
                (10, Status.CHANGED, ("run_machine_hours",)),
                (10, Status.CHANGED, ("allowance",)),
                (10, Status.REMOVED, ()),
                (20, Status.ADDED, ()),
                (20, Status.ADDED, ()),
            ],
        )
        back = compare(new, CELL)
        self.assertEqual(sum(r.status() is Status.REMOVED for r in back), 2)

    def test_a_line_counts_between_its_days_both_included(self) -> None:
        line = replace(PLATE, effective_from=date(2026, 3, 1), effective_until=date(2026, 3, 31))
        seasonal = replace(CELL, components=(line,))

        counts = [
            len(seasonal.on(date(2026, *day)).components)
            for day in ((2, 28), (3, 1), (3, 31), (4, 1))
        ]

        self.assertEqual(counts, [0, 1, 1, 0])
        self.assertIs(CELL.on(date(2026, 1, 1)), CELL)

    def test_branches_that_never_join_and_orders_that_do_not_exist_are_refused(self) -> None:
        second = replace(MILL, number=20, after=())
        third = replace(MILL, number=30, after=(20, 30))

        told = " ".join(p.why for p in problems_of(replace(CELL, operations=(MILL, second, third))))

        self.assertIn("It ends in several operations: 10, 30.", told)
        self.assertIn("It comes after 30, which is no earlier operation.", told)
        joined = replace(CELL, operations=(MILL, second, replace(third, after=(10, 20))))
        self.assertEqual(problems_of(joined), [])
