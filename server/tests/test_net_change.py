"""Of a plan what changed is planned again: the same as planning everything, whatever was done since."""

from datetime import timedelta
from typing import Any

from poietic.planning.models import PlanRun, Proposal, Stirred

from .selling_shop import SellingTest
from .test_walks import doing
from .walk import Walk


class NetChange(SellingTest):
    """A plan that is brought up to date, against one of everything beside it."""

    def told(self, run: PlanRun) -> list[list[Any]]:
        """Return all that a run says: proposals that are open, what should move, loads, and what is left out."""
        rows = Proposal.objects.filter(run=run, state="open").order_by("item", "due", "steps")
        return [
            [run.digest, run.proposals, run.late, run.moves, run.told],
            list(rows.values_list("item", "steps", "due", "order_on", "late")),
            sorted(run.advice.values_list("item", "source", "number", "quantity", "on", "to"), key=str),
            list(run.loads.values_list("work_center", "first", "capacity", "ordered", "proposed", "most")),
        ]  # fmt: skip

    def again(self) -> int:
        """Plan what changed, assert that it is the plan of everything, and return how many items that took."""
        said = self.must("plan-changes")
        self.must("try-plan", horizon=60)
        plan, beside = PlanRun.last_plan(), PlanRun.objects.filter(is_what_if=True).first()
        assert plan is not None and beside is not None
        self.assertEqual(self.told(plan), self.told(beside))
        self.assertEqual(said["made"]["plan"], str(plan.pk))
        return int(said["made"]["items netted again"])

    def test_nothing_is_netted_again_where_nothing_changed(self) -> None:
        self.refused("input.invalid", "plan-changes")
        self.ordered()
        self.must("run-plan", horizon=60)
        self.assertEqual(self.again(), 0)

    def test_what_changed_is_netted_with_what_that_changes_below(self) -> None:
        self.ordered()
        self.must("run-plan", horizon=60)
        number = PlanRun.last_plan()
        self.pads("30")
        self.assertEqual(self.again(), 1)  # of pads fewer are to be bought
        self.ordered("5", due=50)
        self.assertEqual(self.again(), 6)  # the cell, all that it is made of, and its swarf
        self.assertEqual(PlanRun.last_plan(), number)

    def test_what_was_decided_stays(self) -> None:
        self.ordered()
        self.must("run-plan", horizon=60)
        made = Proposal.objects.get(item__code="MA-200")
        bought = Proposal.objects.get(item__code="AP-20")
        self.must("decline-proposals", proposals=[bought.pk], reason="From the other works")
        self.must("accept-proposals", proposals=[made.pk])
        self.must("plan-changes")
        self.assertEqual(Proposal.objects.get(pk=made.pk).state, "accepted")
        left = set(Proposal.objects.filter(state="open").values_list("item__code", flat=True))
        self.assertEqual(
            left, {"AP-20", "PAD-3", "CS-01", "SB-06"}, "what the order takes is wanted"
        )

    def test_a_new_structure_and_a_new_policy_change_what_is_below(self) -> None:
        self.ordered()
        self.must("run-plan", horizon=60)
        self.shop.do("change-item", code="MA-200", lead_time_days=9)
        self.assertEqual(self.again(), 6)
        self.shop.do("define-item", code="SHIM", name="Shim", unit="pcs", source="buy")
        self.assertGreaterEqual(self.again(), 1)
        self.shop.do("change-item", code="PAD-3", safety_stock="50")
        self.assertEqual(self.again(), 1)

    def test_a_plan_of_another_day_is_made_anew(self) -> None:
        self.ordered()
        self.must("run-plan", horizon=60)
        PlanRun.objects.update(first_day=self.today - timedelta(days=1))
        self.ordered("3", due=30)
        self.assertNotIn("items netted again", self.must("plan-changes")["made"])
        self.assertEqual(PlanRun.objects.filter(is_what_if=False).count(), 2)
        self.assertEqual(Stirred.objects.count(), 0)
        self.assertEqual(self.again(), 0)

    def test_whatever_is_done_it_is_the_plan_of_everything(self) -> None:
        """A walk through stores, orders and purchases, and customers and forecasts between."""
        self.must("run-plan", horizon=60)
        walk = Walk(doing(self.caller), seed=18)
        netted = []
        for n in range(12):
            walk.go(12)
            customer = self.ordered(str(3 + n), due=10 + 2 * n)
            first, last = self.day(5), self.day(12 + n)
            foreseen = {"item": "MA-200", "first_day": str(first), "last_day": str(last), "quantity": str(9 + n)}  # fmt: skip
            self.must("enter-forecast", forecasts=[foreseen])
            if n % 3 == 0:
                self.must("end-customer-order", customer_order=customer)
            if n % 4 == 1:
                self.must("accept-proposals", proposals=[Proposal.objects.filter(state="open", run__is_what_if=False).latest("pk").pk])  # fmt: skip
            netted.append(self.again())
        self.assertEqual(walk.faults, [])
        self.assertGreater(min(netted), 0)
