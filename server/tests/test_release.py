"""Orders on their way to the shop: planned with foresight, firm, released one or many, and back."""

from datetime import date, timedelta
from decimal import Decimal
from typing import Any

from django.test import TestCase
from django.utils import timezone
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.ledger.models import Posting, Reservation
from poietic.ledger.verify import differences
from poietic.orders.models import (
    Order,
    OrderInput,
    PlannedNeed,
    Shortage,
    Standing,
    StoredAttention,
)

from .client import Caller, make_person

DUE = date(2027, 2, 1)


class ReleaseTest(TestCase):
    """A mirror cell takes 2.53 kg of plate (2.40 by a yield of 0.95), nine pads and one set of screws."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop()
        mirror_cell.define(cls.shop)
        cls.shop.do("freeze-standard")
        cls.caller = Caller(make_person())

    def tearDown(self) -> None:
        self.assertEqual(differences(), [])

    def must(self, name: str, /, **given: Any) -> Any:
        return self.caller.must(name, given)

    def refused(self, code: str, name: str, /, **given: Any) -> Any:
        answer = self.caller.do(name, given)
        self.assertEqual(answer.get("code"), code, answer)
        return answer

    def plan(self, quantity: str, *, item: str = "MA-200", due: date = DUE, **more: Any) -> int:
        said = self.must("plan-order", item=item, quantity=quantity, due=str(due), **more)
        return int(said["made"]["order"])

    def buy(self, item: str, quantity: str) -> None:
        line = {"item": item, "quantity": quantity, "price": "2", "place": "STORE"}
        self.must("receive-material", lines=[line])

    def needs(self, order: int) -> dict[str, str]:
        rows = PlannedNeed.objects.filter(order__number=order).select_related("item")
        return {n.item.code: f"{n.quantity.normalize():f}" for n in rows}

    def short(self, order: int) -> dict[str, tuple[str, date | None]]:
        rows = PlannedNeed.objects.filter(order__number=order, short__gt=0).select_related("item")
        return {n.item.code: (f"{n.short.normalize():f}", n.comes) for n in rows}

    def group(self, order: int, weeks: str = "20") -> str:
        rows = self.caller.get("orders/ready", weeks=weeks)["rows"]
        return next((r["group"] for r in rows if r["number"] == order), "not shown")


class Planned(ReleaseTest):
    """What an order will need is kept from when it is planned."""

    def test_it_needs_what_its_release_will_ask_for(self) -> None:
        order = self.plan("20")
        planned = self.needs(order)
        self.assertEqual(planned, {"AP-20": "50.527", "PAD-3": "180", "CS-01": "20"})
        self.must("release-order", order=order)

        rows = OrderInput.objects.filter(order__number=order, kind="component")
        released = {i.item.code: f"{i.need.normalize():f}" for i in rows if i.item}
        self.assertEqual(released, planned)
        self.assertEqual(self.needs(order), {})

    def test_a_changed_order_and_an_approved_structure_change_what_is_needed(self) -> None:
        order = self.plan("20")
        self.must("change-order", order=order, quantity="10", due=str(DUE + timedelta(days=1)))
        self.assertEqual(self.needs(order)["PAD-3"], "90")
        self.assertEqual(Order.objects.get(number=order).due, DUE + timedelta(days=1))
        work = [{"number": 10, "name": "Assemble", "work_center": "ASSY", "run_labour_hours": "0.2"}]  # fmt: skip
        mirror_cell.structure(self.shop, "MA-200", work, [{"item": "PAD-3", "operation": 10, "quantity": "4"}])  # fmt: skip

        self.assertEqual(self.needs(order), {"PAD-3": "40"})
        self.must("cancel-order", order=order)
        self.assertEqual(self.needs(order), {})

    def test_what_is_free_goes_to_what_runs_then_by_due_date(self) -> None:
        self.buy("PAD-3", "100")
        late = self.plan("5", due=DUE + timedelta(days=9))  # 45
        soon = self.plan("5", due=DUE)  # 45
        self.assertEqual(self.short(soon).get("PAD-3"), None)
        self.assertEqual(self.short(late).get("PAD-3"), None)
        running = self.plan("7", due=DUE + timedelta(days=99))  # 63
        self.assertEqual(self.short(running)["PAD-3"], ("53", None))
        self.must("release-order", order=running)

        self.assertEqual(self.short(soon)["PAD-3"], ("8", None))
        self.assertEqual(self.short(late)["PAD-3"], ("45", None))
        self.buy("PAD-3", "8")
        self.assertEqual(self.short(soon).get("PAD-3"), None)

    def test_what_comes_is_promised_to_who_is_due_first_with_its_day(self) -> None:
        sets = self.plan("8", item="CS-01", due=DUE)
        comes = Standing.objects.get(order__number=sets).finishes
        soon, late = self.plan("5"), self.plan("5", due=DUE + timedelta(days=9))

        self.assertEqual(self.short(soon)["CS-01"], ("5", comes))
        self.assertEqual(self.short(late)["CS-01"], ("5", None))

    def test_while_it_is_entered_it_says_when_it_runs_what_is_missing_and_what_it_costs(
        self,
    ) -> None:
        self.buy("PAD-3", "10")
        given = {"item": "MA-200", "quantity": "2", "due": str(DUE)}
        seen = self.caller.preview("plan-order", given)["consequences"]["remarks"]
        said = {r["thing"]: [x["text"] for x in seen if x["thing"] == r["thing"]] for r in seen}

        self.assertRegex(said["new order"][0], r"^starts \w{3} \d+ \w{3}, finishes Mon 1 Feb: in time$")  # fmt: skip
        self.assertIn("costs 106.81 EUR by the standard", said["new order"])
        self.assertEqual(said["PAD-3"], ["8 pcs short, none is to come in time"])
        yesterday = timezone.localdate() - timedelta(days=7)
        late = self.caller.preview("plan-order", given | {"due": str(yesterday)})["consequences"]
        self.assertRegex(str(late["remarks"]), r"\d+ working days late")
        first, again = (self.caller.preview("plan-order", given)["seen"]["digest"] for _ in "ab")
        self.assertEqual(first, again, "a preview draws a number, and says nothing of it")

    def test_places_are_those_of_the_last_order_or_the_first_store(self) -> None:
        first = Order.objects.get(number=self.plan("2"))
        self.assertEqual((first.supply_place.code, first.receipt_place.code), ("STORE", "STORE"))
        self.must("define-place", code="ANNEX", name="Annex", kind="store", walk_order=5)
        self.plan("2", supply_place="ANNEX", receipt_place="STORE")

        self.assertEqual(Order.objects.get(number=self.plan("2")).supply_place.code, "ANNEX")

    def test_a_table_is_planned_whole_or_not_at_all(self) -> None:
        rows = [{"item": i, "quantity": q, "due": str(DUE), "customer_order": "331/1"} for i, q in (("MA-200", "4"), ("CS-01", "9"))]  # fmt: skip
        made = self.must("plan-orders", orders=rows)["made"]["orders"].split(",")
        self.assertEqual(Order.objects.filter(number__in=made).count(), 2)
        answer = self.refused("input.invalid", "plan-orders", orders=[*rows, rows[0] | {"item": "PAD-3"}])  # fmt: skip

        self.assertIn("orders.3.item", answer["detail"])
        answer = self.refused("input.invalid", "plan-orders", orders=[*rows, rows[0] | {"quantity": "x"}])  # fmt: skip
        self.assertIn("orders.3.quantity", answer["detail"], "rows are counted from 1, whoever reads them")  # fmt: skip
        answer = self.refused("input.invalid", "plan-orders", orders=[])
        self.assertIn("orders: at least 1 is needed", answer["detail"])
        self.assertEqual(Order.objects.count(), 2)

    def test_a_copy_is_for_the_same_customer_and_places(self) -> None:
        self.must("define-partner", code="SKY", name="Sky Club", is_customer=True)
        wanted = {"customer": "SKY", "customer_order": "331", "customer_line": "2", "wanted_on": str(DUE)}  # fmt: skip
        order = self.plan("4", **wanted, note="call before")
        self.refused("input.not_found", "plan-order", item="MA-200", quantity="1", due=str(DUE), customer="NOBODY")  # fmt: skip
        later = str(DUE + timedelta(days=30))
        copy = int(self.must("copy-order", order=order, due=later)["made"]["order"])

        told = self.caller.get(f"orders/{copy}")
        self.assertEqual([told[k] for k in ("customer", "customer_order", "customer_line", "note", "due", "quantity")], ["Sky Club", "331", "2", "call before", later, "4.000000"])  # fmt: skip


class Ready(ReleaseTest):
    """What could be released, and what stops the rest."""

    def test_orders_are_grouped_by_what_stops_them(self) -> None:
        order = self.plan("2")
        self.assertEqual(self.group(order), "never")
        self.buy("AP-20", "20")
        self.buy("PAD-3", "99")
        sets = self.plan("2", item="CS-01", due=DUE - timedelta(days=20))
        self.assertEqual(self.group(order), "comes")
        self.must("change-order", order=sets, due=str(DUE + timedelta(days=20)))
        self.assertEqual(self.group(order), "late")
        self.must("change-item", code="PAD-3", is_active=False, inactive_reason="no longer bought")
        self.assertEqual(self.group(order), "data")
        self.assertEqual(self.caller.get(f"orders/{order}")["stops"][0]["why"], "PAD-3 is inactive.")  # fmt: skip
        self.must("change-item", code="PAD-3", is_active=True)
        self.buy("SB-06", "9")
        self.must("release-order", order=sets)
        self.must("report", order=sets, operation=10, good="2", receive="2")

        self.assertEqual(self.group(order), "nothing")
        self.assertEqual(self.group(order, weeks="1"), "not shown")

    def test_a_new_standard_takes_its_block_away(self) -> None:
        self.shop.do("define-item", code="NEW", name="New", unit="pcs", source="make")
        work = [{"number": 10, "name": "Fit", "work_center": "ASSY", "run_labour_hours": "0.1"}]
        mirror_cell.structure(self.shop, "NEW", work, [])
        order = self.plan("1", item="NEW")
        told = self.caller.get("orders/ready", weeks="20")["rows"][0]
        self.assertEqual((told["group"], told["stops"]), ("data", ["NEW has no standard cost."]))
        self.must("freeze-standard")

        self.assertEqual(self.group(order), "nothing")

    def test_the_first_things_that_stop_an_order_are_named_and_how_many_there_are(self) -> None:
        self.plan("2")
        told = self.caller.get("orders/ready", weeks="20")
        row = told["rows"][0]

        self.assertEqual(row["count"], 3)
        self.assertEqual(row["stops"][0], "AP-20: 5.053 kg short, none is to come")
        self.assertEqual(told["groups"], [{"group": "never", "orders": 1}])
        self.assertEqual(row["worth"], "106.81")

    def test_what_can_be_built_now_counts_all_levels(self) -> None:
        self.buy("AP-20", "50")
        self.buy("PAD-3", "90")
        self.buy("SB-06", "1")  # eight sets of 0.122 m
        told = self.caller.get("items/MA-200/buildable")

        self.assertEqual(Decimal(told["quantity"]), 8)
        self.assertEqual(
            [(n["item"], n["missing"]) for n in told["limits"]], [("SB-06", "0.098000")]
        )
        self.assertEqual(self.caller.get("items/PAD-3/buildable")["quantity"], "0")


class Life(ReleaseTest):
    """Planned, firm, released, and back."""

    def test_a_firm_order_keeps_what_it_was_derived_from_until_it_is_derived_anew(self) -> None:
        order = self.plan("20")
        self.must("make-firm", order=order)
        work = [{"number": 10, "name": "Assemble", "work_center": "ASSY", "run_labour_hours": "0.2"}]  # fmt: skip
        mirror_cell.structure(self.shop, "MA-200", work, [{"item": "PAD-3", "operation": 10, "quantity": "4"}])  # fmt: skip
        self.shop.do("freeze-standard")
        self.assertEqual(self.needs(order)["PAD-3"], "180")
        told = StoredAttention.objects.get(order__number=order, kind="revised")
        self.assertIn("is made by revision A; B is in force", told.sentence)

        seen = self.must("rederive-order", order=order)["consequences"]["fields"]
        changed = {f["field"]: (f["before"], f["after"]) for f in seen}
        self.assertEqual(changed["need of PAD-3 [pcs]"], ("180", "80"))
        self.assertEqual((changed["need of AP-20 [kg]"], changed["revision"]), (("50.527", "0"), ("A", "B")))  # fmt: skip
        self.assertEqual(self.needs(order), {"PAD-3": "80"})
        self.assertFalse(StoredAttention.objects.filter(order__number=order, kind="revised"))

    def test_a_firm_order_is_released_as_it_is_and_left_to_planning_follows_again(self) -> None:
        kept, left = self.plan("1"), self.plan("1")
        for order in (kept, left):
            self.must("make-firm", order=order)
        work = [{"number": 10, "name": "Assemble", "work_center": "ASSY", "run_labour_hours": "0.2"}]  # fmt: skip
        mirror_cell.structure(self.shop, "MA-200", work, [{"item": "PAD-3", "operation": 10, "quantity": "4"}])  # fmt: skip
        self.must("release-order", order=kept)
        self.must("leave-to-planning", order=left)

        self.assertEqual(Order.objects.get(number=kept).revision.letter, "A")  # type: ignore[union-attr]
        self.assertEqual(self.needs(left), {"PAD-3": "4"})
        self.refused("order.wrong_state", "rederive-order", order=left)
        self.refused("order.wrong_state", "rederive-order", order=kept)
        self.refused("order.wrong_state", "make-firm", order=kept)

    def test_a_release_is_taken_back_as_long_as_nothing_was_posted(self) -> None:
        self.buy("PAD-3", "90")
        order, other = self.plan("10"), self.plan("10", due=DUE + timedelta(days=9))
        self.must("release-order", order=order)
        self.assertEqual(self.short(other)["PAD-3"][0], "90")
        self.must("withdraw-release", order=order)

        told = self.caller.get(f"orders/{order}")
        self.assertEqual((told["state"], told["inputs"], told["operations"]), ("firm", [], []))
        self.assertEqual([Reservation.objects.count(), Shortage.objects.count()], [0, 0])
        self.assertEqual(self.needs(order)["PAD-3"], "90")
        self.must("release-order", order=order)
        line = {"item": "PAD-3", "operation": 20, "quantity": "9"}
        self.must("issue-material", order=order, lines=[line])
        self.refused("order.wrong_state", "withdraw-release", order=order)
        self.must("take-back", posting=Posting.objects.latest("pk").pk)
        self.refused("order.release_used", "withdraw-release", order=order)

    def test_many_are_released_at_once_and_who_is_due_first_gets_what_there_is(self) -> None:
        self.buy("PAD-3", "100")
        late, soon = self.plan("10", due=DUE + timedelta(days=9)), self.plan("10")
        said = self.must("release-orders", orders=[late, soon])

        held = {r.cost_object.number: int(r.quantity) for r in Reservation.objects.filter(item__code="PAD-3")}  # fmt: skip
        self.assertEqual(held, {soon: 90, late: 10})
        texts = [r["text"] for r in said["consequences"]["remarks"] if r["thing"] == "PAD-3"]
        self.assertEqual(texts, ["short: 90 pcs needed, 10 free at Main store"])
        self.assertEqual(set(Order.objects.values_list("state", flat=True)), {"released"})

    def test_one_that_is_stopped_stops_them_all_and_nothing_is_released(self) -> None:
        self.shop.do("define-item", code="BARE", name="Bare", unit="pcs", source="make")
        orders = [self.plan("1"), self.plan("1", item="BARE")]
        answer = self.refused("order.release_blocked", "release-orders", orders=orders)

        self.assertIn(str(orders[1]), answer["title"])
        self.assertEqual(set(Order.objects.values_list("state", flat=True)), {"planned"})
        self.refused("input.not_found", "release-orders", orders=[orders[0], 99999])


class WorkLists(ReleaseTest):
    """What work centers should do next, and what they are loaded with."""

    def listed(self, center: str, by: str = "due") -> list[dict[str, Any]]:
        rows: list[dict[str, Any]] = self.caller.get(f"work-centers/{center}/list", by=by)["rows"]
        return rows

    def test_each_operation_stands_in_its_list_with_what_it_waits_for(self) -> None:
        self.buy("AP-20", "60")
        order = self.plan("20")
        self.assertEqual(self.listed("MILL"), [], "nothing that is not released")
        self.must("release-order", order=order)

        mill, assembly = self.listed("MILL")[0], self.listed("ASSY")[0]
        self.assertEqual((mill["state"], mill["units_due"]), ("ready", "22.000000"))
        self.assertEqual(mill["hours_left"], "6.2632")  # set up for one hour, 21.0526 × 0.25 h
        self.assertEqual((assembly["state"], assembly["units_due"]), ("waits for operation", "0.000000"))  # fmt: skip
        self.must("issue-material", order=order, lines=[{"operation": 10, "item": "AP-20", "quantity": "50"}])  # fmt: skip
        self.must("report", order=order, operation=10, good="12")
        self.assertEqual(self.listed("MILL")[0]["state"], "begun")
        assembly = self.listed("ASSY")[0]
        self.assertEqual((assembly["state"], assembly["missing"]), ("waits for material", "CS-01, PAD-3"))  # fmt: skip
        self.assertEqual(assembly["units_due"], "12.000000")

    def test_next_is_what_the_rule_says(self) -> None:
        today = timezone.localdate()
        big, small = self.plan("900", due=today + timedelta(days=60)), self.plan("2", due=today + timedelta(days=40))  # fmt: skip
        self.must("release-orders", orders=[big, small])

        self.assertEqual([r["order"] for r in self.listed("MILL")], [small, big])
        for by in ("slack", "critical ratio"):
            self.assertEqual([r["order"] for r in self.listed("MILL", by)], [big, small], by)
        first = self.listed("MILL", "slack")[0]
        self.assertLess(Decimal(first["slack"]), Decimal(self.listed("MILL", "slack")[1]["slack"]))
        self.caller.get("work-centers/MILL/list", by="whim")
        self.assertEqual(self.caller.status, 422)
        self.caller.get("work-centers/NONE/list")
        self.assertEqual(self.caller.status, 404)

    def test_load_stands_beside_capacity_by_week_what_runs_and_what_is_planned(self) -> None:
        due = timezone.localdate() + timedelta(days=30)
        runs, planned = self.plan("20", due=due), self.plan("40", due=due)
        seen = self.caller.preview("release-orders", {"orders": [runs, planned]})["consequences"]
        whole = [f for f in seen["fields"] if f["field"] == "hours released"]
        said = {f["thing"]: (f["before"], f["after"]) for f in whole}
        weeks = [f for f in seen["fields"] if f["thing"] == "MILL" and f not in whole]
        self.assertEqual(sum(Decimal(f["after"]) for f in weeks), Decimal("17.8"))
        self.assertEqual({f["field"][-7:] for f in weeks}, {"of 40 h"})
        self.assertEqual((said["MILL"], said["ASSY"]), (("0", "17.8"), ("0", "12")))
        self.must("release-order", order=runs)
        told = self.caller.get("work-centers/MILL/load", weeks="8")

        self.assertEqual(sum(Decimal(w["released"]) for w in told["weeks"]), Decimal("6.2632"))
        self.assertEqual(sum(Decimal(w["planned"]) for w in told["weeks"]), Decimal("11.5263"))
        self.assertEqual({Decimal(w["capacity"]) for w in told["weeks"]}, {40})
        self.assertFalse(any(w["is_over"] for w in told["weeks"]))
        self.assertEqual(len(told["days"]), 14)
        self.must("change-order", order=planned, quantity="900")
        over = [w for w in self.caller.get("work-centers/MILL/load")["weeks"] if w["is_over"]]
        self.assertTrue(over)
        self.assertEqual(over[-1]["orders"][0], planned)
        self.must("cancel-order", order=planned)
        told = next(x for x in self.caller.get("work-loads") if x["code"] == "MILL")
        self.assertEqual(sum(Decimal(w["planned"]) for w in told["weeks"]), 0)
