"""Random sequences over items valued and told apart in every way: quantity and money are conserved."""

from decimal import Decimal
from typing import Any

from django.db import transaction
from django.db.models import Sum
from django.utils import timezone
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.ledger.models import (
    Holding,
    JournalLine,
    Layer,
    Lot,
    Posting,
    StockBalance,
    StockLine,
)
from poietic.ledger.verify import differences
from poietic.picking.models import PickLine
from poietic.stores.models import Transfer
from poietic.stores.stock_list import stock_list
from poietic_core.errors import DomainError
from poietic_core.stock.lots import LotState
from poietic_core.stock.valuation import Method

from . import tracked
from .client import make_person

items = st.sampled_from(list(tracked.BOUGHT))
few = st.integers(1, 5).map(str)
prices = st.integers(0, 999).map(lambda cents: str(Decimal(cents) / 100))
posting_acts = st.one_of(
    st.tuples(st.just("receive"), items, few, prices),
    st.tuples(st.just("issue"), items, few),
    st.tuples(st.just("return"), items, few),
    st.tuples(st.just("report"), few),
)
store_acts = st.one_of(
    st.tuples(st.just("move"), items, few),
    st.tuples(st.just("scrap"), items, few),
    st.tuples(st.just("send"), items, few),
    st.tuples(st.just("arrive"), st.booleans()),
    st.tuples(st.just("judge"), st.integers(0, 30), st.sampled_from(LotState)),
    st.tuples(st.just("regroup"), st.integers(0, 30), st.integers(0, 30)),
    st.tuples(st.just("adjust"), items, st.integers(0, 6).map(str)),
)
life_acts = st.one_of(
    st.tuples(st.sampled_from(["hold", "resume", "list", "take", "put", "issue picked", "part"])),
    st.tuples(
        st.just("unwind"), st.sampled_from(["before the last report", "released", "nothing"])
    ),
    st.tuples(st.just("resize"), few),
)
acts = st.one_of(
    posting_acts,
    store_acts,
    life_acts,
    st.tuples(st.just("take back"), st.integers(0, 60)),
    st.tuples(st.just("value"), items, st.sampled_from(Method)),
    st.tuples(st.just("release"), few),
    st.tuples(st.just("complete")),
    st.tuples(st.just("freeze"), items, few),
)
#: refusals that a sequence may run into; any other is a fault
ALLOWED = {
    "stock.not_enough",
    "stock.layer_used",
    "order.more_than_issued",
    "order.more_than_ordered",
    "order.wrong_state",
    "posting.taken_back",
    "posting.not_reversible",
    "report.below_successor",
    "input.invalid",
    "lot.not_issued",
    "lot.already_there",
    "lot.not_usable",
    "lot.needed",
    "lot.serial_is_one_piece",
    "input.not_found",
    "input.exists",
    "order.on_hold",
    "order.not_on_hold",
    "order.nothing_to_unwind",
    "order.less_than_done",
    "order.more_than_left",
    "stock.kept_for_others",
    "pick.nothing",
    "pick.nothing_ready",
    "pick.done",
    "pick.not_taken",
    "pick.still_picked",
    "quantity.off_step",
}


def picture() -> tuple[object, ...]:
    """Return what is in stock, and what it is worth, by item, place, lot and layer."""
    return (
        list(Holding.objects.order_by("pk").values_list("item", "quantity", "value", "standard")),
        list(StockBalance.objects.exclude(quantity=0).order_by("item", "place", "lot").values_list("item", "place", "lot", "quantity")),
        list(Layer.objects.filter(quantity_left__gt=0).order_by("pk").values_list("item", "quantity_left", "value_left")),
    )  # fmt: skip


class AnyLedger(TestCase):
    """Orders of kits, their material tracked and valued in six ways."""

    @classmethod
    def setUpTestData(cls) -> None:
        tracked.define(Shop())
        cls.person = make_person()
        cls.shop = Shop(cls.person)
        for code in tracked.BOUGHT:
            tracked.receive(cls.shop, code, "3", "10")
        cls.shop.do("define-place", code="SHELF", name="Shelf", kind="floor")
        cls.shop.do("define-site", code="HILL", name="Hill works")
        cls.shop.do("define-place", code="HILL-1", name="Hill store", kind="store", site="HILL")
        cls.shop.do("change-work-center", code="ASSY", floor_place="SHELF")
        cls.shop.do("define-reason", code="WAITS", name="Waits", use="hold")
        cls.shop.do("define-reason", code="DAMP", name="Got damp", use="scrap")
        cls.shop.do("define-reason", code="COUNT", name="Counted differently", use="adjustment")

    @settings(max_examples=25, suppress_health_check=[HealthCheck.too_slow])
    @given(st.lists(acts, min_size=3, max_size=14))
    def test_conserved_whatever_happens(self, sequence: list[tuple[Any, ...]]) -> None:
        self.orders = [tracked.running_order(self.shop, "2")]
        for act in sequence:
            name, wanted = self.command(*act)
            if name:
                self.attempt(name, wanted)
                self.assertEqual(differences(), [], (name, wanted))
                self.assert_on_hand_is_told_in_parts()
        self.assert_rebuilt_from_lines()

    @settings(max_examples=12, suppress_health_check=[HealthCheck.too_slow])
    @given(st.lists(posting_acts, min_size=2, max_size=10))
    def test_all_taken_back_last_first_leaves_all_as_it_was(
        self, sequence: list[tuple[Any, ...]]
    ) -> None:
        """Also what is reserved: what comes back is kept again."""
        self.orders = [tracked.running_order(self.shop, "2")]
        before, last = picture(), Posting.objects.latest("pk").pk
        for act in sequence:
            name, wanted = self.command(*act)
            self.attempt(name, wanted)

        posted = Posting.objects.filter(pk__gt=last).order_by("-pk").values_list("pk", flat=True)
        for posting in list(posted):
            if not Posting.objects.filter(reverses=posting).exists():
                self.shop.do("take-back", posting=posting)

        self.assertEqual(picture(), before)
        self.assertEqual(differences(), [])

    def command(self, kind: str, *rest: Any) -> tuple[str, dict[str, Any]]:
        """Return the command of a drawn act."""
        order = self.orders[-1]
        if kind == "receive":
            line = {"item": rest[0], "quantity": rest[1], "price": rest[2], "place": "STORE"}
            return "receive-material", {"lines": [line]}
        if kind in ("issue", "return"):
            line = {"operation": 10, "item": rest[0], "quantity": rest[1]}
            return f"{kind}-material", {"order": order, "lines": [line]}
        if kind == "report":
            return "report", {"order": order, "operation": 10, "good": rest[0], "receive": rest[0]}
        if kind in ("move", "send"):
            to, name = ("SHELF", "move-stock") if kind == "move" else ("HILL-1", "send-transfer")
            lines = [{"item": rest[0], "quantity": rest[1]}]
            return name, {"from_place": "STORE", "to_place": to, "lines": lines}
        if kind == "arrive":
            number = Transfer.objects.filter(is_on_the_way=True).values_list("pk", flat=True).first()  # fmt: skip
            back = {"place": "STORE"} if rest[0] else {}
            return "receive-transfer", {"transfer": number or 1} | back
        if kind == "scrap":
            return "scrap-stock", {"item": rest[0], "quantity": rest[1], "place": "STORE", "why": "DAMP"}  # fmt: skip
        if kind == "adjust":
            lot = Lot.objects.filter(item__code=rest[0]).order_by("pk").values_list("code", flat=True).first()  # fmt: skip
            return "adjust-stock", {"item": rest[0], "place": "STORE", "lot": lot or "", "on_hand": rest[1], "why": "COUNT"}  # fmt: skip
        if kind in ("judge", "regroup"):
            return self.of_lot(kind, *rest)
        if kind == "value":
            return "change-valuation", {"item": rest[0], "valuation": rest[1].value}
        if kind == "release":
            self.orders.append(mirror_cell.plan(self.shop, "KIT", rest[0]))
            return "release-order", {"order": self.orders[-1]}
        if kind == "complete":
            return "complete-order", {"order": order}
        if found := self.of_life(kind, order, *rest):
            return found
        if kind == "freeze":
            self.shop.do("change-item", code=rest[0], price=f"{rest[1]}.10")
            return "freeze-standard", {}
        postings = list(Posting.objects.order_by("pk").values_list("pk", flat=True))
        return "take-back", {"posting": postings[rest[0] % len(postings)]}

    def of_life(self, kind: str, order: int, *rest: Any) -> tuple[str, dict[str, Any]] | None:
        """Return the command of an act on an order's life, or on what is picked for it."""
        if kind in ("list", "part"):
            if kind == "part":
                self.orders.append(mirror_cell.plan(self.shop, "KIT", "3"))
                return "release-part", {"order": self.orders[-1], "quantity": "2"}
            return "make-pick-list", {"orders": [{"order": order}]}
        if kind in ("take", "put"):
            lines = PickLine.objects.filter(picked__gt=0) if kind == "put" else PickLine.objects.filter(state="open")  # fmt: skip
            line = lines.order_by("pk").first()
            number, quantity = (line.pk, line.picked or line.quantity) if line else (1, Decimal(1))
            return "put-back" if kind == "put" else "pick", {"line": number, "quantity": f"{quantity.normalize():f}"}  # fmt: skip
        plain = {
            "hold": ("hold-order", {"order": order, "why": "WAITS"}),
            "resume": ("resume-order", {"order": order}),
            "issue picked": ("issue-picked", {"order": order}),
        }
        if kind == "unwind":
            return "unwind", {"orders": [order], "to": rest[0]}
        if kind == "resize":
            return "change-order", {"order": order, "quantity": rest[0]}
        return plain.get(kind)

    def of_lot(self, kind: str, which: int, other: Any) -> tuple[str, dict[str, Any]]:
        """Return the command of an act on one of the lots that there are."""
        lots = list(Lot.objects.order_by("pk").select_related("item"))
        lot = lots[which % len(lots)]
        given = {"item": lot.item.code, "lot": lot.code}
        if kind == "judge":
            return "judge-lot", given | {"state": other.value, "reason": "looked at"}
        into = lots[other % len(lots)].code if other % 2 else f"N{which}"
        if other % 2:
            return "join-lots", given | {"place": "STORE", "into": into}
        return "split-lot", given | {"place": "STORE", "quantity": "1", "into": into}

    def assert_on_hand_is_told_in_parts(self) -> None:
        """On hand is reserved, free, held back and on the way, of each item; none is below nothing."""
        for row in stock_list(timezone.localdate(), limit=200, skip=0):
            parts = (row.reserved, row.free, row.held, row.on_the_way)
            self.assertEqual(sum(parts), row.on_hand, row)
            self.assertGreaterEqual(min(parts), 0, row)

    def attempt(self, name: str, given: dict[str, Any]) -> None:
        """Preview and carry out a command; a refusal has to be an expected one, the same both times."""
        try:
            seen = self.shop.preview(name, **given).consequences
        except DomainError as refusal:
            self.assertIn(refusal.code, ALLOWED, refusal)
            with self.assertRaises(type(refusal)), transaction.atomic():
                self.shop.do(name, **given)
            return
        self.assertEqual(self.shop.do(name, **given).consequences, seen)

    def assert_rebuilt_from_lines(self) -> None:
        """Sum the lines in Python, past the check's own SQL, and compare."""
        moved: dict[tuple[int, int | None], Decimal] = {}
        for line in StockLine.objects.select_related("from_place", "to_place"):
            sign = line.to_place.is_stock - line.from_place.is_stock
            key = (line.item_id, line.lot_id)
            moved[key] = moved.get(key, Decimal(0)) + sign * line.quantity
        kept: dict[tuple[int, int | None], Decimal] = {}
        for b in StockBalance.objects.all():
            key = (b.item_id, b.lot_id)
            kept[key] = kept.get(key, Decimal(0)) + b.quantity
        self.assertEqual({k: q for k, q in moved.items() if q}, {k: q for k, q in kept.items() if q})  # fmt: skip
        booked = JournalLine.objects.filter(account="stock").aggregate(sum=Sum("amount"))["sum"]
        self.assertEqual(Holding.objects.aggregate(sum=Sum("value"))["sum"], booked)
