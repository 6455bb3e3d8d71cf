"""What suppliers bring and ask: many lines at once, against one by one and against rows saved one by one."""

from time import perf_counter

from django.db import transaction
from django.db.models import Model
from django.test import TestCase
from poietic.buying.models import Delivery, Purchase
from poietic.demo.shop import Shop
from poietic.ledger.models import JournalLine, StockLine
from poietic.ledger.verify import differences

from server.tests.client import make_person

ITEMS, LINES, PURCHASES = 50, 500, 20
#: invoices of one line that are measured
FEW = 40


class Buying(TestCase):
    """Twenty orders of five hundred lines to one supplier."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop(make_person())
        cls.shop.do("define-place", code="STORE", name="Store", kind="store")
        cls.shop.do("define-partner", code="SUP", name="Supplier")
        for n in range(ITEMS):
            cls.shop.do("define-item", code=f"PART-{n}", name=f"Part {n}", unit="pcs", source="buy", price="2")  # fmt: skip
        cls.numbers = []
        for _ in range(PURCHASES):
            lines = [{"item": f"PART-{n % ITEMS}", "quantity": "4", "price": "2.50", "comes_on": "2027-01-15", "place": "STORE"} for n in range(LINES)]  # fmt: skip
            made = cls.shop.do("draft-purchase", supplier="SUP", lines=lines, send=True).made
            cls.numbers.append(int(made["purchase"]))

    def test_many_lines_are_received_in_one_act(self) -> None:
        self.shop.do("receive-purchase", purchase=self.numbers[1])  # so its statements are known
        begin = perf_counter()
        self.shop.do("receive-purchase", purchase=self.numbers[0])
        whole = perf_counter() - begin
        delivered = Delivery.objects.filter(line__purchase__number=self.numbers[0])
        posting = delivered.values_list("posting", flat=True)[0]
        written: list[Model] = [*delivered]
        for model in (StockLine, JournalLine):
            written += model.objects.filter(posting=posting)
        begin = perf_counter()
        with transaction.atomic():
            for row in written:
                row.pk = None
                row.save(force_insert=True)
            transaction.set_rollback(True)
        single = perf_counter() - begin
        self.assertEqual(delivered.count(), LINES)
        met = "met" if single / whole >= 3 else "MISSED"
        print(
            f"\na receipt of {LINES} lines in one act, with locks, values, balances and shortages: {whole:.2f} s, "
            f"{single / whole:.1f} × as fast as its {len(written):,} rows saved one by one by the ORM "
            f"({single:.2f} s) (goal: 3 ×: {met})"
        )

    def test_many_invoice_lines_are_matched_at_once(self) -> None:
        for number in self.numbers:
            self.shop.do("receive-purchase", purchase=number)
        asked = [{"purchase": number, "line": line, "quantity": "2", "amount": "5.10"} for number in self.numbers for line in range(1, LINES + 1)]  # fmt: skip
        begin = perf_counter()
        self.shop.do("post-invoice", supplier="SUP", number="ALL", dated="2026-11-20", lines=asked)
        whole = perf_counter() - begin
        begin = perf_counter()
        for n, line in enumerate(asked[:: len(asked) // FEW]):
            self.shop.do("post-invoice", supplier="SUP", number=f"ONE-{n}", dated="2026-11-20", lines=[line])  # fmt: skip
        single = (perf_counter() - begin) * len(asked) / (n + 1)
        self.assertEqual(differences(), [])
        self.assertEqual(Purchase.objects.filter(state="received").count(), PURCHASES)
        met = "met" if single / whole >= 20 else "MISSED"
        print(
            f"\nan invoice of {len(asked):,} lines matched and posted: {whole:.1f} s, {single / whole:.0f} × as fast "
            f"as its lines one by one ({single:.0f} s, from {n + 1} of them) (goal: 20 ×: {met})"
        )
