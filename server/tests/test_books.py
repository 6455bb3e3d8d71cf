"""The ledger out, many orders closed at once, variances across orders: on the demo."""

import csv
import io
import json
from datetime import timedelta
from decimal import Decimal
from typing import Any
from unittest.mock import patch

from beancount.loader import load_string
from django.db.models import Count
from django.test import TestCase
from django.utils import timezone
from poietic.ledger.models import JournalLine, LateCost, TimeLine
from poietic.ledger.verify import differences
from poietic.orders.models import CauseRow, Order, OrderOperation, Outcome, StoredAttention
from poietic.people.models import Person
from poietic.settling.models import FollowUp
from poietic.settling.months import next_to_close
from poietic.settling.tasks import settle_at_night

from . import demo_rows
from .client import Caller
from .paper_words import words_of


class DemoTest(TestCase):
    """The demo's books, read by its cost accountant."""

    @classmethod
    def setUpTestData(cls) -> None:
        demo_rows.load()

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
        self.refused("input.not_found", "set-account-code", account="stock", item_group="OPTICS", code="1")  # fmt: skip
        Caller(Person.objects.get(name="ines")).must(
            "change-item", {"code": "BL-200", "item_group": "OPTICS"}
        )
        self.sunil.must(
            "set-account-code", {"account": "stock", "item_group": "OPTICS", "code": "1420"}
        )
        text = self.sunil.client.get(f"/api/journal.txt?since={self.since}").content.decode()
        self.assertIn("Assets:Stock:1420", text)
        self.assertIn("Assets:Stock:1410", text)
        self.assertIn("Assets:Stock:1400", text)
        self.assertEqual(load_string(text)[1], [])
        codes = self.sunil.get("books")
        self.assertEqual([c["code"] for c in codes["codes"]], ["1410", "1420"])
        self.sunil.must("set-account-code", {"account": "stock", "item": "AP-20", "code": ""})
        self.sunil.must(
            "set-account-code", {"account": "stock", "item_group": "OPTICS", "code": ""}
        )
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
        for o in orders["rows"]:  # as the bridge that it opens into says
            self.assertEqual(o["basis"], self.sunil.get(f"orders/{o['order']}/bridge")["basis"])
        self.assertEqual(self.sunil.get("variances", where="colour:red")["code"], "input.invalid")
        answer = self.sunil.client.get(f"/api/variances.csv?since={self.since}&rows=item")
        self.assertIn(row["name"], answer.content.decode())
        self.assertEqual(self.sunil.get("variances.docx")["code"], "input.invalid")
        with patch("poietic.settling.across_api.paper", words_of):
            paper = self.sunil.client.get(f"/api/variances.pdf?since={self.since}&rows=item")
        words = paper.content.decode()
        self.assertIn(row["name"], words)
        self.assertIn("moved most", words)

    def test_a_sum_says_on_what_it_stands(self) -> None:
        """Each order behind it counts on the basis that its own page tells, and nothing counts twice."""
        closed = Order.objects.filter(state="closed").latest("number")
        posting = closed.cost_object.postings.filter(kind="closing", reversal=None).latest("pk")
        self.sunil.must("take-back", {"posting": posting.pk})
        table = self.sunil.get("variances", rows="item", columns="cause", since=self.since)
        expected: dict[str, tuple[int, Decimal]] = {}
        varied = Outcome.objects.filter(order__in=CauseRow.objects.values("order"))
        for number, variance in varied.values_list("order__number", "variance"):
            basis = self.sunil.get(f"orders/{number}/bridge")["basis"]
            orders, amount = expected.get(basis, (0, Decimal(0)))
            expected[basis] = (orders + 1, amount + variance)

        told = {p["basis"]: (p["orders"], Decimal(p["amount"])) for p in table["stands_on"]}

        self.assertEqual(told, expected)
        self.assertEqual(set(told), {"actual", "provisional", "corrected"})
        self.assertIn(f"of {told['provisional'][0]} order", table["sentence"])

    def test_three_spans_before_are_a_third_of_their_sum(self) -> None:
        today = timezone.localdate()
        span = {"since": str(today - timedelta(days=19)), "until": str(today)}
        before = CauseRow.objects.filter(finished_on__lt=today - timedelta(days=19), finished_on__gte=today - timedelta(days=79))  # fmt: skip
        expected = sum(before.values_list("amount", flat=True), Decimal(0)) / 3

        table = self.sunil.get("variances", **span)

        self.assertAlmostEqual(Decimal(table["before"]), expected, delta=Decimal("0.01"))
        self.assertIn("than the three spans before", table["sentence"])
        long_ago = self.sunil.get("variances", since="2001-01-01", until="2001-02-01")
        for until in ("0001-01-02", "9999-12-31"):
            self.assertEqual(self.sunil.get("variances", until=until)["code"], "input.invalid")
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
        self.assertEqual(FollowUp.objects.filter(order__number=one, kind=often["kind"]).count(), 1)


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
        for row in page["rows"]:
            self.assertEqual(row["basis"], self.sunil.get(f"orders/{row['order']}/bridge")["basis"])
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


class ActualCost(DemoTest):
    """What standards differ by in a month goes with the goods, and none of it is lost."""

    def test_all_that_a_month_differs_by_stays_somewhere(self) -> None:
        varied = 0
        for back in range(5):
            month = (timezone.localdate().replace(day=1) - timedelta(days=30 * back)).replace(day=1)
            found = self.sunil.get("actual-costs", month=str(month))
            self.assertEqual(sum(Decimal(e["amount"]) for e in found["ends"]), Decimal(found["differs"]))  # fmt: skip
            for r in found["rows"]:
                brought = sum(Decimal(b["amount"]) for b in r["brought"])
                self.assertAlmostEqual(Decimal(r["own"]) + brought, Decimal(r["difference"]), delta=Decimal("0.03"))  # fmt: skip
                if varied < 12:
                    self.explained(r, month)
                if r["actual"]:
                    each = Decimal(r["difference"]) / Decimal(r["quantity"])
                    self.assertAlmostEqual(Decimal(r["actual"]) - Decimal(r["standard"]), each, delta=Decimal("0.01"))  # fmt: skip
                varied += 1
        self.assertGreater(varied, 10)
        self.assertEqual(self.sunil.get("actual-costs", month="1900-01-01")["code"], "input.invalid")  # fmt: skip

    def explained(self, row: Any, month: Any) -> None:
        """Hold an item's row against its postings and what its components brought."""
        found = self.sunil.get(f"actual-costs/{row['item']}", month=str(month))
        self.assertEqual(found["row"], row)
        own = sum((Decimal(o["amount"]) for o in found["origins"]), Decimal(0))
        self.assertEqual(own, Decimal(row["own"]))
        for c in found["carried"]:
            share = Decimal(c["difference"]) * Decimal(c["consumed"]) / Decimal(c["there_was"])
            self.assertAlmostEqual(share, Decimal(c["amount"]), delta=Decimal("0.02"))

    def test_what_a_graded_order_varied_by_goes_to_its_grades(self) -> None:
        graded = Order.objects.filter(grades__isnull=False, outcome__isnull=False).exclude(outcome__variance=0).distinct()  # fmt: skip
        order = graded.filter(state="closed").select_related("outcome")[0]
        month = order.outcome.finished_on.replace(day=1)
        closed = JournalLine.objects.filter(posting__cost_object=order.pk, posting__kind="closing", account__endswith="variance")  # fmt: skip
        parts = Decimal(0)
        for grade in order.grades.filter(received_value__gt=0).select_related("item"):
            said = self.sunil.get(f"actual-costs/{grade.item.code}", month=str(month))
            parts += sum(
                Decimal(o["amount"]) for o in said["origins"] if o["order"] == order.number
            )
        self.assertEqual(parts, sum(closed.values_list("amount", flat=True), Decimal(0)))
        self.assertEqual(self.sunil.get("actual-costs/SW-AL", month="2020-01-01")["code"], "input.not_found")  # fmt: skip

    def test_what_a_month_differs_by_is_what_its_orders_varied_by_and_prices(self) -> None:
        month = (timezone.localdate().replace(day=1) - timedelta(days=40)).replace(day=1)
        lines = JournalLine.objects.filter(posting__kind="closing", account__endswith="variance", posting__happened_at__date__gte=month, posting__happened_at__date__lt=(month + timedelta(days=32)).replace(day=1))  # fmt: skip
        varied = sum(lines.values_list("amount", flat=True), Decimal(0))

        self.assertEqual(Decimal(self.sunil.get("actual-costs", month=str(month))["differs"]), varied)  # fmt: skip

    def test_closing_at_actual_shows_stock_at_what_it_cost_and_takes_that_back(self) -> None:
        month = next_to_close()
        assert month
        if month.ends_at > timezone.now():
            self.skipTest("every month that is over is closed")
        found = {e["where"]: Decimal(e["amount"]) for e in self.sunil.get("actual-costs", month=str(month.first))["ends"]}  # fmt: skip

        self.sunil.must("close-period", {"month": str(month.first), "at_actual": True})

        until = str(month.next.first - timedelta(days=1))
        trial = {r["account"]: r for r in self.sunil.get("books", since=str(month.first), until=until)["rows"]}  # fmt: skip
        self.assertEqual(
            Decimal(trial["stock beyond standard"]["closing"]), found.get("in stock", 0)
        )
        now = {r["account"]: Decimal(r["closing"]) for r in self.sunil.get("books")["rows"]}
        self.assertEqual((now["stock beyond standard"], now["differences of the period carried on"]), (0, 0))  # fmt: skip
        self.assertEqual(differences(), [])


class Margins(DemoTest):
    """What was delivered, at what it cost then and with what came late."""

    def test_late_cost_lowers_the_margin_of_what_was_delivered(self) -> None:
        before = {r["posting"]: r for r in self.sunil.get("delivered")["rows"]}
        self.sunil.must("carry-late-cost", {})

        after = self.sunil.get("delivered")

        self.assertEqual(after["whole"], len(before))
        # 0.60 of freight on each of 24 and of 12 eyepieces
        more = {r["customer"]: Decimal(r["corrected"]) - Decimal(before[r["posting"]]["corrected"]) for r in after["rows"]}  # fmt: skip
        self.assertEqual(sorted(more.values()), [Decimal("7.20"), Decimal("14.40")])
        for r in after["rows"]:
            self.assertEqual(Decimal(r["margin"]), Decimal(r["price"]) - Decimal(r["corrected"]))
            self.assertEqual(r["cost"], before[r["posting"]]["cost"])


class Thresholds(DemoTest):
    """What Today tells of variances: by item, by work center, usually."""

    def told(self) -> set[int]:
        rows = StoredAttention.objects.filter(kind="over allowed")
        return set(rows.values_list("order__number", flat=True))

    def test_an_order_is_told_of_from_its_threshold_on(self) -> None:
        before = self.told()
        order = Order.objects.filter(number__in=before).order_by("number")[0]
        given = {"item": order.item.code, "amount": "100000", "share": "0"}

        self.sunil.must("set-variance-threshold", given)

        self.assertNotIn(order.number, self.told())
        self.sunil.must("set-variance-threshold", {"item": order.item.code})
        self.assertEqual(self.told(), before)
        center = order.operations.earliest("number").work_center.code
        self.sunil.must("set-variance-threshold", {"work_center": center, "amount": "0.01", "share": "0"})  # fmt: skip
        self.assertGreaterEqual(self.told(), before)
        self.refused("input.invalid", "set-variance-threshold", item="MA-200", work_center=center)
        self.refused("input.invalid", "set-variance-threshold", item="MA-200", amount="3")
        self.refused("input.not_found", "set-variance-threshold", item="NONE")


class Indicators(DemoTest):
    """How work centers did, by ISO 22400-2, from what was reported."""

    def test_elements_are_what_was_reported_and_ratios_are_made_of_them(self) -> None:
        months = 0
        for code in ("MILL", "OPTICS", "ASSY", "ELEC"):
            for r in self.sunil.get(f"work-centers/{code}/indicators")["rows"]:
                e = {
                    k: Decimal(r[k])
                    for k in ("pbt", "apt", "aust", "pq", "gq", "sq", "rq", "planned")
                }
                self.assertEqual(e["pq"], e["gq"] + e["sq"] + e["rq"])
                if e["pbt"] and e["apt"] and e["pq"]:
                    oee = e["planned"] * e["gq"] / e["pq"] / e["pbt"]
                    self.assertAlmostEqual(Decimal(r["oee"]), oee, delta=Decimal("0.001"))
                    months += 1
        self.assertGreater(months, 8)
        self.assertEqual(self.sunil.get("work-centers/NONE/indicators")["code"], "input.not_found")

    def test_hours_of_a_month_are_the_time_lines_of_its_operations(self) -> None:
        (latest, *_) = self.sunil.get("work-centers/MILL/indicators")["rows"]
        lines = TimeLine.objects.filter(kind="run machine", posting__happened_at__date__gte=latest["month"])  # fmt: skip
        orders = OrderOperation.objects.filter(work_center__code="MILL").values_list("order", "number")  # fmt: skip
        here = set(orders)
        hours = sum((t.quantity for t in lines.select_related("posting") if (t.posting.cost_object_id, t.operation) in here), Decimal(0))  # fmt: skip

        self.assertEqual(Decimal(latest["apt"]), hours.quantize(Decimal("0.0001")))
