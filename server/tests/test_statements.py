"""How many statements a command takes: as many for six lines as for one."""

import re
from collections.abc import Callable
from datetime import date, timedelta
from typing import Any
from unittest.mock import patch

from django.db import connection, transaction
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from django.utils import timezone
from poietic.commanding.registry import COMMANDS
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.exchange.models import Upload
from poietic.ledger.verify import differences
from poietic.orders.models import OrderDocument, Shortage

from . import tracked
from .client import Caller, make_person
from .test_access import queries
from .year import Year

SIX = [f"PART-{n}" for n in range(1, 7)]


class Still(TestCase):
    """While nothing but what is asked for happens."""

    def setUp(self) -> None:
        # with each minute orders' dates move, and a session notes that it was used
        still = patch("django.utils.timezone.now", return_value=timezone.now())
        still.start()
        self.addCleanup(still.stop)


class Commands(Still):
    """The same command with one line and with six, each after one that was alike."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop()
        tracked.define(cls.shop)
        for code in tracked.BOUGHT:
            tracked.receive(cls.shop, code, "60", "10")
        for code in SIX:
            cls.shop.do("define-item", code=code, name=code, unit="pcs", source="buy", price="1")
            tracked.receive(cls.shop, code, "60", "1")
        for item, rule in (("ONE", "by hand"), ("SIX", "by hand"), ("ONE-B", "at operation"), ("SIX-B", "at operation")):  # fmt: skip
            cls.shop.do("define-item", code=item, name=item, unit="pcs", source="make", standard_lot="9")  # fmt: skip
            parts = SIX[:1] if item.startswith("ONE") else SIX
            mirror_cell.structure(
                cls.shop,
                item,
                [{"number": 10, "name": "Fit", "work_center": "ASSY", "run_labour_hours": "0.2"}],
                [{"item": code, "operation": 10, "quantity": "1", "issue_rule": rule} for code in parts],
            )  # fmt: skip
        cls.shop.do("freeze-standard")

    def count(self, name: str, **given: Any) -> int:
        """Return how many statements a command takes the second time."""
        counted = 0
        for _ in range(2):
            with transaction.atomic(), CaptureQueriesContext(connection) as statements:
                self.shop.do(name, **given)
                transaction.set_rollback(True)
            counted = len(statements)
        return counted

    def order(self, item: str) -> int:
        """Return a released order."""
        number = mirror_cell.plan(self.shop, item, "9")
        self.shop.do("release-order", order=number)
        return number

    def test_material_comes_in_by_the_delivery_not_by_the_line(self) -> None:
        def lines(codes: list[str]) -> list[dict[str, str]]:
            return [{"item": c, "quantity": "2", "price": "1", "place": "STORE"} for c in codes]

        one = self.count("receive-material", lines=lines(["LAYERED"]))
        seven = self.count("receive-material", lines=lines(["LAYERED", *SIX]))

        self.assertEqual(one, seven)

    def test_stock_moves_and_is_sent_in_as_many_for_six_lines_as_for_one(self) -> None:
        self.shop.do("define-place", code="SHELF", name="Shelf", kind="floor")
        self.shop.do("define-site", code="HILL", name="Hill works")
        self.shop.do("define-place", code="HILL-1", name="Hill store", kind="store", site="HILL")
        for name, to in (("move-stock", "SHELF"), ("send-transfer", "HILL-1")):
            one, six = (
                self.count(name, from_place="STORE", to_place=to, lines=[{"item": c, "quantity": "2"} for c in codes])
                for codes in (SIX[:1], SIX)
            )  # fmt: skip
            with self.subTest(name):
                self.assertEqual(one, six)

    def test_an_issue_takes_as_many_for_six_lines_as_for_one(self) -> None:
        counts = []
        for item, codes in (("ONE", SIX[:1]), ("SIX", SIX)):
            order = self.order(item)
            lines = [{"operation": 10, "item": c, "quantity": "1"} for c in codes]
            counts.append(self.count("issue-material", order=order, lines=lines))

        self.assertEqual(counts[0], counts[1])
        self.assertLess(counts[0], 42)

    def test_a_report_with_backflush_and_receipt_is_bounded(self) -> None:
        counts = [
            self.count("report", order=self.order(item), operation=10, good="1", receive="1")
            for item in ("ONE-B", "SIX-B")
        ]

        self.assertEqual(counts[0], counts[1])
        self.assertLess(counts[0], 45)

    def test_serials_are_received_in_as_many_statements_as_one(self) -> None:
        order = tracked.running_order(self.shop, "21")  # neither report finishes it
        for code in tracked.BOUGHT:
            tracked.move(self.shop, "issue", order, code, "40")
        one = self.count("report", order=order, operation=10, good="1", receive="1")
        twenty = self.count("report", order=order, operation=10, good="20", receive="20")

        self.assertEqual(twenty, one)

    def test_what_is_missing_is_kept_in_as_many_statements_for_six_items_as_for_one(self) -> None:
        counts = []
        for item, codes in (("ONE", SIX[:1]), ("SIX", SIX)):
            order = mirror_cell.plan(self.shop, item, "500")
            counts.append(self.count("release-order", order=order))
            self.shop.do("release-order", order=order)
            self.assertEqual(Shortage.objects.filter(order__number=order).count(), len(codes))
            counts.append(self.count("cancel-order", order=order))
            self.shop.do("cancel-order", order=order)
        self.assertEqual(counts[:2], counts[2:])

    def test_an_order_is_planned_released_and_completed_in_as_many_whatever_it_uses(self) -> None:
        counts: dict[str, set[int]] = {}
        for item in ("ONE", "SIX"):
            given = {"item": item, "quantity": "3", "due": str(timezone.localdate()), "supply_place": "STORE", "receipt_place": "STORE"}  # fmt: skip
            counts.setdefault("plan-order", set()).add(self.count("plan-order", **given))
            planned = mirror_cell.plan(self.shop, item, "9")
            counts.setdefault("release-order", set()).add(
                self.count("release-order", order=planned)
            )
            running = self.order(item)
            self.shop.do(
                "report", order=running, operation=10, good="9", receive="9", complete="no"
            )
            self.shop.do("complete-order", order=running, leftovers="charge")
            counts.setdefault("close-order", set()).add(self.count("close-order", order=running))
        self.assertEqual({name for name, seen in counts.items() if len(seen) > 1}, set())


class Desk(Still):
    """What an order's page says of others is bounded, and asked for at once."""

    def test_the_first_who_wait_are_named_and_that_there_are_more(self) -> None:
        shop = Shop()
        mirror_cell.define(shop)
        shop.do("freeze-standard")
        caller = Caller(make_person())
        screws = mirror_cell.plan(shop, "CS-01", "10")
        for n in range(22):
            cell = mirror_cell.plan(shop, "MA-200", "1", due=date(2027, 1, 1) + timedelta(days=n))
            shop.do("release-order", order=cell)
            if n == 19:
                self.assertEqual(len(caller.get(f"orders/{screws}")["wanted_by"]), 20)
        waiting = caller.get(f"orders/{screws}")["wanted_by"]

        self.assertEqual(len(waiting), 21)
        self.assertEqual([w["due"] for w in waiting], [f"2027-01-{n:02}" for n in range(1, 22)])
        self.assertEqual(waiting[-1] | {"due": ""}, {"order": None, "words": "and others, later", "quantity": None, "due": ""})  # fmt: skip

    def test_how_more_comes_is_asked_for_all_that_is_missing_at_once(self) -> None:
        shop = Shop()
        mirror_cell.define(shop)
        parts = [f"SUB-{n}" for n in range(6)]
        for code in (*parts, "ONE", "SIX"):
            shop.do("define-item", code=code, name=code, unit="pcs", source="make")
        work = {"number": 10, "name": "Fit", "work_center": "ASSY", "run_labour_hours": "0.1"}
        for code in parts:
            mirror_cell.structure(shop, code, [work], [{"item": "PAD-3", "operation": 10, "quantity": "1"}])  # fmt: skip
        for code, used in (("ONE", parts[:1]), ("SIX", parts)):
            mirror_cell.structure(shop, code, [work], [{"item": c, "operation": 10, "quantity": "1"} for c in used])  # fmt: skip
        shop.do("freeze-standard")
        caller = Caller(make_person())
        counts = []
        for code, used in (("ONE", parts[:1]), ("SIX", parts)):
            late = mirror_cell.plan(shop, parts[0], "3", due=date(2027, 2, 2))
            soon = mirror_cell.plan(shop, parts[0], "2", due=date(2027, 1, 1))
            order = mirror_cell.plan(shop, code, "2")
            shop.do("release-order", order=order)
            for _ in range(2):
                with CaptureQueriesContext(connection) as statements:
                    stops = caller.get(f"orders/{order}")["stops"]
            counts.append(len(statements))
            self.assertEqual(len(stops), len(used))
            self.assertEqual(stops[0]["place"], f"order:{soon}", "the first due, whatever was planned first")  # fmt: skip
            self.assertEqual({s["place"] for s in stops[1:]}, {f"plan:{c}" for c in used[1:]})
            for number in (late, soon):
                shop.do("cancel-order", order=number)
        self.assertEqual(counts[0], counts[1])


class Everything(Still):
    """Each command and each query that there is, in a works that fills up."""

    def test_nothing_takes_more_statements_where_there_is_more(self) -> None:
        caller = Caller(make_person())
        rounds: list[dict[str, list[int]]] = []

        def counted(name: str, act: Callable[[], Any]) -> Any:
            with CaptureQueriesContext(connection) as statements:
                said = act()
            rounds[-1].setdefault(name, []).append(len(statements))
            return said

        def years(*numbers: int) -> None:
            for n in numbers:
                rounds.append({})
                Year(caller, n, counted).go()

        years(0, 1)
        asked = self.addresses(caller)
        before = self.count(caller, asked)
        years(2, 3)
        after = self.count(caller, asked)

        only_an_empty_works_takes = {"open-demo", "set-zone", "begin-orders-at"}
        self.assertEqual(set(rounds[0]), set(COMMANDS) - only_an_empty_works_takes)
        early, late = rounds[1], rounds[-1]  # what is asked for the first time is kept from then on
        self.assertEqual({n: (early[n], late[n]) for n in early if sum(late[n]) > sum(early[n])}, {})  # fmt: skip
        self.assertEqual(set(asked), set(queries()))
        # finding looks inside words only where few begin with them
        self.assertEqual({p: (before[p], n) for p, n in after.items() if n > before[p]}, {})
        checks = "api/periods/verified"  # a statement for each thing that must hold of the books
        self.assertLess(max(n for p, n in before.items() if p != checks), 40)
        self.assertEqual(differences(), [])

    def count(self, caller: Caller, asked: dict[str, tuple[str, dict[str, str]]]) -> dict[str, int]:
        """Return how many statements each query takes the second time."""
        counts = {}
        for path, (address, query) in asked.items():
            caller.get_any(address, **query)  # what is kept from then on
            with CaptureQueriesContext(connection) as statements:
                caller.get_any(address, **query)
            self.assertEqual(caller.status, 200, address)
            counts[path] = len(statements)
        return counts

    def addresses(self, caller: Caller) -> dict[str, tuple[str, dict[str, str]]]:
        """Return for each query an address of it that has something to tell, with what is asked."""
        order = caller.get("orders", states="closed")["rows"][-1]["number"]
        page = caller.get(f"orders/{order}")
        sets = caller.get("cost-sets")
        values = {
            "code": "TOP0",
            "letter": "A",
            "kind": "csv",
            "name": "lap0.png",
            "year": str(timezone.localdate().year),
            "number": order,
            "row": page["inputs"][0]["row"],
            "new": sets[0]["number"],
            "old": sets[-1]["number"],
            "other": order,
            "first": timezone.localdate().replace(day=1).isoformat(),
            "account": "stock",
            "item": "TOP0",
            "run": caller.get("plan")["what_ifs"][0]["run"],
            "form": "csv",
            "posting": caller.get("late-costs")["runs"][-1]["posting"],
        }
        other: dict[str, dict[str, Any]] = {
            "api/calendars": {"code": "CAL0"},
            "api/items/{code}/documents": {"code": "BUY0"},
            "api/items/{code}/where-used": {"code": "BUY0"},
            "api/items/{code}/cost-sheet": {"kind": "pdf"},
            "api/items/{code}/stock": {"code": "BUY0"},
            "api/today/missing": {"code": "BUY0"},
            "api/notes": {"kind": "item", "code": "BUY0"},
            "api/work-centers/{code}": {"code": "WC0"},
            "api/stores/items": {"code": "LOT0", "lot": "L1"},
            "api/stores/counts": {"number": caller.get("stores/counts")[-1]["number"]},
            "api/jobs": {"number": caller.send("jobs/roll-up-next", {"given": {}})["number"]},
            "api/uploads": {"number": Upload.objects.latest("pk").pk},
            "api/postings": {"number": page["happened"][0]["number"]},
            "api/purchases": {"number": caller.get("purchases", which="all")["rows"][-1]["number"]},
            "api/suppliers": {"code": "SUP0", "form": "csv"},
            "api/stand-ins/supplier": {
                "number": caller.get("purchases", which="all")["rows"][-1]["number"]
            },
            "api/picks": {"number": caller.get("picks")["rows"][-1]["number"]},
            "api/labels": {"kind": "place", "form": "svg"},
            "api/papers": {"kind": "traveller"},
            "api/customer-orders": {
                "number": caller.get("customer-orders", which="all")["rows"][0]["number"]
            },
            "api/plan/items": {"code": "BUY0"},
            "api/orders/table": {"form": "csv"},
            "api/orders/{number}/documents": {
                "number": OrderDocument.objects.earliest("pk").order.number,
            },
            "api/views": {"page": "orders"},
        }
        words = {
            "api/find": {"q": "top"},
            "api/scan": {"code": "ST0"},
            "api/labels/{kind}.{form}": {"code": "ST0"},
            "api/papers/{kind}.pdf": {"code": str(order)},
            "api/orders": {"states": "planned,closed"},
            "api/stand-ins/machine-counter.csv": {"day": "2026-01-02"},
            "api/items/{code}/tree/derivation": {
                "row": caller.get("items/TOP0/tree")["rows"][1]["key"],
                "figure": "cost",
            },
            "api/items/{code}/revisions/{letter}/compare": {"old": "A"},
        }
        found = {}
        for path in queries():
            here = values | next((v for p, v in other.items() if path.startswith(p)), {})
            address = re.sub(r"\{(\w+)\}", lambda m, here=here: str(here[m[1]]), path)
            found[path] = (address.removeprefix("api/"), words.get(path, {}))
        return found
