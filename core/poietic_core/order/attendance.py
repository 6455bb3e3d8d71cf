"""Hours of one person who attends several operations at once, and what many orders share."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from decimal import Decimal
from fractions import Fraction
from itertools import pairwise

from ..quantity import HOUR_STEP, ZERO, allocate, decimal_of, exact, round_parts, round_to

Span = tuple[datetime, datetime]


def clock_hours(span: Span) -> Decimal:
    """Return how long a span is [h].

    Parameters
    ----------
    span : begin and end, the end not before the begin

    Source
    ------
    Clock time; rounded to the step of hours.
    """
    return round_to(decimal_of(_hours(*span)), HOUR_STEP)


@exact
def shared_hours(spans: Sequence[Span]) -> list[Decimal]:
    """Return the hours that each of one person's spans bears: at each moment those that run share it equally.

    All together are the time that he was there, counted once.

    Parameters
    ----------
    spans : begin and end at each operation, in any order, overlapping or not

    Returns
    -------
    list of Decimal [h], in the order of `spans`

    Source
    ------
    Multiple machine attendance, the operator's time divided by the machines: common practice.

    Examples
    --------
    >>> at = lambda hour: datetime(2026, 11, 26, hour)
    >>> [str(h) for h in shared_hours([(at(6), at(10)), (at(8), at(12))])]
    ['3.0000', '3.0000']
    """
    moments = sorted({moment for span in spans for moment in span})
    parts = [Fraction(0)] * len(spans)
    there = Fraction(0)
    for begin, end in pairwise(moments):
        running = [n for n, (from_, to) in enumerate(spans) if from_ <= begin and end <= to]
        if not running:
            continue
        passed = _hours(begin, end)
        there += passed
        for n in running:
            parts[n] += passed / len(running)
    whole = round_to(decimal_of(there), HOUR_STEP)
    return round_parts([decimal_of(p) for p in parts], whole, HOUR_STEP)


@exact
def shared_by_standard(
    quantity: Decimal, expected: Sequence[Decimal], step: Decimal
) -> list[Decimal]:
    """Return what each of several orders gave of a by-product that was weighed once for all.

    Parameters
    ----------
    quantity : weighed [unit]
    expected : by each one's standard for what it worked on since the last weighing [unit], >= 0
    step : of the by-product

    Returns
    -------
    list of Decimal [unit], adding up to `quantity`; nothing where nothing is expected of any

    Source
    ------
    Proportion to the standard quantity: common practice; largest remainder (Balinski & Young, 1982).
    """
    if not sum(expected, ZERO):
        return [ZERO] * len(expected)
    return allocate(quantity, list(expected), step)


def _hours(begin: datetime, end: datetime) -> Fraction:
    passed = end - begin
    seconds = Fraction(passed.days * 86_400 + passed.seconds) + Fraction(passed.microseconds, 10**6)
    return seconds / 3600
