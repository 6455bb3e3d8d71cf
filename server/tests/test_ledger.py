"""What the ledger guards: appended only, balanced, once, one at a time, as seen."""

from concurrent.futures import ThreadPoolExecutor
from decimal import Decimal
from threading import Barrier
from typing import Any

from django.conf import settings
from django.db import DatabaseError, IntegrityError, connection, transaction
from django.test import TestCase, TransactionTestCase
from django.utils import timezone
from poietic.commanding.models import Entry
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.ledger.models import Account, JournalLine, Posting, StockBalance
from poietic.ledger.rights import APPEND_ONLY
from poietic.ledger.verify import differences

from .client import Caller, make_person


class Guards(TestCase):
    """The database itself refuses what the ledger forbids."""

    @classmethod
    def setUpTestData(cls) -> None:
        mirror_cell.define(Shop())
        mirror_cell.supply(Shop())

    def attempt(self, statement: str) -> str:
        """Return what the database says to a statement of the serving role."""
        with (
            self.assertRaises(DatabaseError) as refused,
            transaction.atomic(),
            connection.cursor() as cursor,
        ):
            cursor.execute(f"SET LOCAL ROLE {settings.APPLICATION_ROLE}")
            cursor.execute(statement)
        return str(refused.exception)

    def test_the_serving_role_can_only_append(self) -> None:
        for table in APPEND_ONLY:
            for statement in (
                f"DELETE FROM {table}",
                f"UPDATE {table} SET id = id",
                f"TRUNCATE {table} CASCADE",
            ):
                self.assertIn("permission denied", self.attempt(statement), statement)

    def test_even_the_owner_can_not_change_what_was_posted(self) -> None:
        for table in APPEND_ONLY[1:4]:
            for verb in (f"DELETE FROM {table}", f"UPDATE {table} SET id = id"):
                with (
                    self.assertRaisesMessage(IntegrityError, "append-only"),
                    transaction.atomic(),
                    connection.cursor() as cursor,
                ):
                    cursor.execute(verb)

    def test_an_unbalanced_posting_is_refused_at_commit(self) -> None:
        with (
            self.assertRaisesMessage(IntegrityError, "out of balance by 0.01"),
            transaction.atomic(),
        ):
            posting = Posting.objects.create(
                kind=Posting.Kind.ISSUE,
                entry=Entry.objects.earliest("id"),
                happened_at=timezone.now(),
                entered_at=timezone.now(),
            )
            JournalLine.objects.create(
                posting=posting, account=Account.GOODS_RECEIVED, amount=Decimal("0.01")
            )
            with connection.cursor() as cursor:
                cursor.execute("SET CONSTRAINTS ALL IMMEDIATE")

    def test_verify_finds_a_balance_that_was_tampered_with(self) -> None:
        self.assertEqual(differences(), [])
        StockBalance.objects.filter(item__code="PAD-3").update(quantity=399)

        found = differences()

        self.assertEqual(len(found), 2, found)  # by place, and the holding over all places
        self.assertTrue(all("399" in line for line in found))

    def test_freezing_again_revalues_stock_and_leaves_open_orders_alone(self) -> None:
        shop = Shop()
        order = mirror_cell.plan(shop, "MA-200", "40")
        steps = mirror_cell.steps(order)
        for name, given in steps[:5]:
            shop.do(name, **given)
        shop.do("change-item", code="SB-06", price="30.00")

        outcome = shop.do("freeze-standard")

        # no collimation set is in stock; its standard rises by 0.122 m × 5.00
        fields = {(f.thing, f.field): (f.before, f.after) for f in outcome.consequences.fields}
        self.assertEqual(fields["item CS-01", "standard"], ("8.15", "8.76"))
        received = shop.do(steps[5][0], **steps[5][1])
        journal = {j.account: j.debit - j.credit for j in received.consequences.journal}
        # WIP is credited at the frozen 2,136.15; stock at 40 × 54.013684 = 2,160.55
        self.assertEqual(journal["work in process"], Decimal("-2136.15"))
        self.assertEqual(journal["stock"], Decimal("2160.55"))
        self.assertEqual(journal["stock revaluation"], Decimal("-24.40"))
        for name, given in steps[6:]:
            shop.do(name, **given)
        shop.do("change-item", code="SB-06", price="25.00")
        again = shop.do("freeze-standard").consequences
        self.assertEqual(again.journal[0].credit, Decimal("24.40"))
        self.assertEqual(differences(), [])


class Together(TransactionTestCase):
    """Several clients at once."""

    def setUp(self) -> None:
        mirror_cell.define(Shop())
        mirror_cell.supply(Shop())
        self.people = [make_person("ada"), make_person("bo")]
        self.order = mirror_cell.plan(Shop(), "MA-200", "40")
        Shop().do("release-order", order=self.order)

    def both(
        self, given: dict[str, Any], keys: list[str], people: list[Any] | None = None
    ) -> list[Any]:
        """Return the answers to two issues sent at the same moment."""
        barrier = Barrier(2)

        def send(n: int) -> Any:
            try:
                caller = Caller((people or self.people)[n])
                barrier.wait()
                return caller.do("issue-material", given, key=keys[n])
            finally:
                connection.close()

        with ThreadPoolExecutor(2) as pool:
            return list(pool.map(send, range(2)))

    def issue(self, quantity: str) -> dict[str, Any]:
        """Return the input of an issue of collimation sets, of which there are 40."""
        return {
            "order": self.order,
            "lines": [{"operation": 20, "item": "CS-01", "quantity": quantity}],
        }

    def test_the_last_piece_goes_to_one_and_the_other_is_told_who_took_it(self) -> None:
        answers = self.both(self.issue("40"), ["first-key", "other-key"])

        codes = sorted(a.get("code", "posted") for a in answers)
        self.assertEqual(codes, ["posted", "stock.not_enough"])
        problem = next(a for a in answers if "code" in a)
        self.assertRegex(problem["detail"], r"issue material by (Ada|Bo) Example")
        self.assertIn("0 pcs there", problem["title"])
        self.assertEqual(differences(), [])

    def test_the_same_key_posts_once_and_gives_the_same_answer(self) -> None:
        one = [self.people[0]] * 2
        answers = self.both(self.issue("5"), ["same-key", "same-key"], one)

        self.assertEqual(answers[0], answers[1])
        self.assertEqual(len(answers[0]["postings"]), 1)
        caller = Caller(self.people[0])
        other = caller.do("issue-material", self.issue("6"), key="same-key")
        self.assertEqual((caller.status, other["code"]), (409, "command.key_used"))

    def test_who_acts_on_something_changed_is_told_what_and_nothing_is_posted(self) -> None:
        ada, bo = (Caller(p) for p in self.people)
        seen = ada.preview("issue-material", self.issue("5"))["seen"]
        bo.must("issue-material", self.issue("3"))

        problem = ada.do("issue-material", self.issue("5"), seen=seen)

        self.assertEqual((ada.status, problem["code"]), (409, "command.changed_since"))
        self.assertIn(f"order {self.order}: issue material by Bo Example", problem["detail"])
        new = problem["context"]["consequences"]["stock"][0]
        self.assertEqual((new["before"], new["after"]), ("37.000000", "32.000000"))
        again = ada.preview("issue-material", self.issue("5"))
        ada.do("issue-material", self.issue("5"), seen=again["seen"])
        self.assertEqual(ada.status, 200)

    def test_many_postings_to_the_same_stock_do_not_lock_each_other_up(self) -> None:
        orders = [mirror_cell.plan(Shop(), "MA-200", "40") for _ in range(4)]
        for order in orders:
            Shop().do("release-order", order=order)
        lines = [
            {"operation": 20, "item": "CS-01", "quantity": "1"},
            {"operation": 20, "item": "PAD-3", "quantity": "1"},
            {"operation": 10, "item": "AP-20", "quantity": "1"},
        ]

        def post_some(n: int) -> None:
            try:
                for _ in range(5):
                    Shop().do("issue-material", order=orders[n], lines=lines[:: 1 - 2 * (n % 2)])
            finally:
                connection.close()

        with ThreadPoolExecutor(4) as pool:
            list(pool.map(post_some, range(4)))

        left = StockBalance.objects.get(item__code="CS-01", place__code="STORE").quantity
        self.assertEqual(left, 20)
        self.assertEqual(differences(), [])
