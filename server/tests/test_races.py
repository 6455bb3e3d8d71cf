"""Pairs of commands that touch one thing, at one moment, again and again: each answered, the ledger whole.

What a pair must leave behind is asserted for each; that no answer is a fault of the server's own is
asserted for all: the test client raises what a handler does not turn into a problem.
"""

import json
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from random import Random
from threading import Barrier
from time import sleep
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import TransactionTestCase
from poietic.catalog.models import Item
from poietic.commanding.roles import Role
from poietic.costing.models import CostSet
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.engineering.models import OverheadBudget
from poietic.ledger.models import Holding, Posting
from poietic.ledger.verify import differences
from poietic.orders.models import Order
from poietic.people.models import Person

from .client import Caller, make_person

ROUNDS = 10
Acts = Sequence[tuple[str, dict[str, Any]]]


class Racing(TransactionTestCase):
    """A shop with stock and three people, and what races them."""

    def setUp(self) -> None:
        mirror_cell.define(Shop())
        self.shop = Shop()
        lines = [("AP-20", "6.80"), ("PAD-3", "0.43"), ("SB-06", "25.10")]
        self.shop.do(
            "receive-material",
            lines=[
                {"item": item, "quantity": "90000", "price": price, "place": "STORE"}
                for item, price in lines
            ],
        )
        self.people = [make_person(name) for name in ("ada", "bo", "cy")]
        self.random = Random(11)

    def at_once(self, acts: Acts) -> list[dict[str, Any]]:
        """Return the answers to commands sent at one moment, each by somebody else."""
        barrier = Barrier(len(acts))
        pauses = [self.random.random() * 0.004 for _ in acts]

        def send(n: int) -> dict[str, Any]:
            try:
                caller = Caller(self.people[n])
                barrier.wait()
                sleep(pauses[n])
                name, given = acts[n]
                answer: dict[str, Any] = caller.do(name, given) | {"status": caller.status}
                return answer
            finally:
                connection.close()

        with ThreadPoolExecutor(len(acts)) as pool:
            return list(pool.map(send, range(len(acts))))

    def repeat(self, acts: Callable[[int], Acts], check: Callable[[int, list[dict[str, Any]]], None]) -> None:  # fmt: skip
        """Race what `acts` makes for each round; `check` gets the round and the answers."""
        for n in range(ROUNDS):
            answers = self.at_once(acts(n))
            for answer in answers:
                self.assertIn(answer["status"], (200, 404, 409, 422), answer)
            check(n, answers)
        self.assertEqual(differences(), [])

    def one_each(self, code: str) -> Callable[[int, list[dict[str, Any]]], None]:
        """Return a check that one was carried out and all others were refused with a code."""

        def check(n: int, answers: list[dict[str, Any]]) -> None:
            codes = sorted(a.get("code", "done") for a in answers)
            self.assertEqual(codes, sorted(["done", *[code] * (len(answers) - 1)]), answers)

        return check

    def released(self, quantity: str = "6") -> int:
        order = mirror_cell.plan(self.shop, "MA-200", quantity)
        self.shop.do("release-order", order=order)
        return order

    def milled(self, good: str = "6") -> tuple[int, int]:
        """Return an order with pieces reported at its first operation, and that posting."""
        order = self.released()
        told = self.shop.do("report", order=order, operation=10, good=good)
        return order, told.postings[0]

    def received(self, order: int) -> int:
        self.shop.do("report", order=order, operation=20, good="6")
        return self.shop.do("receive", order=order, quantity="2").postings[0]


class Definitions(Racing):
    """Who defines and changes things at once."""

    def test_an_item_is_valued_in_another_way_while_material_of_it_comes_in(self) -> None:
        def acts(n: int) -> Acts:
            self.shop.do("define-item", code=f"NEW-{n}", name="New", unit="pcs", source="buy", price="5")  # fmt: skip
            self.shop.do("freeze-standard", items=[f"NEW-{n}"])
            line = {"item": f"NEW-{n}", "quantity": "10", "price": "7", "place": "STORE"}
            return [
                ("change-item", {"code": f"NEW-{n}", "valuation": "standard"}),
                ("receive-material", {"lines": [line]}),
            ]

        def check(n: int, answers: list[dict[str, Any]]) -> None:
            held = Holding.objects.select_related("item").get(item__code=f"NEW-{n}")
            value = {"standard": 50, "moving average": 70}[held.item.valuation]
            if answers[1]["status"] == 200:
                self.assertEqual((held.quantity, held.value), (10, value), answers)

        self.repeat(acts, check)

    def test_an_import_keeps_what_is_changed_meanwhile(self) -> None:
        caller = Caller(self.people[1])

        def acts(n: int) -> Acts:
            file = SimpleUploadedFile(
                "items.csv", f"code,name,unit,source\nAP-20,Plate {n},kg,buy\n".encode()
            )
            kept = caller.client.post("/api/uploads", {"file": file}).json()
            return [
                ("change-item", {"code": "AP-20", "lead_time_days": n + 1}),
                ("import-tables", {"upload": kept["upload"]}),
            ]

        def check(n: int, answers: list[dict[str, Any]]) -> None:
            self.assertEqual([a["status"] for a in answers], [200, 200], answers)
            item = Item.objects.get(code="AP-20")
            self.assertEqual((item.name, item.lead_time_days), (f"Plate {n}", n + 1))

        self.repeat(acts, check)

    def test_two_administrators_take_each_others_role(self) -> None:
        def acts(n: int) -> Acts:
            everything = [r.value for r in Role]
            Person.objects.update(roles=everything)
            Person.objects.filter(name="cy").update(roles=["operator"])
            return [
                ("set-roles", {"name": "bo", "roles": ["operator"]}),
                ("set-roles", {"name": "ada", "roles": ["operator"]}),
            ]

        def check(n: int, answers: list[dict[str, Any]]) -> None:
            left = Person.objects.filter(roles__contains=[Role.ADMINISTRATOR.value])
            self.assertEqual(left.count(), 1, answers)

        # a person without the role any more is told so
        for n in range(ROUNDS):
            answers = self.at_once(acts(n))
            self.assertEqual(sorted(a["status"] for a in answers)[0], 200)
            self.assertIn(sorted(a["status"] for a in answers)[1], (401, 403, 422))
            check(n, answers)

    def test_one_code_is_defined_once(self) -> None:
        item = {"name": "Twin", "unit": "pcs", "source": "buy"}
        for name, given in (
            ("define-item", item),
            ("define-partner", {"name": "Twin"}),
            ("define-place", {"name": "Twin", "kind": "store"}),
            ("define-reason", {"name": "Twin"}),
            ("define-calendar", {"name": "Twin", "shifts": []}),
            ("define-work-center", {"name": "Twin", "machine_rate": "1", "labour_rate": "1"}),
            ("define-labour-grade", {"name": "Twin", "rate": "1"}),
        ):
            self.repeat(lambda n, name=name, given=given: [(name, given | {"code": f"T-{n}"})] * 2, self.one_each("input.exists"))  # fmt: skip

    def test_what_ifs_of_one_name_are_one(self) -> None:
        def acts(n: int) -> Acts:
            dearer = [{"kind": "price", "code": "AP-20", "by": "0.1"}]
            return [("write-what-if", {"name": f"Dearer {n}", "changes": dearer})] * 3

        def check(n: int, answers: list[dict[str, Any]]) -> None:
            self.assertEqual({a["status"] for a in answers}, {200}, answers)
            self.assertEqual(CostSet.objects.filter(name=f"Dearer {n}").count(), 1)

        self.repeat(acts, check)

    def test_standards_are_rolled_up_frozen_and_put_in_force_one_by_one(self) -> None:
        def acts(n: int) -> Acts:
            self.shop.do("change-item", code="SB-06", price=f"{25 + n}")
            self.shop.do("roll-up-next")
            following = CostSet.objects.get(state=CostSet.State.NEXT).pk
            return [
                ("freeze-standard", {"items": ["CS-01"]}),
                ("roll-up-next", {}),
                ("activate-set", {"cost_set": following}),
            ]

        def check(n: int, answers: list[dict[str, Any]]) -> None:
            self.assertEqual(CostSet.objects.filter(state=CostSet.State.CURRENT).count(), 1)
            self.assertLessEqual(CostSet.objects.filter(state=CostSet.State.NEXT).count(), 1)
            self.assertEqual([a["status"] for a in answers[:2]], [200, 200], answers)

        self.repeat(acts, check)

    def test_overhead_has_one_budget_a_day(self) -> None:
        def acts(n: int) -> Acts:
            budget = {"code": f"OH-{n}", "name": "Rent", "element": "fixed overhead", "base": "machine hours", "budget": "1000", "capacity": "100"}  # fmt: skip
            return [
                ("set-overhead", budget | {"effective_from": f"2026-0{m}-01", "effective_until": f"2026-0{m + 2}-01"})
                for m in (1, 2, 3)
            ]  # fmt: skip

        def check(n: int, answers: list[dict[str, Any]]) -> None:
            done = [a for a in answers if a["status"] == 200]
            self.assertEqual(OverheadBudget.objects.filter(code=f"OH-{n}").count(), len(done))
            self.assertIn(len(done), (1, 2))  # the first and the third don't overlap but for a day

        self.repeat(acts, check)

    def test_two_drafts_never_close_a_loop_between_them(self) -> None:
        def draft(item: str, uses: str) -> tuple[str, dict[str, Any]]:
            operation = {"number": 10, "name": "Fit", "work_center": "ASSY"}
            return "draft-structure", {"item": item, "operations": [operation], "components": [{"item": uses, "quantity": "1"}]}  # fmt: skip

        def acts(n: int) -> Acts:
            for code in (f"A-{n}", f"B-{n}", f"C-{n}"):
                self.shop.do("define-item", code=code, name=code, unit="pcs", source="make")
            ring = [(f"A-{n}", f"B-{n}"), (f"B-{n}", f"C-{n}"), (f"C-{n}", f"A-{n}")]
            return [draft(*pair) for pair in ring]

        def check(n: int, answers: list[dict[str, Any]]) -> None:
            refused = [a for a in answers if a["status"] != 200]
            self.assertEqual([a["code"] for a in refused], ["structure.cycle"], answers)

        self.repeat(acts, check)

    def test_a_structure_is_drafted_submitted_and_approved_at_once(self) -> None:
        body = {"item": "CS-01", "operations": [{"number": 10, "name": "Turn", "work_center": "LATHE"}], "components": [{"item": "SB-06", "quantity": "0.2"}]}  # fmt: skip

        def acts(n: int) -> Acts:
            self.shop.do("draft-structure", **body)
            return [
                ("draft-structure", body),
                ("submit-structure", {"item": "CS-01"}),
                ("approve-structure", {"item": "CS-01"}),
            ]

        def check(n: int, answers: list[dict[str, Any]]) -> None:
            caller = Caller(self.people[0])
            for name in ("send-back-structure", "approve-structure"):
                caller.do(name, {"item": "CS-01"})

        self.repeat(acts, check)

    def test_an_item_becomes_a_phantom_while_an_order_of_it_is_planned(self) -> None:
        where = {"supply_place": "STORE", "receipt_place": "STORE", "due": "2026-12-24"}

        def acts(n: int) -> Acts:
            item = Item.objects.get(code="CS-01")
            if item.is_phantom:
                self.shop.do("change-phantom", item="CS-01", is_phantom=False)
            return [
                ("change-phantom", {"item": "CS-01", "is_phantom": True}),
                ("plan-order", {"item": "CS-01", "quantity": "1"} | where),
                ("change-item", {"code": "CS-01", "standard_lot": f"{n + 1}"}),
            ]

        self.repeat(acts, lambda n, answers: self.assertEqual(answers[0]["status"], 200, answers))


class Orders(Racing):
    """Who works on one order, or takes from one stock, at once."""

    def test_an_order_is_reported_and_received_while_it_is_released(self) -> None:
        def acts(n: int) -> Acts:
            order = mirror_cell.plan(self.shop, "MA-200", "6")
            return [
                ("release-order", {"order": order}),
                ("report", {"order": order, "operation": 10, "good": "2"}),
                ("receive", {"order": order, "quantity": "1"}),
            ]

        self.repeat(acts, lambda n, answers: self.assertEqual(answers[0]["status"], 200))

    def test_an_order_is_released_once(self) -> None:
        def acts(n: int) -> Acts:
            order = mirror_cell.plan(self.shop, "MA-200", "6")
            return [("release-order", {"order": order})] * 3

        self.repeat(acts, self.one_each("order.wrong_state"))

    def test_an_act_is_taken_back_once(self) -> None:
        def of_an_order(n: int) -> Acts:
            return [("take-back", {"posting": self.milled()[1]})] * 3

        def of_none(n: int) -> Acts:
            line = {"item": "PAD-3", "quantity": "3", "price": "0.40", "place": "STORE"}
            posting = self.shop.do("receive-material", lines=[line]).postings[0]
            return [("take-back", {"posting": posting})] * 3

        for acts in (of_an_order, of_none):
            self.repeat(acts, self.one_each("posting.taken_back"))

    def test_a_report_is_corrected_or_taken_back_once(self) -> None:
        def acts(n: int) -> Acts:
            order, posting = self.milled()
            right = {"order": order, "operation": 10, "good": "5"}
            correct = ("correct-report", {"posting": posting, "report": right})
            return [correct, correct, ("take-back", {"posting": posting})]

        self.repeat(acts, self.one_each("posting.taken_back"))

    def test_pieces_are_received_while_a_receipt_is_taken_back(self) -> None:
        def acts(n: int) -> Acts:
            order, _ = self.milled()
            return [
                ("take-back", {"posting": self.received(order)}),
                ("receive", {"order": order, "quantity": "1"}),
                ("receive", {"order": order, "quantity": "3"}),
            ]

        def check(n: int, answers: list[dict[str, Any]]) -> None:
            self.assertEqual([a["status"] for a in answers], [200] * 3, answers)

        self.repeat(acts, check)

    def test_an_order_is_completed_while_it_is_reported_and_issued_to(self) -> None:
        def acts(n: int) -> Acts:
            order, _ = self.milled("3")
            line = {"operation": 10, "item": "AP-20", "quantity": "1"}
            return [
                ("complete-order", {"order": order}),
                ("report", {"order": order, "operation": 10, "good": "1"}),
                ("issue-material", {"order": order, "lines": [line]}),
            ]

        self.repeat(acts, lambda n, answers: self.assertEqual(answers[0]["status"], 200, answers))

    def test_an_order_is_closed_once(self) -> None:
        def acts(n: int) -> Acts:
            order, _ = self.milled("3")
            self.shop.do("complete-order", order=order)
            return [("close-order", {"order": order})] * 3

        self.repeat(acts, self.one_each("order.wrong_state"))

    def test_the_last_piece_goes_to_one(self) -> None:
        made = iter(range(1000))

        def acts(n: int) -> Acts:
            held = Holding.objects.get(item__code="CS-01").quantity
            if held < 1:
                order = mirror_cell.plan(self.shop, "CS-01", "1")
                self.shop.do("release-order", order=order)
                self.shop.do("report", order=order, operation=10, good="1", receive="1")
            next(made)
            line = {"operation": 20, "item": "CS-01", "quantity": "1"}
            return [("issue-material", {"order": self.released(), "lines": [line]}) for _ in "123"]

        self.repeat(acts, self.one_each("stock.not_enough"))

    def test_items_are_changed_and_shown_while_they_move(self) -> None:
        """What locks an item's row and what refers to it never wait for each other in a ring."""

        def acts(n: int) -> Acts:
            order = self.released()
            line = {"operation": 10, "item": "AP-20", "quantity": "1"}
            return [
                ("change-item", {"code": "AP-20", "source": "buy", "lead_time_days": n}),
                ("issue-material", {"order": order, "lines": [line]}),
                ("set-prices", {"item": "AP-20", "prices": []}),
            ]

        def check(n: int, answers: list[dict[str, Any]]) -> None:
            self.assertEqual([a["status"] for a in answers], [200] * 3, answers)

        self.repeat(acts, check)

    def test_the_same_key_acts_once_however_many_send_it(self) -> None:
        order, _ = self.milled()
        given = {"order": order, "operation": 10, "good": "0", "run_labour_hours": "1"}
        before = Posting.objects.count()
        barrier = Barrier(3)

        def send(n: int) -> str:
            try:
                caller = Caller(self.people[0])
                barrier.wait()
                return json.dumps(caller.do("report", given, key="one-and-the-same"))
            finally:
                connection.close()

        with ThreadPoolExecutor(3) as pool:
            answers = set(pool.map(send, range(3)))

        self.assertEqual(len(answers), 1)
        self.assertEqual(Posting.objects.count(), before + 1)
        self.assertEqual(Order.objects.get(number=order).state, "started")
