"""What is kept in the process is kept under what it was made of, in whatever order that was committed."""

from concurrent.futures import ThreadPoolExecutor
from decimal import Decimal
from fractions import Fraction
from threading import Event
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import IntegrityError, OperationalError, connection, transaction
from django.test import SimpleTestCase, TestCase, TransactionTestCase
from django.utils import timezone
from poietic.catalog.models import Item, ItemUnit
from poietic.commanding.errors import AgainstRule, Busy
from poietic.commanding.run import TRIES, Outcome, _tried_again
from poietic.costing.models import Standard
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.engineering.models import Revision
from poietic.engineering.queries import in_force, phantoms_on
from poietic.engineering.structures import structures_on
from poietic.ledger.models import Account, JournalLine
from poietic.orders.book import OrderBook
from poietic.web_api import kept as keeping
from psycopg.errors import DeadlockDetected

from .client import Caller, make_person

FIT = {"number": 10, "name": "Fit", "work_center": "ASSY", "run_labour_hours": "0.1"}


def boxes_used() -> Fraction:
    """Return how many stock units the line of boxes comes to, as structures are read now."""
    day = timezone.localdate()
    rows = in_force(day).filter(item__code="CRATE")
    line = structures_on(rows, day)["CRATE"].components[0]
    return Fraction(line.quantity) * Fraction(line.unit_factor)


def define_crate(shop: Shop) -> None:
    """Define a crate of one box of screws, a box being 200 of them, worth 1.00 each."""
    mirror_cell.define(shop)
    shop.do("define-item", code="SCREW", name="Screw", unit="pcs", source="buy", price="1")
    shop.do("change-item", code="SCREW", own_units=[{"name": "box", "quantity": "200"}])
    shop.do("define-item", code="CRATE", name="Crate", unit="pcs", source="make")
    line = {"item": "SCREW", "operation": 10, "quantity": "1", "unit": "box"}
    mirror_cell.structure(shop, "CRATE", [FIT], [line])


class OutOfOrder(TransactionTestCase):
    """Two changes, the later number committed first."""

    def test_a_change_that_is_committed_after_a_later_one_is_seen(self) -> None:
        define_crate(Shop())
        self.assertEqual(boxes_used(), 200)
        begun, go_on = Event(), Event()

        def change_slowly() -> None:
            try:
                with transaction.atomic():
                    Shop().do("change-item", code="SCREW", own_units=[{"name": "box", "quantity": "50"}])  # fmt: skip
                    begun.set()
                    go_on.wait(20)
            finally:
                connection.close()

        with ThreadPoolExecutor(1) as pool:
            slow = pool.submit(change_slowly)
            begun.wait(20)
            Shop().do("change-item", code="PAD-3", name="Pad")  # a later number, committed first
            self.assertEqual(boxes_used(), 200)
            go_on.set()
            slow.result()

        self.assertEqual(boxes_used(), 50)


class Kept(TestCase):
    """Changes that touch something a structure is made of."""

    def setUp(self) -> None:
        self.shop = Shop()
        define_crate(self.shop)
        self.caller = Caller(make_person())

    def bring(self, text: str) -> dict[str, Any]:
        file = SimpleUploadedFile("item_units.csv", text.encode())
        kept = self.caller.client.post("/api/uploads", {"file": file}).json()
        answer: dict[str, Any] = self.caller.must("import-tables", {"upload": kept["upload"]})
        return answer

    def test_own_units_that_are_imported_alone_count_at_once(self) -> None:
        """A box of 200 screws becomes one of 50: 200 + 3.20 becomes 50 + 3.20 (0.1 h at 32)."""
        self.shop.do("freeze-standard")
        self.assertEqual(Standard.objects.get(item__code="CRATE", cost_set__state="current").total, Decimal("203.2"))  # fmt: skip
        before = Item.objects.get(code="SCREW").change

        self.bring("item,name,quantity\nSCREW,box,50\n")

        self.assertEqual(ItemUnit.objects.get(item__code="SCREW").quantity, 50)
        self.assertGreater(Item.objects.get(code="SCREW").change, before)
        self.shop.do("freeze-standard")
        self.assertEqual(Standard.objects.get(item__code="CRATE", cost_set__state="current").total, Decimal("53.2"))  # fmt: skip
        order = mirror_cell.plan(self.shop, "CRATE", "1")
        self.shop.do("release-order", order=order)
        self.assertEqual([c.need for c in OrderBook.read(order).components()], [50])

    def test_what_a_preview_wrote_is_not_kept(self) -> None:
        self.shop.person = make_person("bo")
        self.shop.preview("change-item", code="SCREW", own_units=[{"name": "box", "quantity": "7"}])
        self.assertEqual(boxes_used(), 200)

    def test_a_new_revision_of_a_phantom_inside_a_phantom_shows_in_the_tree_at_once(self) -> None:
        """CELL uses SET, which uses KIT: two screws in a kit, and then three, and a revision more of each."""
        for code in ("KIT", "SET", "CELL"):
            self.shop.do("define-item", code=code, name=code, unit="pcs", source="make")
        mirror_cell.structure(self.shop, "KIT", [FIT], [{"item": "SCREW", "operation": 10, "quantity": "2"}])  # fmt: skip
        self.shop.do("change-phantom", item="KIT", is_phantom=True)
        self.shop.do("change-phantom", item="SET", is_phantom=True)
        mirror_cell.structure(self.shop, "SET", [], [{"item": "KIT", "quantity": "1"}])
        cell = [FIT | {"number": 100}]
        mirror_cell.structure(self.shop, "CELL", cell, [{"item": "SET", "operation": 100, "quantity": "1"}])  # fmt: skip
        self.shop.do("freeze-standard")

        def needs() -> list[tuple[str, str]]:
            rows = self.caller.get("items/CELL/tree")["rows"]
            return [(r["key"], r["need"]) for r in rows if r["code"] == "SCREW"]

        way = "operation 100>component SET>component KIT>operation 10>component SCREW"
        self.assertEqual(needs(), [(way, "2.000000")])
        for quantity in ("3", "4"):
            mirror_cell.structure(self.shop, "KIT", [FIT], [{"item": "SCREW", "operation": 10, "quantity": quantity}])  # fmt: skip
            self.assertEqual(needs(), [(way, f"{quantity}.000000")])
        self.assertEqual(len(phantoms_on(timezone.localdate())), 2)

    def test_a_row_is_found_by_what_it_is_and_not_by_where_it_stands(self) -> None:
        """A page is open while a line is put above its rows; then the row goes."""
        self.shop.do("freeze-standard")
        row = next(r for r in self.caller.get("items/MA-200/tree")["rows"] if r["code"] == "PAD-3")

        def derived() -> Any:
            return self.caller.get("items/MA-200/tree/derivation", row=row["key"], figure="need")

        self.assertEqual(derived()[0]["value"], row["need"])
        operations = [FIT | {"number": 5}, FIT | {"number": 20}]
        pad = {"item": "PAD-3", "operation": 20, "quantity": "9"}
        above = {"item": "SCREW", "operation": 5, "quantity": "1"}
        mirror_cell.structure(self.shop, "MA-200", operations, [above, pad])
        self.assertEqual(derived()[0]["value"], "9.000000")
        mirror_cell.structure(self.shop, "MA-200", operations, [above])
        self.assertEqual(derived()["code"], "input.not_found")
        self.assertEqual(self.caller.status, 404)
        self.assertEqual(Revision.objects.filter(item__code="MA-200").count(), 3)


class LostRaces(TestCase):
    """What the database stops is tried once more, and then told."""

    def test_a_deadlock_is_tried_again_and_told_as_busy_when_it_stays(self) -> None:
        tries: list[int] = []

        def attempt() -> Outcome:
            tries.append(1)
            if len(tries) < 3:
                raise OperationalError("deadlock detected") from DeadlockDetected()
            return "done"  # type: ignore[return-value]

        self.assertEqual(_tried_again(attempt), "done")
        self.assertEqual(len(tries), 3)

        def never() -> Outcome:
            tries.append(1)
            raise OperationalError("deadlock detected") from DeadlockDetected()

        tries.clear()
        with self.assertRaises(Busy):
            _tried_again(never)
        self.assertEqual(len(tries), TRIES)

    def test_what_a_constraint_stops_is_told_with_its_rule(self) -> None:
        """A journal line of stock without its item: a check of the table."""
        tries: list[int] = []

        def attempt() -> Outcome:
            tries.append(1)
            with transaction.atomic():
                JournalLine.objects.create(posting_id=0, account=Account.STOCK, amount=1)
            raise AssertionError

        with self.assertRaisesMessage(AgainstRule, "stock_line_has_its_item"):
            _tried_again(attempt)
        self.assertEqual(len(tries), 1)  # no race was lost: it would be refused again

    def test_other_faults_stay_faults(self) -> None:
        def attempt() -> Outcome:
            raise OperationalError("the database went away")

        with self.assertRaises(OperationalError):
            _tried_again(attempt)
        with self.assertRaises(AgainstRule):
            _tried_again(lambda: (_ for _ in ()).throw(IntegrityError("bare")))  # type: ignore[arg-type]


class Most(SimpleTestCase):
    """What is kept has an end, and what was asked for lately stays."""

    def test_what_was_longest_not_asked_for_makes_room_for_the_newest(self) -> None:
        kept: keeping.Kept[str, int] = keeping.Kept(2)
        for n, key in enumerate("abc"):
            kept.get_or(key, lambda n=n: n)  # type: ignore[misc]

        self.assertEqual([kept.get(key) for key in "abc"], [None, 1, 2])
        self.assertEqual(kept.get_or("b", lambda: 9), 1)
        self.assertEqual(kept.get_or("a", lambda: 7), 7)
        self.assertEqual([kept.get(key) for key in "abc"], [7, 1, None], "b was asked for after c")
