"""Random shops: whatever is done in whatever order, quantity and money are conserved."""

from decimal import Decimal
from typing import Any

from django.db import transaction
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase
from poietic.costing.models import Standard
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.ledger.models import Posting, WipBalance
from poietic.ledger.verify import differences
from poietic.orders.book import OrderBook
from poietic_core.errors import DomainError

from .client import make_person

hours = st.integers(0, 30).map(lambda n: str(Decimal(n) / 10))
few = st.integers(0, 9).map(str)
some = st.integers(1, 9).map(str)


@st.composite
def structures(draw: st.DrawFn) -> dict[str, Any]:
    """Draw a structure of up to three operations."""
    numbers = [10, 20, 30][: draw(st.integers(1, 3))]
    is_parallel = len(numbers) == 3 and draw(st.booleans())
    operations = []
    for n in numbers:
        reported = n == numbers[-1] or draw(st.booleans())
        operations.append(
            {
                "number": n,
                "name": f"Step {n}",
                "work_center": draw(st.sampled_from(["MILL", "ASSY"])),
                "setup_labour_hours": draw(hours),
                "run_labour_hours": draw(hours),
                "run_machine_hours": draw(hours),
                "yield_share": draw(st.sampled_from(["1", "0.9"])) if reported else "1",
                "is_report_point": reported,
                "after": {20: [], 30: [10, 20]}.get(n) if is_parallel else None,
            }
        )
    components = [
        {
            "item": item,
            "operation": draw(st.sampled_from(numbers)),
            "quantity": draw(some),
            "per": draw(st.sampled_from(["unit", "order"])),
            "allowance": draw(st.sampled_from(["0", "0.1"])),
            "issue_rule": draw(
                st.sampled_from(["by hand", "at operation", "at receipt", "at release"])
            ),
        }
        for item in draw(st.sets(st.sampled_from(["AP-20", "PAD-3", "CS-01"])))
    ]
    outputs = [
        {"item": "SW-AL", "operation": numbers[0], "quantity": draw(some), "credit_price": "1.20"}
    ][: draw(st.integers(0, 1))]
    return {
        "item": "MA-200",
        "batch_quantity": draw(st.sampled_from(["1", "3"])),
        "operations": operations,
        "components": components,
        "outputs": outputs,
    }


acts = st.one_of(
    st.tuples(st.just("issue"), st.sampled_from(["AP-20", "PAD-3", "CS-01"]), some),
    st.tuples(st.just("return"), st.sampled_from(["AP-20", "PAD-3", "CS-01"]), some),
    st.tuples(st.just("report"), few, few, hours),
    st.tuples(st.just("receive"), some),
    st.tuples(st.just("take back"), st.integers(0, 30)),
    st.tuples(st.just("correct"), st.integers(0, 30), few),
    st.tuples(st.just("freeze"), some),
)


class RandomShops(TestCase):
    """The ledger's invariants, and preview equal to posting, over random commands."""

    @classmethod
    def setUpTestData(cls) -> None:
        mirror_cell.define(Shop())
        cls.person = make_person()
        lines = [("AP-20", "6.80"), ("PAD-3", "0.43"), ("SB-06", "25.10")]
        cls.shop = Shop(cls.person)
        cls.shop.do(
            "receive-material",
            lines=[
                {"item": item, "quantity": "300", "price": price, "place": "STORE"}
                for item, price in lines
            ],
        )
        order = mirror_cell.plan(cls.shop, "CS-01", "100")
        cls.shop.do("release-order", order=order)
        cls.shop.do("report", order=order, operation=10, good="100", receive="100")

    @settings(max_examples=30, suppress_health_check=[HealthCheck.too_slow])
    @given(structures(), structures(), st.booleans(), st.lists(acts, max_size=12))
    def test_conserved_whatever_happens(
        self,
        standard: dict[str, Any],
        changed: dict[str, Any],
        is_changed: bool,
        sequence: list[tuple[Any, ...]],
    ) -> None:
        """Run one order through a sequence of acts, and to its close."""
        shop = self.shop
        for structure in (standard, changed)[: 1 + is_changed]:
            shop.do("draft-structure", **structure)
            shop.do("approve-structure", item="MA-200")
            if structure is standard:
                shop.do("freeze-standard")
        order = mirror_cell.plan(shop, "MA-200", "6")
        shop.do("release-order", order=order)
        reported = [
            o["number"]
            for o in (changed if is_changed else standard)["operations"]
            if o["is_report_point"]
        ]
        for act in sequence:
            for name, wanted in self.commands(order, reported, act):
                self.attempt(name, wanted)
                self.check(order)
        for number in reported:
            self.attempt("report", {"order": order, "operation": number, "good": "2"})
        self.attempt("receive", {"order": order, "quantity": "2"})
        if self.attempt("complete-order", {"order": order}):
            self.check(order)
            self.attempt("close-order", {"order": order}, must=True)
            self.assertFalse(
                WipBalance.objects.filter(cost_object__number=order).exclude(amount=0).exists()
            )
        self.check(order)

    def commands(
        self, order: int, reported: list[int], act: tuple[Any, ...]
    ) -> list[tuple[str, dict[str, Any]]]:
        """Return the commands of a drawn act."""
        kind, *rest = act
        if kind in ("issue", "return"):
            book = OrderBook.read(order)
            return [
                (
                    f"{kind}-material",
                    {
                        "order": order,
                        "lines": [{"operation": c.operation, "item": rest[0], "quantity": rest[1]}],
                    },
                )
                for c in book.components()
                if c.item and c.item.code == rest[0]
            ]
        if kind == "report":
            scrap = [{"reason": "DROPPED", "quantity": rest[1]}] if rest[1] != "0" else []
            report = {"order": order, "good": rest[0], "scrap": scrap, "run_labour_hours": rest[2]}
            return [("report", report | {"operation": n}) for n in reported]
        if kind == "receive":
            return [("receive", {"order": order, "quantity": rest[0]})]
        if kind == "freeze":
            return [
                ("change-item", {"code": "SB-06", "price": f"{rest[0]}0.00"}),
                ("freeze-standard", {"items": ["SB-06", "CS-01"]}),
            ]
        postings = list(
            Posting.objects.filter(cost_object__number=order).values_list("pk", flat=True)
        )
        if not postings:
            return []
        posting = postings[rest[0] % len(postings)]
        if kind == "take back":
            return [("take-back", {"posting": posting})]
        right = {"order": order, "operation": reported[0], "good": rest[1], "run_labour_hours": "1"}
        return [("correct-report", {"posting": posting, "report": right})]

    def attempt(self, name: str, given: dict[str, Any], *, must: bool = False) -> bool:
        """Preview and carry out a command; a refusal has to be the same both times."""
        try:
            seen = self.shop.preview(name, **given).consequences
        except DomainError as refusal:
            self.assertFalse(must, refusal)
            with self.assertRaises(type(refusal)), transaction.atomic():
                self.shop.do(name, **given)
            return False
        self.assertEqual(self.shop.do(name, **given).consequences, seen)
        return True

    def check(self, order: int) -> None:
        """Assert what must hold after every posting."""
        self.assertEqual(differences(), [])
        book = OrderBook.read(order)
        variance = book.variance()
        causes = variance.rounded_causes()
        self.assertEqual(sum(a for _, a in causes), variance.to_date())
        wip = sum(
            (b.amount for b in WipBalance.objects.filter(cost_object=book.order.pk)), Decimal(0)
        )
        if book.order.state != "closed":
            self.assertEqual(variance.charged - book.order.received_value, wip)
        # the frozen standard carries 6 decimals, so `received` pieces leave so much at most
        self.assertLess(
            abs(causes[-1][0].amount.value), Decimal("0.011") + book.order.received / 10**5
        )
        assert isinstance(book.order.standard, Standard)
