"""Of a plan what changed is planned again: the same as planning everything, whatever was done since."""

from datetime import timedelta
from decimal import Decimal
from typing import Any

from django.test import TestCase
from poietic.demo import mirror_cell
from poietic.planning.models import PlanRun, Proposal, Stirred
from poietic.planning.tasks import plan_at_night

from .client import Caller, make_person
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

    def test_a_works_that_begins_empty_is_planned_as_it_grows(self) -> None:
        self.must("run-plan", horizon=60)
        for code in ("NEW-1", "NEW-2"):
            self.shop.do("define-item", code=code, name=code, unit="pcs", source="buy", lead_time_days=3)  # fmt: skip
        line = {"item": "NEW-2", "quantity": "4", "wanted_on": str(self.day(9))}
        self.must("enter-customer-order", customer="OBS", lines=[line])
        self.assertEqual(self.again(), 2)
        self.assertEqual([(p.item.code, p.steps) for p in Proposal.objects.filter(run=PlanRun.last_plan())], [("NEW-2", 4)])  # fmt: skip

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
        self.assertNotIn("Alternates", str(self.caller.get("plan")["plan"]["told"]))
        line = {"item": "PAD-3", "operation": 10, "quantity": "2", "alternates": [{"item": "SHIM"}]}
        hours = [{"number": 10, "name": "Fit", "work_center": "ASSY", "run_labour_hours": "0.1"}]
        mirror_cell.structure(self.shop, "CS-01", hours, [line])
        self.assertGreater(self.again(), 1)
        self.assertIn("Alternates are not planned with", str(self.caller.get("plan")["plan"]["told"]))  # fmt: skip

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


def plain(quantity: str) -> str:
    """Return a quantity without zeros at its end."""
    return f"{Decimal(quantity).normalize():f}"


class BetweenSites(SellingTest):
    """What lies at one site and is wanted at another."""

    def setUp(self) -> None:
        self.shop.do("define-site", code="HILL", name="Hill works", transfer_days=2)
        self.shop.do("define-place", code="HILL-1", name="Hill store", kind="store", site="HILL")
        self.shop.do("define-place", code="HILL-2", name="Hill shelf", kind="store", site="HILL", walk_order=3)  # fmt: skip

    def sent(self) -> list[tuple[Any, ...]]:
        columns = ("item", "quantity", "from_place", "to_place", "send_on", "there_on", "late")
        rows = self.caller.get("plan/transfers")["rows"]
        return [tuple(plain(r[c]) if c == "quantity" else r[c] for c in columns) for r in rows]

    def wanted_at_the_hill(self, quantity: str, due: int) -> int:
        """Plan an order whose material is taken at the hill."""
        given = {"item": "MA-200", "quantity": quantity, "due": str(self.day(due)), "supply_place": "HILL-1"}  # fmt: skip
        return int(self.must("plan-order", **given)["made"]["order"])

    def test_it_is_sent_in_time_for_when_it_is_wanted_there(self) -> None:
        """Two cells of nine pads each are made at the hill, and 40 pads lie in the main store: 18 go, two days before."""
        self.pads("40")
        order = self.wanted_at_the_hill("2", 20)
        self.must("run-plan", horizon=60)
        needed = self.caller.get(f"orders/{order}")["starts"][:10]
        send = next(n for n in range(30) if str(self.day(n)) == needed) - 2
        self.assertEqual(self.sent(), [("PAD-3", "18", "STORE", "HILL-1", str(self.day(send)), needed, 0)])  # fmt: skip
        lines = [{"item": "PAD-3", "quantity": "18"}]
        self.must("send-transfer", from_place="STORE", to_place="HILL-1", expected_on=needed, lines=lines)  # fmt: skip
        self.must("plan-changes")
        self.assertEqual(self.sent(), [], "it is on its way")

    def test_what_is_wanted_where_it_lies_stays(self) -> None:
        self.pads("20")
        here = {
            "item": "MA-200",
            "quantity": "2",
            "due": str(self.day(30)),
            "supply_place": "STORE",
        }
        self.must("plan-order", **here)
        self.wanted_at_the_hill("1", 30)
        self.must("run-plan", horizon=60)
        self.assertEqual([row[1] for row in self.sent()], ["2"])  # 9 are wanted: 7 are to be bought
        bought = {
            r["item"]: plain(r["quantity"]) for r in self.caller.get("plan/proposals")["rows"]
        }
        self.assertEqual(bought["PAD-3"], "7")

    def test_a_longer_way_and_another_place_are_planned_by_what_changed(self) -> None:
        self.pads("40")
        order = self.wanted_at_the_hill("2", 20)
        self.must("run-plan", horizon=60)
        before = self.sent()
        self.must("change-site", code="HILL", transfer_days=4)
        self.must("plan-changes")
        self.assertLess(self.sent()[0][4], before[0][4])
        self.must("change-order", order=order, supply_place="STORE")
        self.must("plan-changes")
        self.assertEqual(self.sent(), [])

    def test_too_late_is_told(self) -> None:
        self.pads("40")
        self.must("change-site", code="HILL", transfer_days=30)
        self.wanted_at_the_hill("2", 20)
        self.must("run-plan", horizon=60)
        ((_, _, _, _, send, there, late),) = self.sent()
        self.assertEqual((send, there), (str(self.day(0)), str(self.day(30))))
        self.assertGreater(late, 0)


class FromNothing(TestCase):
    """A database that begins empty."""

    def test_a_plan_of_nothing_is_made_anew_once_there_are_items(self) -> None:
        caller = Caller(make_person())
        caller.must("run-plan", {})
        self.assertIn("plan", caller.must("plan-changes", {})["made"])
        caller.must("define-item", {"code": "X", "name": "X", "unit": "pcs", "source": "buy", "safety_stock": "5"})  # fmt: skip
        caller.must("plan-changes", {})
        self.assertEqual([p.steps for p in Proposal.objects.filter(run=PlanRun.last_plan())], [5])

    def test_without_a_plan_nothing_stays_noted(self) -> None:
        Stirred.objects.create(item=1)
        plan_at_night(0)
        self.assertEqual(Stirred.objects.count(), 0)
