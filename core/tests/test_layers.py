"""Layers of value: what is taken is what was there, and what comes back goes where it came from."""

from decimal import Decimal

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from poietic_core.errors import OutOfRange
from poietic_core.stock.layers import (
    Layer,
    Taking,
    layers_of,
    outstanding,
    restore_latest,
    take_oldest,
    total,
)

quantities = st.decimals("0.001", 99, places=3)
layer_lists = st.lists(st.tuples(quantities, st.decimals(0, 999, places=2)), max_size=6).map(
    lambda rows: [Layer(key=k, quantity=q, value=v) for k, (q, v) in enumerate(rows)]
)


def left_of(layers: list[Layer], takings: list[Taking]) -> list[Layer]:
    """Return the layers with takings out of them, or with what is negative back in them."""
    return [
        Layer(
            key=layer.key,
            quantity=layer.quantity - sum(t.quantity for t in takings if t.layer == layer.key),
            value=layer.value - sum(t.value for t in takings if t.layer == layer.key),
        )
        for layer in layers
    ]


def back(takings: tuple[Taking, ...]) -> list[Taking]:
    """Return takings as what puts them back."""
    return [Taking(layer=t.layer, quantity=-t.quantity, value=-t.value) for t in takings]


class Layers(SimpleTestCase):
    """First in, first out, and back."""

    def test_call_mart_first_in_first_out(self) -> None:
        """Kieso, Weygandt & Warfield, Intermediate Accounting, ch. 8 (from memory, recomputed)."""
        march = [
            Layer(key=2, quantity=Decimal(2000), value=Decimal(8000)),
            Layer(key=15, quantity=Decimal(6000), value=Decimal(26400)),
        ]

        issued = take_oldest(march, Decimal(4000))
        left = [*left_of(march, list(issued)), Layer(key=30, quantity=Decimal(2000), value=Decimal(9500))]  # fmt: skip

        self.assertEqual(total(issued), Decimal(16800))
        self.assertEqual(sum(layer.value for layer in left), Decimal(27100))

    def test_call_mart_by_specific_identification(self) -> None:
        """Kieso, ibid.: 1,000 of 2 March, 3,000 of 15 March are kept (from memory, recomputed)."""
        lot_a = [Layer(key=2, quantity=Decimal(2000), value=Decimal(8000))]
        lot_b = [Layer(key=15, quantity=Decimal(6000), value=Decimal(26400))]

        issued = [*take_oldest(lot_a, Decimal(1000)), *take_oldest(lot_b, Decimal(3000))]

        self.assertEqual(total(issued), Decimal(17200))

    def test_more_than_there_is_is_refused_with_what_there_is(self) -> None:
        layers = [Layer(key=1, quantity=Decimal(3), value=Decimal(10))]

        with self.assertRaises(OutOfRange) as refused:
            take_oldest(layers, Decimal(4))

        self.assertEqual((refused.exception.value, refused.exception.allowed), (4, "3 or less"))

    def test_more_than_was_taken_does_not_come_back(self) -> None:
        taken = take_oldest([Layer(key=1, quantity=Decimal(3), value=Decimal(10))], Decimal(2))

        with self.assertRaises(OutOfRange):
            restore_latest(taken, Decimal(3))

    @given(layer_lists, quantities)
    def test_the_oldest_go_first_and_no_layer_is_left_empty_and_worth_something(
        self, layers: list[Layer], quantity: Decimal
    ) -> None:
        quantity = min(quantity, sum((layer.quantity for layer in layers), Decimal(0)))
        if not quantity:
            return

        takings = take_oldest(layers, quantity)

        self.assertEqual(sum(t.quantity for t in takings), quantity)
        left = left_of(layers, list(takings))
        touched = [t.layer for t in takings]
        self.assertEqual(touched, [layer.key for layer in layers][: len(touched)])
        for layer in left:
            self.assertGreaterEqual(layer.value, 0)
            self.assertTrue(layer.quantity or not layer.value, layer)
        self.assertFalse(any(layer.quantity for layer in left[: len(touched) - 1]))

    @given(layer_lists, st.lists(quantities, min_size=1, max_size=6))
    def test_what_is_taken_and_comes_back_in_parts_leaves_all_as_it_was(
        self, layers: list[Layer], parts: list[Decimal]
    ) -> None:
        """Issue some of all, return it piece by piece: every layer stands as before, to the cent."""
        whole = sum((layer.quantity for layer in layers), Decimal(0))
        if not whole:
            return
        posted = list(take_oldest(layers, min(sum(parts, Decimal(0)), whole)))

        for part in [*parts, whole]:
            still = outstanding(posted)
            there = sum((t.quantity for t in still), Decimal(0))
            if there:
                posted += back(restore_latest(still, min(part, there)))

        self.assertEqual(outstanding(posted), [])
        self.assertEqual(left_of(layers, posted), layers)

    @given(layer_lists, quantities, quantities)
    def test_what_is_outstanding_is_worth_what_is_missing_from_the_layers(
        self, layers: list[Layer], taken: Decimal, returned: Decimal
    ) -> None:
        whole = sum((layer.quantity for layer in layers), Decimal(0))
        if not whole:
            return
        posted = list(take_oldest(layers, min(taken, whole)))
        posted += back(restore_latest(posted, min(returned, taken, whole)))

        still = outstanding(posted)

        for before, after in zip(layers, left_of(layers, posted), strict=True):
            of_layer = [t for t in still if t.layer == before.key]
            self.assertEqual(sum((t.quantity for t in of_layer), Decimal(0)), before.quantity - after.quantity)  # fmt: skip
            self.assertEqual(total(of_layer), before.value - after.value)

    @given(st.decimals(0, 9999, places=2), st.lists(quantities, min_size=1, max_size=9))
    def test_a_pool_divided_into_layers_loses_no_cent(
        self, value: Decimal, parts: list[Decimal]
    ) -> None:
        values = layers_of(value, parts)

        self.assertEqual(sum(values), value)
        whole = sum(parts, Decimal(0))
        for part, each in zip(parts, values, strict=True):
            self.assertLess(abs(each - value * part / whole), Decimal("0.01"))
