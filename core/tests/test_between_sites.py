"""Transfers between sites: by hand, and what always holds."""

from decimal import Decimal
from itertools import accumulate

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from poietic_core.planning.between_sites import AtSite, Sent, transfers

ONE = Decimal(1)
PERIODS = 6
changes = st.lists(st.integers(-9, 9).map(Decimal), min_size=PERIODS, max_size=PERIODS)
some_sites = st.dictionaries(
    st.integers(1, 4),
    st.builds(AtSite, st.integers(0, 30).map(Decimal), changes, st.integers(0, 3)),
    min_size=1,
    max_size=4,
)


def site(on_hand: int, *change: int, way: int = 1) -> AtSite:
    """Return a site at which so much lies, comes and goes."""
    return AtSite(Decimal(on_hand), [Decimal(c) for c in change], way)


def left(sites: dict[int, AtSite], sent: list[Sent]) -> dict[int, list[Decimal]]:
    """Return what lies at each site after each period, with what was sent and really arrived."""
    change = {key: list(s.change) for key, s in sites.items()}
    for s in sent:
        change[s.out_of][s.send] -= s.quantity
        change[s.into][s.due + s.late] += s.quantity
    return {
        key: list(accumulate(own, initial=sites[key].on_hand))[1:] for key, own in change.items()
    }


class ByHand(SimpleTestCase):
    """Small cases that a pencil checks."""

    def told(
        self, sites: dict[int, AtSite], step: str = "1"
    ) -> list[tuple[int, int, str, int, int, int]]:
        return [
            (s.out_of, s.into, str(s.quantity), s.send, s.due, s.late)
            for s in transfers(sites, Decimal(step))
        ]

    def test_it_is_sent_the_way_before_it_is_wanted(self) -> None:
        self.assertEqual(self.told({1: site(20, 0, 0, 0, 0), 2: site(5, 0, 0, -8, 0, way=2)}), [(1, 2, "3", 0, 2, 0)])  # fmt: skip

    def test_what_is_wanted_there_itself_is_not_sent(self) -> None:
        """Of 20, 15 are wanted in the last period; 5 can go, 3 stay short."""
        self.assertEqual(self.told({1: site(20, 0, 0, -15), 2: site(0, 0, -8, 0)}), [(1, 2, "5", 0, 1, 0)])  # fmt: skip

    def test_who_can_spare_most_sends_and_the_next_one_the_rest(self) -> None:
        sites = {1: site(6, 0, 0), 2: site(9, 0, 0), 3: site(0, 0, -12)}
        self.assertEqual(self.told(sites), [(2, 3, "9", 0, 1, 0), (1, 3, "3", 0, 1, 0)])

    def test_what_comes_too_late_is_told(self) -> None:
        """Ten come there in period 1; a way of two: they are here in 3, two periods after 1."""
        self.assertEqual(self.told({1: site(0, 0, 10, 0, 0), 2: site(0, 0, -4, 0, 0, way=2)}), [(1, 2, "4", 1, 1, 2)])  # fmt: skip

    def test_it_goes_in_whole_steps(self) -> None:
        self.assertEqual(self.told({1: site(20, 0, 0), 2: site(0, 0, -7)}, "5"), [(1, 2, "10", 0, 1, 0)])  # fmt: skip


class Always(SimpleTestCase):
    """What holds for all sites."""

    @given(some_sites)
    def test_nobody_is_left_short_by_what_it_sends(self, sites: dict[int, AtSite]) -> None:
        sent = transfers(sites, ONE)
        senders = {s.out_of for s in sent}
        now, before = left(sites, sent), left(sites, [])
        for key in senders:
            from_then = min(s.send for s in sent if s.out_of == key)
            for period in range(from_then, PERIODS):
                self.assertGreaterEqual(now[key][period], min(Decimal(0), before[key][period]))

    @given(some_sites)
    def test_together_as_much_lies_as_before_once_all_arrived(
        self, sites: dict[int, AtSite]
    ) -> None:
        now, before = left(sites, transfers(sites, ONE)), left(sites, [])
        self.assertEqual(sum(own[-1] for own in now.values()), sum(own[-1] for own in before.values()))  # fmt: skip

    @given(some_sites)
    def test_who_stays_short_could_not_be_helped_in_time(self, sites: dict[int, AtSite]) -> None:
        now = left(sites, transfers(sites, ONE))
        for key, own in now.items():
            for period, rest in enumerate(own):
                send = period - sites[key].way
                if rest < 0 and send >= 0 and not any(0 <= p < period and now[key][p] < 0 for p in range(period)):  # fmt: skip
                    spare = [min(o[send:]) for k, o in now.items() if k != key]
                    self.assertLessEqual(max(spare, default=Decimal(0)), 0)

    @given(some_sites)
    def test_each_is_sent_and_arrives_in_the_plan(self, sites: dict[int, AtSite]) -> None:
        for s in transfers(sites, ONE):
            self.assertGreater(s.quantity, 0)
            self.assertNotEqual(s.out_of, s.into)
            arrives = s.send + sites[s.into].way
            self.assertEqual(s.late, max(0, arrives - s.due))
            self.assertTrue(0 <= s.send < PERIODS and s.due + s.late < PERIODS)
