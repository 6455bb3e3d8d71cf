"""Orders as they stood: each posting left out again gives what was there before it."""

from datetime import timedelta
from decimal import Decimal

from django.test import TestCase
from django.utils import timezone
from poietic.orders.as_of import leave_out, said_since, wind_back
from poietic.orders.book import ORDER_PARTS, OrderBook
from poietic.orders.models import Order

from . import demo_rows

LONG_AGO = timedelta(days=4000)


def books() -> dict[int, OrderBook]:
    """Return all orders that were released."""
    rows = Order.objects.exclude(standard=None).select_related(*ORDER_PARTS)
    return {b.order.pk: b for b in OrderBook.many(rows.order_by("pk"))}


class AsOf(TestCase):
    """The demo's orders: at every stage, split, sent out, closed."""

    @classmethod
    def setUpTestData(cls) -> None:
        demo_rows.load()

    def test_before_everything_nothing_was_there(self) -> None:
        found = books()

        wind_back(found, timezone.now() - LONG_AGO)

        for book in found.values():
            used = {
                (i.operation, i.kind, i.used, i.amount) for i in book.inputs if i.used or i.amount
            }
            self.assertEqual(used, set(), book.order.number)
            self.assertEqual({(o.good, o.scrap, o.rework, o.written_off) for o in book.operations}, {(0, 0, 0, 0)})  # fmt: skip
            self.assertEqual((book.order.received, book.order.received_value), (0, 0))

    def test_at_every_moment_the_causes_add_up_to_the_variance(self) -> None:
        moments = 0
        for number, book in books().items():
            acts: dict[int, list[object]] = {}
            for said in said_since([number], timezone.now() - LONG_AGO):
                acts.setdefault(said.entry, []).append(said)
            for lines in list(acts.values())[:12]:
                variance = book.variance()
                parts = sum((a for _, a in variance.rounded_causes()), Decimal(0))
                self.assertEqual(parts, variance.to_date())
                leave_out(book, lines)  # type: ignore[arg-type]
                moments += 1
        self.assertGreater(moments, 300)
