"""The stand-in for machines' counters, and a shift whose rows say who, from when to when, and of which lot."""

import csv
from datetime import timedelta
from decimal import Decimal
from typing import Any

from django.utils import timezone
from poietic.ledger.models import Lot, Posting, TimeLine
from poietic.orders.machine_counter import MOST
from poietic.orders.models import OrderInput

from .client import make_person
from .test_shift import ShiftTest


def yesterday() -> Any:
    return timezone.localdate() - timedelta(days=1)


class Counted(ShiftTest):
    """What the stand-in says can be posted as it stands."""

    def sheet(self, day: Any) -> list[dict[str, str]]:
        answer = self.caller.client.get("/api/stand-ins/machine-counter.csv", {"day": str(day)})
        self.assertEqual(answer.status_code, 200)
        return list(csv.DictReader(answer.content.decode().splitlines()))

    def test_the_same_day_counts_the_same_and_the_sheet_is_posted(self) -> None:
        rows = self.sheet(yesterday())
        self.assertEqual(rows, self.sheet(yesterday()))
        self.assertEqual({(r["order"], r["op"]) for r in rows}, {(str(self.one), "10")})
        row = rows[0]
        self.assertTrue(1 <= int(row["good"]) <= min(3, MOST))
        given = {"order": int(row["order"]), "operation": int(row["op"]), "good": row["good"], "started": row["from"], "ended": row["to"]}  # fmt: skip
        self.must("post-shift", rows=[given], day=str(yesterday()))
        self.assertEqual(self.passed(self.one)[10], (int(row["good"]), 0))

    def test_before_the_day_begins_nothing_is_counted(self) -> None:
        self.assertEqual(self.sheet(timezone.localdate() + timedelta(days=1)), [])


class WhoAndWhen(ShiftTest):
    """Rows with a person and times of the day."""

    def setUp(self) -> None:
        super().setUp()
        make_person("lotte")

    def post(self, *rows: dict[str, Any], **more: Any) -> Any:
        return self.must("post-shift", rows=list(rows), day=str(yesterday()), **more)

    def used(self, order: int, kind: str) -> Decimal:
        return OrderInput.objects.get(order__number=order, operation=10, kind=kind).used

    def test_who_is_at_two_machines_shares_his_time_and_the_machines_run_theirs(self) -> None:
        self.post(
            self.row(self.one, 10, "2", who="lotte", started="06:00", ended="09:00"),
            self.row(self.two, 10, "2", who="lotte", started="07:00", ended="10:00"),
        )
        self.assertEqual([self.used(o, "run labour") for o in (self.one, self.two)], [2, 2])
        self.assertEqual([self.used(o, "run machine") for o in (self.one, self.two)], [3, 3])
        lines = TimeLine.objects.filter(person__name="lotte")
        self.assertEqual(sum(t.quantity for t in lines), 4)  # from six to ten

    def test_it_happened_when_it_ended_also_after_midnight(self) -> None:
        said = self.post(self.row(self.one, 10, "1", started="05:00", ended="05:30"))
        ended = timezone.localtime(Posting.objects.get(pk=said["postings"][0]).happened_at)
        self.assertEqual((ended.date(), f"{ended:%H:%M}"), (yesterday(), "05:30"))
        before = str(yesterday() - timedelta(days=1))
        said = self.must("post-shift", rows=[self.row(self.one, 10, "1", started="22:00", ended="04:00")], day=before)  # fmt: skip
        ended = timezone.localtime(Posting.objects.get(pk=said["postings"][0]).happened_at)
        self.assertEqual((ended.date(), ended.hour), (yesterday(), 4))
        self.assertEqual(self.used(self.one, "run machine"), Decimal("6.5"))

    def test_hours_that_are_said_go_before_the_clock(self) -> None:
        self.post(self.row(self.one, 10, "1", who="lotte", run_hours="0.4", started="06:00", ended="09:00"))  # fmt: skip
        self.assertEqual(self.used(self.one, "run labour"), Decimal("0.4"))

    def test_what_is_received_of_a_row_is_of_its_lot(self) -> None:
        self.shop.do("change-item", code="MA-200", tracking="lot", number_rule="C{number:3}")
        self.post(self.row(self.one, 10, "2"), self.row(self.one, 20, "2", lot="TUESDAY"), receive=True)  # fmt: skip
        self.assertTrue(Lot.objects.filter(item__code="MA-200", code="TUESDAY").exists())

    def test_what_a_row_can_not_say_is_told_with_it(self) -> None:
        for more, words in (
            ({"who": "lotte"}, "say how long lotte worked"),
            ({"started": "06:00"}, "from when to when"),
            ({"lot": "L"}, "of its own"),
            ({"who": "nobody", "run_hours": "1"}, "nobody"),
        ):
            said = self.refused("shift.rows_refused", "post-shift", rows=[self.row(self.one, 10, "1", **more)])  # fmt: skip
            self.assertIn(words, said["title"])
        self.refused("input.invalid", "post-shift", rows=[self.row(self.one, 10, "1", started="25:00", ended="26:00")])  # fmt: skip

    def test_a_person_at_several_machines_at_once_is_charged_his_share(self) -> None:
        people = [{"person": "lotte", "hours": "3", "machines": 4}]
        self.must("report", order=self.one, operation=10, good="1", people=people)
        self.assertEqual(self.used(self.one, "run labour"), Decimal("0.75"))
