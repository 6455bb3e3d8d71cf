"""Operations that are started, paused and finished: what the lists say, and what it costs."""

from datetime import timedelta
from decimal import Decimal
from typing import Any

from django.utils import timezone
from poietic.orders.models import OrderOperation

from .test_picking import PickingTest


class WorkingTest(PickingTest):
    """Three cells to be made."""

    def setUp(self) -> None:
        self.number = self.order("3")
        self.at = {"order": self.number, "operation": 10}

    def page(self, operation: int = 10) -> dict[str, Any]:
        rows = self.caller.get(f"orders/{self.number}")["operations"]
        return next(o for o in rows if o["number"] == operation)

    def listed(self) -> list[dict[str, Any]]:
        rows: list[dict[str, Any]] = self.caller.get("work-centers/MILL/list")["rows"]
        return [r for r in rows if r["order"] == self.number]

    def ran_since(self, hours: float) -> None:
        """Let the clock have begun so long ago."""
        begun = timezone.now() - timedelta(hours=hours)
        OrderOperation.objects.filter(order__number=self.number, number=10).update(working_since=begun)  # fmt: skip


class Clocked(WorkingTest):
    """Who works at it, and for how long."""

    def test_it_runs_is_paused_and_goes_on(self) -> None:
        self.must("start-operation", **self.at)
        self.ran_since(1.5)
        self.assertEqual(
            (self.page()["working"], self.page()["worker"]), ("running", "Ines Example")
        )
        self.assertAlmostEqual(Decimal(self.page()["worked_hours"]), Decimal("1.5"), delta=Decimal("0.01"))  # fmt: skip
        row = self.listed()[0]
        self.assertEqual((row["state"], row["worker"]), ("running", "Ines Example"))
        self.must("pause-operation", reason="tool broke", **self.at)
        self.assertEqual((self.listed()[0]["state"], self.page()["paused_words"]), ("paused", "tool broke"))  # fmt: skip
        self.must("start-operation", **self.at)
        self.assertEqual(self.page()["paused_words"], "")
        self.assertGreaterEqual(Decimal(self.page()["worked_hours"]), Decimal("1.49"))

    def test_a_report_takes_what_it_ran_and_the_clock_begins_anew(self) -> None:
        self.must("start-operation", **self.at)
        self.ran_since(2)
        self.must("report", good="1", run_labour_hours="2", **self.at)
        self.assertLess(Decimal(self.page()["worked_hours"]), Decimal("0.1"))
        self.assertEqual(self.page()["working"], "running")

    def test_what_is_so_already_is_refused(self) -> None:
        self.refused("operation.not_running", "pause-operation", **self.at)
        self.must("start-operation", **self.at)
        self.refused("operation.already_so", "start-operation", **self.at)
        self.refused("input.not_found", "start-operation", order=self.number, operation=11)
        planned = self.order("2", release=False)
        self.refused("order.wrong_state", "start-operation", order=planned, operation=10)


class Finished(WorkingTest):
    """Nothing more is worked in."""

    def test_what_is_left_of_its_material_was_used_beyond(self) -> None:
        lines = [{"operation": 20, "item": "PAD-3", "quantity": "27"}]
        self.must("issue-material", order=self.number, lines=lines)
        self.must("report", good="2", **self.at)
        self.must("report", order=self.number, operation=20, good="2")
        before = self.caller.causes(self.number)["usage"]
        self.must("finish-operation", order=self.number, operation=20)
        # nine pads at 0.42 are there beyond what two cells were allowed
        self.assertEqual(self.caller.causes(self.number)["usage"] - before, 9 * Decimal("0.42"))

    def test_it_leaves_the_list_takes_no_report_and_can_go_on(self) -> None:
        self.must("report", good="1", **self.at)
        self.must("finish-operation", **self.at)
        self.assertEqual(self.listed(), [])
        said = self.refused("operation.finished", "report", good="1", **self.at)
        self.assertIn("Start it again", said["fix"])
        self.must("start-operation", **self.at)
        self.must("report", good="1", **self.at)
        self.assertEqual(self.listed()[0]["state"], "running")
