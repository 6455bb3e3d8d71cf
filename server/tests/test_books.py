"""The ledger out, many orders closed at once, variances across orders: on the demo."""

import csv
import io
import json
from datetime import timedelta
from decimal import Decimal
from typing import Any

from beancount.loader import load_string
from django.db.models import Count
from django.test import TestCase
from django.utils import timezone
from poietic.demo import tarn_hollow
from poietic.ledger.models import JournalLine, LateCost
from poietic.ledger.verify import differences
from poietic.orders.models import CauseRow, Order, Outcome
from poietic.people.models import Person
from poietic.settling.models import FollowUp
from poietic.settling.tasks import settle_at_night

from .client import Caller


class DemoTest(TestCase):
    """The demo's books, read by its cost accountant."""

    @classmethod
    def setUpTestData(cls) -> None:
        tarn_hollow.load(timezone.localdate())

    def setUp(self) -> None:
        self.sunil = Caller(Person.objects.get(name="sunil"))
        self.since = str(timezone.localdate() - timedelta(days=200))

    def refused(self, code: str, name: str, /, **given: Any) -> Any:
        said = self.sunil.do(name, given)
        self.assertEqual(said.get("code"), code, said)
        return said


class Out(DemoTest):
    """Trial balance, account sheets, and files that others read."""

    def test_the_trial_balance_balances_and_each_sheet_ends_at_its_account(self) -> None:
        trial = self.sunil.get("books", since=self.since)
        self.assertEqual(trial["debit"], trial["credit"])
        self.assertEqual(sum(Decimal(r["closing"]) for r in trial["rows"]), 0)
        for row in trial["rows"]:
            sheet = self.sunil.get(f"books/{row['account']}", since=self.since, limit="200")
            last = sheet["rows"][-1]["balance"] if len(sheet["rows"]) == sheet["whole"] else None
            self.assertIn(last, (row["closing"], None), row["account"])

    def test_a_general_double_entry_library_loads_the_journal_and_finds_it_balanced(self) -> None:
        text = self.sunil.client.get(f"/api/journal.txt?since={self.since}").content.decode()

        entries, errors, _ = load_string(text)

        self.assertEqual(errors, [])
        transactions = [e for e in entries if type(e).__name__ == "Transaction"]
        self.assertEqual(
            len(transactions), JournalLine.objects.values("posting").distinct().count()
        )
        legs = [leg for t in transactions for leg in t.postings]
        self.assertEqual(len(legs), JournalLine.objects.count())

    def test_the_csv_is_what_its_schema_says(self) -> None:
        answer = self.sunil.client.get(f"/api/journal.csv?since={self.since}").content.decode()
        schema = json.loads(self.sunil.client.get("/api/journal.schema.json").content)
        rows = list(csv.DictReader(io.StringIO(answer)))
        self.assertEqual(list(rows[0]), [f["name"] for f in schema["fields"]])
        self.assertEqual(len(rows), JournalLine.objects.count())
        self.assertEqual(sum(Decimal(r["amount"]) for r in rows), 0)
        self.assertEqual(self.sunil.get("journal.pdf")["code"], "input.invalid")
        self.assertEqual(self.sunil.get("books", since="2026-12-01", until="2026-01-01")["code"], "input.invalid")  # fmt: skip

    def test_accounts_are_called_as_the_books_outside_call_them(self) -> None:
        self.sunil.must("set-account-code", {"account": "stock", "code": "1400"})
        self.sunil.must("set-account-code", {"account": "stock", "item": "AP-20", "code": "1410"})
        self.refused("input.invalid", "set-account-code", account="stock", item="AP-20", work_center="MILL", code="1")  # fmt: skip
        self.refused("input.not_found", "set-account-code", account="stock", work_center="NONE", code="1")  # fmt: skip
        text = self.sunil.client.get(f"/api/journal.txt?since={self.since}").content.decode()
        self.assertIn("Assets:Stock:1410", text)
        self.assertIn("Assets:Stock:1400", text)
        self.assertEqual(load_string(text)[1], [])
        codes = self.sunil.get("books")
        self.assertEqual([c["code"] for c in codes["codes"]], ["1410"])
        self.sunil.must("set-account-code", {"account": "stock", "item": "AP-20", "code": ""})
        self.assertEqual(self.sunil.get("books")["codes"], [])


class Across(DemoTest):
    """Variances of finished orders, by anything."""

    def test_the_parts_of_each_order_are_its_variance(self) -> None:
        self.assertEqual(differences(), [])
        self.assertGreater(CauseRow.objects.count(), 100)
        whole = sum(Outcome.objects.values_list("variance", flat=True), Decimal(0))
        for by in ("item", "cause", "work center", "component", "supplier", "grade", "person", "customer", "reason", "period"):  # fmt: skip
            table = self.sunil.get("variances", rows=by, columns="cause", since=self.since)
            rows = sum(Decimal(r["amount"]) for r in table["rows"]) + Decimal(
                table["others_amount"]
            )
            self.assertEqual((Decimal(table["amount"]), rows), (whole, whole), by)
            for r in table["rows"]:
                self.assertEqual(
                    sum(Decimal(c["amount"]) for c in r["cells"]), Decimal(r["amount"])
                )

    def test_a_cell_opens_into_its_orders(self) -> None:
        table = self.sunil.get("variances", rows="item", columns="cause", since=self.since)
        row = next(r for r in table["rows"] if r["cells"])
        cell = row["cells"][0]
        where = f"item:{row['key']};cause:{cell['column']}"

        orders = self.sunil.get("variances/orders", since=self.since, where=where)

        self.assertEqual(sum(Decimal(o["amount"]) for o in orders["rows"]), Decimal(cell["amount"]))
        self.assertEqual(self.sunil.get("variances", where="colour:red")["code"], "input.invalid")
        answer = self.sunil.client.get(f"/api/variances.csv?since={self.since}&rows=item")
        self.assertIn(row["name"], answer.content.decode())
        self.assertEqual(self.sunil.get("variances.pdf")["code"], "input.invalid")

    def test_three_spans_before_are_a_third_of_their_sum(self) -> None:
        today = timezone.localdate()
        span = {"since": str(today - timedelta(days=19)), "until": str(today)}
        before = CauseRow.objects.filter(finished_on__lt=today - timedelta(days=19), finished_on__gte=today - timedelta(days=79))  # fmt: skip
        expected = sum(before.values_list("amount", flat=True), Decimal(0)) / 3

        table = self.sunil.get("variances", **span)

        self.assertAlmostEqual(Decimal(table["before"]), expected, delta=Decimal("0.01"))
        self.assertIn("than the three spans before", table["sentence"])
        long_ago = self.sunil.get("variances", since="2001-01-01", until="2001-02-01")
        self.assertEqual(long_ago["sentence"], "No order was finished in this time.")

    def test_a_note_is_seen_again_when_its_cause_returns(self) -> None:
        rows = CauseRow.objects.filter(amount__gt=0).values("item", "kind").annotate(orders=Count("order", distinct=True))  # fmt: skip
        often = rows.order_by("-orders", "item", "kind").first()
        assert often
        orders = CauseRow.objects.filter(amount__gt=0, item=often["item"], kind=often["kind"])
        one, other = (
            orders.order_by("order__number").values_list("order__number", flat=True).distinct()[:2]
        )
        given = {
            "order": one,
            "cause": often["kind"],
            "note": "new contract from March",
            "owner": "ines",
        }
        self.sunil.must("follow-up-variance", given)
        self.refused("input.not_found", "follow-up-variance", **given | {"owner": "nobody"})
        self.refused("input.not_found", "follow-up-variance", **given | {"order": 999_999})

        (own,) = self.sunil.get(f"orders/{one}/follow-ups")["own"]
        (again,) = self.sunil.get(f"orders/{other}/follow-ups")["earlier"]

        self.assertEqual(own, again)
        self.assertEqual((again["note"], again["owner"][:4]), ("new contract from March", "Ines"))
        self.assertEqual(self.sunil.get("orders/999999/follow-ups")["code"], "input.not_found")
        self.assertEqual(FollowUp.objects.count(), 1)


class ManyAtOnce(DemoTest):
    """Orders closed under a limit, by hand and at night."""

    def completed(self) -> dict[int, Decimal]:
        rows = Outcome.objects.filter(order__state="completed")
        return {n: abs(v) for n, v in rows.values_list("order__number", "variance")}

    def reopen(self, most: int = 4) -> dict[int, Decimal]:
        """Take the closing of some orders back."""
        closings = Order.objects.filter(state="closed").order_by("-number")[:most]
        for order in closings:
            posting = order.cost_object.postings.filter(kind="closing", reversal=None).latest("pk")
            self.sunil.must("take-back", {"posting": posting.pk})
        return self.completed()

    def test_those_within_the_limit_are_closed_and_the_others_told(self) -> None:
        varies = self.reopen()
        limit = sorted(varies.values())[1]
        shown = self.sunil.preview("close-orders", {"most_variance": str(limit)})
        self.sunil.must("close-orders", {"most_variance": str(limit)})

        left = {n: v for n, v in varies.items() if v > limit}
        self.assertEqual(self.completed(), left)
        self.assertEqual(len([r for r in shown["consequences"]["remarks"] if "left open" in r["text"]]), len(left))  # fmt: skip
        page = self.sunil.get("closing")
        self.assertEqual(([r["order"] for r in page["rows"]], page["runs"][0]["left"]), (sorted(left, key=lambda n: (-left[n], n)), len(left)))  # fmt: skip
        self.refused("input.invalid", "close-orders", most_variance=str(limit))
        self.refused("input.not_found", "close-orders", orders=[999_999])
        self.assertEqual(differences(), [])

    def test_the_night_carries_late_cost_on_and_closes_what_the_rule_says(self) -> None:
        varies = self.reopen()
        self.sunil.must("set-closing-rule", {"is_on": True, "most_variance": "1000000", "days": 0})
        waits = LateCost.objects.filter(carried_by=None).count()

        settle_at_night(1)
        settle_at_night(1)

        self.assertEqual(
            (self.completed(), LateCost.objects.filter(carried_by=None).count()), ({}, 0)
        )
        page = self.sunil.get("closing")
        self.assertEqual((sorted(page["runs"][0]["closed"]), page["is_on"]), (sorted(varies), True))
        self.assertGreaterEqual(waits, 0)
        self.assertEqual(differences(), [])
