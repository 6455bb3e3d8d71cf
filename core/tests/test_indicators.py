"""Indicators by ISO 22400-2: the constructed instance, Nakajima's, and their bounds."""

from decimal import Decimal

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from poietic_core.indicators.iso22400 import Elements, indicators_of

SIXTH = Decimal("0.000001")


class Published(SimpleTestCase):
    """The handbook's check values, "ISO 22400-2" (elements of the standard from memory)."""

    def test_the_constructed_instance(self) -> None:
        # all times in minutes here: the ratios don't mind
        found = indicators_of(Elements(pbt=Decimal(480), apt=Decimal(360), aust=Decimal(30), pri=Decimal("0.9"), pq=Decimal(360), gq=Decimal(342), sq=Decimal(10), rq=Decimal(8), aoet=Decimal(600)))  # fmt: skip

        self.assertEqual((found.availability, found.effectiveness, found.quality_ratio), (Decimal("0.75"), Decimal("0.9"), Decimal("0.95")))  # fmt: skip
        assert found.oee and found.setup_ratio and found.scrap_ratio
        self.assertEqual(found.oee, Decimal("0.64125"))
        self.assertEqual(found.setup_ratio.quantize(SIXTH), Decimal("0.076923"))
        self.assertEqual(found.scrap_ratio.quantize(SIXTH), Decimal("0.027778"))
        self.assertEqual(found.throughput_rate, Decimal("0.6"))

    def test_nakajima(self) -> None:
        """Introduction to TPM: loading 460, operating 400, ideal 0.5 min, 400 pieces, 98 % good: 42.6 %."""
        found = indicators_of(Elements(pbt=Decimal(460), apt=Decimal(400), aust=Decimal(0), pri=Decimal("0.5"), pq=Decimal(400), gq=Decimal(392), sq=Decimal(8)))  # fmt: skip

        assert found.oee
        self.assertEqual(found.oee.quantize(Decimal("0.001")), Decimal("0.426"))


HOURS = st.integers(0, 500).map(Decimal)


class AnyElements(SimpleTestCase):
    """Whatever was measured."""

    @given(HOURS, HOURS, HOURS, HOURS, HOURS)
    def test_oee_is_the_planned_time_of_good_pieces_in_the_time_it_was_to_be_there(
        self, pbt: Decimal, apt: Decimal, aust: Decimal, good: Decimal, scrap: Decimal
    ) -> None:
        e = Elements(pbt=pbt, apt=apt, aust=aust, pri=Decimal("0.25"), pq=good + scrap, gq=good, sq=scrap)  # fmt: skip

        found = indicators_of(e)

        if pbt and apt and e.pq:
            assert found.oee is not None
            self.assertAlmostEqual(found.oee, e.pri * good / pbt, places=20)
        else:
            self.assertIsNone(found.oee)
        self.assertEqual(found.setup_ratio is None, not e.aupt)
        self.assertIsNone(found.throughput_rate)
