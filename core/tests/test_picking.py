"""Where to take what an order needs: kept first, then first expired, never more than there is."""

from datetime import date, timedelta
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st
from poietic_core.stock.lots import LotState, LotStock
from poietic_core.stock.picking import OnShelf, choose_picks

TODAY = date(2026, 11, 29)
D = Decimal


def shelf(place: int, code: str, quantity: int, *, days: int | None = None, age: int = 0, kept: bool = False, state: LotState = LotState.USABLE) -> OnShelf:  # fmt: skip
    """Return what lies at a place; `days` from today is its last day."""
    expires = None if days is None else TODAY + timedelta(days=days)
    lot = LotStock(code=code, quantity=D(quantity), age=age, expires_on=expires, state=state)
    return OnShelf(place=place, walk_order=place * 10, stock=lot, is_kept=kept)


def chosen(shelves: list[OnShelf], wanted: int, most: dict[int, Decimal] | None = None) -> list[tuple[int, str, Decimal]]:  # fmt: skip
    """Return place, lot and quantity of what is taken."""
    whole: dict[int, Decimal] = {}
    for s in shelves:
        whole[s.place] = whole.get(s.place, D(0)) + s.stock.quantity
    found = choose_picks(shelves, D(wanted), at_most=whole if most is None else most, on=TODAY)
    return [(s.place, s.stock.code, q) for s, q in found]


class Chosen(TestCase):
    """By hand."""

    def test_what_is_kept_goes_first_then_what_expires_first_in_walking_order(self) -> None:
        shelves = [
            shelf(3, "later", 5, days=90),
            shelf(2, "sooner", 5, days=30),
            shelf(1, "never", 5),
            shelf(4, "kept", 2, days=365, kept=True),
        ]
        self.assertEqual(chosen(shelves, 9), [(2, "sooner", 5), (3, "later", 2), (4, "kept", 2)])

    def test_what_may_not_be_used_is_left(self) -> None:
        shelves = [
            shelf(1, "expired", 5, days=-1),
            shelf(2, "held", 5, state=LotState.QUARANTINED),
            shelf(3, "today", 5, days=0),
        ]
        self.assertEqual(chosen(shelves, 9), [(3, "today", 5)])

    def test_of_lots_that_are_alike_the_first_code_goes_first(self) -> None:
        alike = [shelf(2, "B", 1, age=1), shelf(2, "A", 1, age=1), shelf(2, "C", 1, age=1)]
        for told in (alike, alike[::-1]):
            self.assertEqual(chosen(told, 2), [(2, "A", 1), (2, "B", 1)])

    def test_a_place_gives_no_more_than_is_free_there_of_all_lots(self) -> None:
        shelves = [shelf(1, "A", 5, age=1), shelf(1, "B", 5, age=2), shelf(2, "C", 5, age=3)]
        self.assertEqual(chosen(shelves, 9, {1: D(6), 2: D(1)}), [(1, "A", 5), (1, "B", 1), (2, "C", 1)])  # fmt: skip


stocks = st.lists(
    st.builds(
        shelf,
        st.integers(1, 3),
        st.sampled_from("ABCDEFGH"),
        st.integers(1, 9),
        days=st.one_of(st.none(), st.integers(-5, 40)),
        age=st.integers(1, 5),
        kept=st.booleans(),
        state=st.sampled_from(LotState),
    ),
    max_size=6,
    unique_by=lambda s: (s.place, s.stock.code),
)


class AnyShelves(TestCase):
    """Whatever lies where."""

    @given(stocks, st.integers(0, 40))
    def test_all_that_may_be_used_is_given_and_no_more(self, shelves: list[OnShelf], wanted: int) -> None:  # fmt: skip
        usable = sum((s.stock.quantity for s in shelves if s.stock.may_be_used(TODAY)), D(0))
        taken = chosen(shelves, wanted)
        self.assertEqual(sum((q for _, _, q in taken), D(0)), min(D(wanted), usable))
        for place, code, quantity in taken:
            there = next(s for s in shelves if (s.place, s.stock.code) == (place, code))
            self.assertLessEqual(quantity, there.stock.quantity)

    @given(stocks, st.integers(0, 40))
    def test_nothing_that_expires_sooner_is_left_while_later_is_taken(self, shelves: list[OnShelf], wanted: int) -> None:  # fmt: skip
        taken = {(p, c): q for p, c, q in chosen(shelves, wanted)}
        usable = [s for s in shelves if s.stock.may_be_used(TODAY)]
        left = [s for s in usable if taken.get((s.place, s.stock.code), 0) < s.stock.quantity]
        for s in left:
            for other in usable:
                if (other.place, other.stock.code) in taken and other.is_kept == s.is_kept:
                    first = s.stock.expires_on or date.max
                    self.assertLessEqual(other.stock.expires_on or date.max, first)

    @given(stocks, st.integers(0, 40), st.randoms())
    def test_the_order_in_which_shelves_are_told_changes_nothing(self, shelves: list[OnShelf], wanted: int, chance: object) -> None:  # fmt: skip
        mixed = list(shelves)
        chance.shuffle(mixed)  # type: ignore[attr-defined]
        self.assertEqual(sorted(chosen(shelves, wanted)), sorted(chosen(mixed, wanted)))
