"""States, reports, backflush, and errors that can be relied on."""

import doctest
import importlib
import pickle
import pkgutil
from dataclasses import replace
from decimal import Decimal
from fractions import Fraction
from unittest import TestSuite

import poietic_core
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from poietic_core.order.report import (
    BelowSuccessor,
    BeyondPredecessor,
    NotAReportPoint,
    Progress,
    ReworkPending,
    backflush,
    beyond_plan,
    check_flow,
    due_at,
    most_without_more,
    moved_by,
    require_rework_decided,
    returned_value,
)
from poietic_core.order.states import ALLOWED, Act, OrderState, WrongState, require_state


def load_tests(loader: object, tests: TestSuite, pattern: object) -> TestSuite:
    """Add the examples in the core's docstrings."""
    for module in pkgutil.walk_packages(poietic_core.__path__, "poietic_core."):
        tests.addTests(doctest.DocTestSuite(importlib.import_module(module.name)))
    return tests


def done(number: int, good: int, scrap: int = 0, *, reported: bool = True) -> Progress:
    """Return the progress of an operation."""
    return Progress(
        number=number, good=Decimal(good), scrap=Decimal(scrap), is_report_point=reported
    )


class Reports(SimpleTestCase):
    """What a report may say and what it charges."""

    @given(st.lists(st.integers(1, 9), min_size=1), st.decimals("0.01", 9, places=3))
    def test_backflush_never_drifts_from_the_running_total(
        self, reports: list[int], each: Decimal
    ) -> None:
        units = charged = Decimal(0)
        for quantity in reports:
            units += quantity
            charged += backflush(
                per_unit=each, units_to_date=units, charged_so_far=charged, step=Decimal(1)
            )
            self.assertLessEqual(abs(charged - each * units), Decimal("0.5"))

    def test_ten_reports_of_one_piece_charge_seven(self) -> None:
        """0.7 per piece, ten reports of one: 7, not 10 (handbook, calculations 1)."""
        charged = Decimal(0)
        for n in range(1, 11):
            charged += backflush(
                per_unit=Decimal("0.7"),
                units_to_date=Decimal(n),
                charged_so_far=charged,
                step=Decimal(1),
            )
        self.assertEqual(charged, 7)

    def test_backflush_works_exactly_where_a_quantity_does_not_divide_evenly(self) -> None:
        """One per six: three pieces are a half, and a half is rounded away from zero."""
        due = backflush(
            per_unit=Fraction(1, 6), units_to_date=Decimal(3), charged_so_far=Decimal(0), step=Decimal(1)
        )  # fmt: skip
        self.assertEqual(due, 1)

    def test_who_reports_too_much_is_told_what_is_left(self) -> None:
        """10 passed on, 6 worked on before: of 5 more, 4 are left."""
        before = [done(10, 10), done(20, 6)]
        with self.assertRaisesMessage(BeyondPredecessor, "Report 4 pieces or fewer"):
            check_flow([done(10, 10), done(20, 11)], Decimal(0), before=before)

    def test_an_order_is_completed_when_its_rework_is_decided(self) -> None:
        waiting = replace(done(10, 8), rework_pending=Decimal(2))
        self.assertEqual(waiting.processed(), 10)
        require_rework_decided([done(10, 10)])
        with self.assertRaisesMessage(ReworkPending, "2 pieces wait for rework at operation 10"):
            require_rework_decided([waiting, done(20, 0)])

    def test_no_operation_works_on_more_than_the_one_before_passed_on(self) -> None:
        check_flow([done(10, 5), done(20, 4, 1)], Decimal(4))
        with self.assertRaisesMessage(BeyondPredecessor, "Report 5 pieces or fewer"):
            check_flow([done(10, 5), done(20, 5, 1)], Decimal(0))
        with self.assertRaisesMessage(BelowSuccessor, "Receipt has already taken 5"):
            check_flow([done(10, 5), done(20, 4, 1)], Decimal(5))

    def test_operations_without_a_report_point_move_with_the_next_that_is_one(self) -> None:
        chain = [done(10, 0, reported=False), done(20, 0), done(30, 0, reported=False), done(40, 0)]

        self.assertEqual((moved_by(chain, 20), moved_by(chain, 40)), ([10, 20], [30, 40]))
        with self.assertRaisesMessage(NotAReportPoint, "Report operation 40."):
            moved_by(chain, 30)

    def test_what_is_due_next_counts_yield_scrap_and_what_was_passed_on(self) -> None:
        # 12 wanted, yield 0.95 at 10: 11 good of 13, 5 of them worked on at 20:
        # 7 more needed at 20 but 6 passed on; 1 more good needed from 10: 1 / 0.95 -> 2
        chain = [
            Progress(
                number=10,
                good=Decimal(11),
                scrap=Decimal(2),
                is_report_point=True,
                yield_share=Decimal("0.95"),
            ),
            done(20, 5),
        ]

        self.assertEqual(due_at(chain, Decimal(12), Decimal(1)), {10: 2, 20: 6})

    def test_parallel_operations_join_at_the_scarcer_branch(self) -> None:
        # 10 and 20 in parallel, both before 30 (handbook, calculations 2)
        chain = [done(10, 8), replace(done(20, 5), after=()), replace(done(30, 0), after=(10, 20))]

        self.assertEqual(due_at(chain, Decimal(9), Decimal(1)), {10: 1, 20: 4, 30: 5})
        with self.assertRaisesMessage(BeyondPredecessor, "Operation 20 has passed on 5"):
            check_flow([*chain[:2], replace(chain[2], good=Decimal(6))], Decimal(0))
        hidden = replace(chain[1], is_report_point=False)
        self.assertEqual(moved_by([chain[0], hidden, chain[2]], 30), [20, 30])

    def test_what_is_lost_is_made_again_from_the_first_operation_on(self) -> None:
        # by hand: 8 wanted, planned 8 and 8; 8 good at 10, 5 good and 1 lost at 20:
        # one more enters both; without more, 7 can be made
        chain, planned = [done(10, 8), done(20, 5, 1)], {10: Decimal(8), 20: Decimal(8)}

        self.assertEqual(beyond_plan(chain, Decimal(8), planned, Decimal(1)), {10: 1, 20: 1})
        self.assertEqual(most_without_more(chain, Decimal(8), planned, Decimal(1)), 7)

    def test_a_loss_that_the_yield_expects_takes_no_more(self) -> None:
        # 20 wanted at 0.95: 21.05 enter, and one of 21 is expected to be lost; of two lost one more
        # good is missing, 1 / 0.95 enter; four of 14 lost: 10 are missing, 10 / 0.95 + 14 − 21.05 enter
        def after(good: int, scrap: int) -> list[Progress]:
            return [replace(done(10, good, scrap), yield_share=Decimal("0.95"))]

        planned = {10: Decimal("21.052632")}
        for good, scrap, beyond, most in (
            (0, 0, 0, 20),
            (20, 1, 0, 20),
            (19, 2, 1, 19),
            (10, 4, 4, 16),
        ):
            with self.subTest(good=good, scrap=scrap):
                self.assertEqual(
                    beyond_plan(after(good, scrap), Decimal(20), planned, Decimal(1)), {10: beyond}
                )
                self.assertEqual(
                    most_without_more(after(good, scrap), Decimal(20), planned, Decimal(1)), most
                )

    @given(
        st.lists(st.tuples(st.integers(0, 9), st.integers(0, 4)), min_size=1, max_size=4),
        st.integers(1, 20),
    )
    def test_what_can_be_made_without_more_takes_no_more(
        self, steps: list[tuple[int, int]], ordered: int
    ) -> None:
        passed, chain = ordered, []
        for n, (good, scrap) in enumerate(steps):
            good = min(good, passed)
            chain.append(done(10 * n + 10, good, min(scrap, passed - good)))
            passed = good
        planned = {o.number: Decimal(ordered) for o in chain}
        most = most_without_more(chain, Decimal(ordered), planned, Decimal(1))
        self.assertFalse(any(beyond_plan(chain, most, planned, Decimal(1)).values()))
        if most < ordered:
            self.assertTrue(any(beyond_plan(chain, most + 1, planned, Decimal(1)).values()))

    @given(st.decimals("0.01", 9999, places=2), st.lists(st.integers(1, 9), min_size=1, max_size=8))
    def test_returns_take_back_exactly_what_was_issued(
        self, amount: Decimal, parts: list[int]
    ) -> None:
        issued, left = Decimal(sum(parts)), amount
        for part in parts:
            value = returned_value(issued=issued, amount=left, quantity=Decimal(part))
            issued, left = issued - part, left - value
        self.assertEqual(left, 0)


class States(SimpleTestCase):
    """What may be done when."""

    def test_every_act_outside_its_states_is_refused_with_the_way_out(self) -> None:
        for act in Act:
            for state in OrderState:
                if state in ALLOWED[act]:
                    require_state("1", state, act)
                    continue
                with self.assertRaises(WrongState) as refused:
                    require_state("1", state, act)
                self.assertTrue(refused.exception.explain()["fix"])

    def test_errors_survive_the_way_between_processes(self) -> None:
        error = BeyondPredecessor(20, Decimal(6), 10, Decimal(5), Decimal(5))

        self.assertEqual(str(pickle.loads(pickle.dumps(error))), str(error))
