"""Questions whose SQL is made once answer what the ORM would: objects and values, for any value asked."""

from decimal import Decimal

from django.db import connection
from django.db.models import Exists, F, OuterRef, Sum
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from poietic.catalog.models import Item, ItemUnit, Place
from poietic.catalog.queries import any_of
from poietic.ledger.models import Holding, Posting, StockLine
from poietic.orders.models import Order
from poietic.statements.prepared import Prepared

from . import demo_rows


class PreparedQuestions(TestCase):
    """On the demo's rows."""

    @classmethod
    def setUpTestData(cls) -> None:
        demo_rows.load()

    def test_objects_come_with_what_is_joined_to_them(self) -> None:
        asked = Prepared(
            lambda key: Posting.objects.filter(pk=key).select_related("person", "reversal")
        )
        for posting in Posting.objects.select_related("person"):
            with CaptureQueriesContext(connection) as statements:
                (found,) = asked.of(posting.pk)
                joined = (found.person, hasattr(found, "reversal"))
            self.assertEqual(len(statements), 1)
            self.assertEqual(found, posting)
            is_taken_back = Posting.objects.filter(reverses=posting).exists()
            self.assertEqual(joined, (posting.person, is_taken_back))
        self.assertEqual(asked.of(0), [])

    def test_objects_carry_what_was_worked_out_for_them(self) -> None:
        twice = Item.objects.annotate(double=F("step") * 2, has_units=Exists(ItemUnit.objects.filter(item=OuterRef("pk"))))  # fmt: skip
        asked = Prepared(lambda key: twice.filter(pk=key).select_related("holding"))
        for item in twice:
            (found,) = asked.of(item.pk)
            self.assertEqual((found.double, found.has_units), (item.double, item.has_units))

    def test_a_text_is_asked_for_as_it_stands(self) -> None:
        asked = Prepared(lambda code: Place.objects.filter(code=code))
        for code in ("STORE", "st'ore", "%", ""):
            self.assertEqual(asked.of(code), list(Place.objects.filter(code=code)), code)

    def test_any_of_several_numbers_or_of_none(self) -> None:
        asked = Prepared(lambda keys: Item.objects.filter(pk__in=any_of(keys)).order_by("code"))
        keys = list(Item.objects.values_list("pk", flat=True))
        for some in (keys, keys[:1], [], [0, keys[-1]]):
            self.assertEqual(
                asked.of_any(some), list(Item.objects.filter(pk__in=some).order_by("code"))
            )

    def test_values_are_those_of_the_orm_converted_and_empty_ones_alike(self) -> None:
        plain: Prepared[tuple[int, Decimal]] = Prepared(
            lambda keys: Holding.objects.filter(item__in=any_of(keys)).values_list(
                "item_id", "quantity"
            )
        )
        held = dict(Holding.objects.values_list("item_id", "quantity"))
        self.assertEqual(dict(plain.of_any(held)), held)

        summed: Prepared[tuple[str, Decimal]] = Prepared(
            lambda key: (
                StockLine.objects.filter(posting__cost_object=key)
                .values_list("item__code")
                .annotate(sum=Sum(F("quantity") * F("quantity")))
                .order_by("item__code")
            )
        )
        outer: Prepared[tuple[int, int | None]] = Prepared(
            lambda key: (
                Posting.objects.filter(cost_object=key)
                .order_by("pk")
                .values_list("pk", "reversal__pk")
            )
        )
        several = 0
        for order in Order.objects.all():
            lines = StockLine.objects.filter(posting__cost_object=order.pk)
            sums = lines.values_list("item__code").annotate(sum=Sum(F("quantity") * F("quantity")))
            self.assertEqual(summed.of(order.pk), list(sums.order_by("item__code")))
            rows = Posting.objects.filter(cost_object=order.pk).order_by("pk")
            self.assertEqual(outer.of(order.pk), list(rows.values_list("pk", "reversal__pk")))
            several += rows.count() > 1
        self.assertGreater(several, 3)
