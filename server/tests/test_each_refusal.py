"""Refusals that no other test meets, each with exactly one thing wrong; and that each has a test at all."""

import io
import re
import zipfile
from typing import Any

from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import SimpleTestCase, TestCase
from django.utils import timezone
from poietic.commanding.models import Entry
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.ledger.models import Posting
from poietic.orders.models import Order

from . import tracked
from .client import Caller, make_person

#: refusals that no request can meet by itself, and where they are met instead
ELSEWHERE = {
    "calendar.without_zone": "core: every moment of a request has its zone",
    "job.stopped": "test_jobs: told by the job's page",
    "calendar.no_working_time": "core: an order whose calendar is empty has no dates",
    "cost.shares_dont_add": "core: told with the item in a roll-up, and as a fault of a draft",
    "quantity.measure_incomplete": "core: told as a fault of the item",
    "number.beyond_digits": "core: fields are bounded below it",
    "number.beyond_column": "test_bad_input: fields are bounded below it",
    "request.too_slow": "test_edges: ended before Django sees it",
    "service.failed": "test_edges: a fault of the server's own",
}


def step(number: int) -> dict[str, Any]:
    """Return a step of assembly."""
    return {"number": number, "name": "Step", "work_center": "ASSY", "run_labour_hours": "0.1"}


class Listed(SimpleTestCase):
    """The list of refusals and the tests."""

    def test_each_refusal_has_a_test_that_names_it(self) -> None:
        listed = set(re.findall(r"^\| `([^`]+)`", (settings.ROOT / "docs/errors.md").read_text(), re.M))  # fmt: skip
        files = [*(settings.ROOT / "server/tests").glob("test_*.py"), *(settings.ROOT / "browser_tests").glob("*.py")]  # fmt: skip
        told = "".join(p.read_text() for p in files)

        unmet = {code for code in listed if f'"{code}"' not in told}

        self.assertEqual(unmet, set())
        self.assertLessEqual(set(ELSEWHERE), listed)


class Each(TestCase):
    """One wrong thing, one refusal, nothing changed."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop()
        tracked.define(cls.shop)
        cls.person = make_person()

    def setUp(self) -> None:
        self.caller = Caller(self.person)

    def refused(self, name: str, given: dict[str, Any], code: str, status: int) -> dict[str, Any]:
        """Return the problem of a command that is refused alike when it is previewed and carried out."""
        before = (Entry.objects.count(), Posting.objects.count())
        for act in (self.caller.preview, self.caller.do):
            said: dict[str, Any] = act(name, given)
            self.assertEqual((said.get("code"), self.caller.status), (code, status), said)
            self.assertTrue(said["title"] and said["detail"] and said["fix"])
        self.assertEqual((Entry.objects.count(), Posting.objects.count()), before)
        return said

    def test_a_lot_left_empty_is_asked_for(self) -> None:
        line = {"item": "GLASS", "quantity": "1", "price": "1", "place": "STORE", "lots": [{"lot": "", "quantity": "1"}]}  # fmt: skip
        said = self.refused("receive-material", {"lines": [line]}, "lot.needed", 422)
        self.assertIn("tracked by lot", said["detail"])

    def test_stock_at_standard_needs_a_standard(self) -> None:
        self.shop.do("define-item", code="NEW", name="New", unit="pcs", source="buy", valuation="standard")  # fmt: skip
        line = {"item": "NEW", "quantity": "1", "price": "1", "place": "STORE"}
        said = self.refused("receive-material", {"lines": [line]}, "cost.no_standard", 422)
        self.assertIn("freeze the standard of NEW", said["fix"])

    def test_what_only_the_database_forbids_is_told_with_its_rule(self) -> None:
        self.shop.do("define-place", code="A", name="A", kind="store", scan_code="B")
        given = {"code": "B", "name": "B", "kind": "store"}
        said = self.refused("define-place", given, "command.against_rule", 409)
        self.assertIn("scan_code", said["detail"])

    def test_an_operation_that_is_not_reported_says_with_which_it_is(self) -> None:
        self.shop.do("define-item", code="PAIR", name="Pair", unit="pcs", source="make")
        quiet = {"number": 10, "name": "Lay out", "work_center": "ASSY", "is_report_point": False}
        mirror_cell.structure(self.shop, "PAIR", [quiet, {"number": 20, "name": "Fit", "work_center": "ASSY", "run_labour_hours": "0.1"}], [{"item": "AVERAGE", "operation": 10, "quantity": "1"}])  # fmt: skip
        self.shop.do("freeze-standard")
        order = mirror_cell.plan(self.shop, "PAIR", "3")
        self.shop.do("release-order", order=order)
        given = {"order": order, "operation": 10, "good": "1"}
        said = self.refused("report", given, "report.not_a_report_point", 422)
        self.assertIn("Report operation 20", said["fix"])

    def define_stand(
        self, part: str, steps: list[int], line: dict[str, Any], *, using: int
    ) -> None:
        """Define a stocked part with its steps and its one line, and a stand that uses four of it."""
        for made in (part, "STAND"):
            self.shop.do("define-item", code=made, name=made, unit="pcs", source="make")
        mirror_cell.structure(self.shop, part, [step(n) for n in steps], [line])
        mirror_cell.structure(self.shop, "STAND", [step(using)], [{"item": part, "quantity": "4"}])

    def test_a_phantom_needs_room_for_its_operations(self) -> None:
        line = {"item": "AVERAGE", "operation": 20, "quantity": "1"}
        self.define_stand("LEG", [10, 20], line, using=2)

        said = self.refused("change-phantom", {"item": "LEG", "is_phantom": True}, "structure.no_room_for_phantom", 422)  # fmt: skip

        self.assertIn("larger gaps", said["fix"])

    def test_one_item_at_one_operation_is_one_line(self) -> None:
        for code in ("FOOT", "STAND"):
            self.shop.do("define-item", code=code, name=code, unit="pcs", source="make")
        self.shop.do("change-phantom", item="FOOT", is_phantom=True)
        mirror_cell.structure(
            self.shop, "FOOT", [], [{"item": "AVERAGE", "quantity": "1", "per": "order"}]
        )
        mirror_cell.structure(
            self.shop,
            "STAND",
            [step(50)],
            [{"item": "FOOT", "quantity": "4"}, {"item": "GLASS", "quantity": "1"}],
        )

        said = self.refused("replace-component", {"item": "AVERAGE", "by": "GLASS", "effective_from": str(timezone.localdate())}, "structure.phantom_clash", 422)  # fmt: skip

        self.assertIn("both per unit and per order", said["detail"])

    def test_a_file_that_is_no_table_is_refused_whole(self) -> None:
        damaged = io.BytesIO()
        with zipfile.ZipFile(damaged, "w") as archive:
            archive.writestr("items.csv", "item,name\nA,A\n")
        file = SimpleUploadedFile(
            "data.zip", damaged.getvalue().replace(b"item,name", b"itam,name")
        )
        answer = self.caller.client.post("/api/uploads", {"file": file})
        self.assertEqual(
            (answer.json().get("code"), answer.status_code),
            ("exchange.unreadable", 422),
            answer.json(),
        )

    def test_an_address_that_is_none_and_a_method_that_is_not_taken(self) -> None:
        for method, path, code, status in (
            ("get", "/api/nothing-here", "request.no_such_address", 404),
            ("delete", "/api/orders", "request.method_not_allowed", 405),
        ):
            answer = getattr(self.caller.client, method)(path)
            self.assertEqual((answer.json()["code"], answer.status_code), (code, status))

    def test_a_body_that_is_no_json_is_not_understood(self) -> None:
        answer = self.caller.client.post("/api/commands/receive", "{", content_type="application/json")  # fmt: skip
        self.assertEqual((answer.json()["code"], answer.status_code), ("request.not_understood", 400))  # fmt: skip

    def test_a_request_from_another_page_is_refused(self) -> None:
        caller = Caller(self.person)
        caller.client.handler.enforce_csrf_checks = True
        answer = caller.client.post("/api/commands/receive", "{}", content_type="application/json")
        self.assertEqual((answer.json()["code"], answer.status_code), ("request.from_elsewhere", 403))  # fmt: skip

    def test_an_order_that_can_not_be_computed_says_so_on_its_page(self) -> None:
        order = tracked.running_order(self.shop)
        Order.objects.filter(number=order).update(standard=None)
        Order.objects.get(number=order).inputs.update(allowed_exactly="no number")
        said = self.caller.get(f"orders/{order}")
        self.assertEqual((said["code"], self.caller.status), ("order.faulty", 422))

    def test_a_form_priced_by_mass_needs_all_its_sizes(self) -> None:
        given = {"code": "BAR", "name": "Bar", "unit": "m", "source": "buy", "price": "1", "price_per": "kg", "form": "round bar", "density": "7850"}  # fmt: skip
        said = self.refused("define-item", given, "input.invalid", 422)
        self.assertIn("form", said["detail"])
