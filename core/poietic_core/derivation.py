"""Numbers that know how they came about.

A calculation builds its result out of these nodes, and the value of a node is computed
from its terms: the explanation is the calculation, never a second version of it.
"""

from __future__ import annotations

from collections.abc import Iterable
from decimal import Decimal
from fractions import Fraction
from math import prod
from typing import NamedTuple

from .quantity import ONE, ZERO, decimal_of, exact, round_to, round_up


class Derivation(NamedTuple):
    """One number with the terms that it was computed from; a tuple, because millions are made."""

    #: what the number is, in words
    label: str
    value: Decimal
    #: unit of measure, "" for a plain number
    unit: str = ""
    #: how the terms were joined: given, sum, product, quotient, rounded, larger, smaller
    how: str = "given"
    terms: tuple[Derivation, ...] = ()
    #: where a given number stands, as "kind:code"
    source: str = ""


def given(label: str, value: Decimal, *, unit: str = "", source: str = "") -> Derivation:
    """Return a number that was entered or posted, with the place where it stands."""
    return Derivation(label, value, unit, "given", (), source)


def ratio(label: str, value: Fraction, *, unit: str = "") -> Derivation:
    """Return a fraction: as it stands where it is a decimal, else as what it divides."""
    if Fraction(decimal_of(value)) == value:
        return given(label, decimal_of(value), unit=unit)
    above = given("of", Decimal(value.numerator))
    return quotient(label, above, given("divided by", Decimal(value.denominator)), unit=unit)


def fraction_of(number: Derivation) -> Fraction:
    """Return a number exactly, worked out anew from what it was given.

    Its `value` has the digits of a decimal; where a number is rounded up, the last of them
    must not decide.
    """
    return _fraction(number, {})


def _fraction(number: Derivation, known: dict[int, Fraction]) -> Fraction:
    found = known.get(id(number))
    if found is None:
        terms = [_fraction(t, known) for t in number.terms]
        found = known[id(number)] = _joined(number, terms)
    return found


def _joined(number: Derivation, terms: list[Fraction]) -> Fraction:
    match number.how:
        case "sum":
            return sum(terms, Fraction(0))
        case "product":
            return prod(terms, start=Fraction(1))
        case "quotient":
            return terms[0] / terms[1]
        case "negative":
            return -terms[0]
        case "larger":
            return max(terms)
        case "smaller":
            return min(terms)
    return Fraction(number.value)  # given, or rounded


@exact
def total(label: str, terms: Iterable[Derivation], *, unit: str = "") -> Derivation:
    """Return the sum of `terms`; of none, 0."""
    kept = tuple(terms)
    value = sum((t.value for t in kept), ZERO)
    return Derivation(label=label, value=value, unit=unit, how="sum", terms=kept)


@exact
def product(label: str, terms: Iterable[Derivation], *, unit: str = "") -> Derivation:
    """Return the product of `terms`; of none, 1."""
    kept = tuple(terms)
    value = ONE
    for term in kept:
        value *= term.value
    return Derivation(label=label, value=value, unit=unit, how="product", terms=kept)


@exact
def quotient(label: str, above: Derivation, below: Derivation, *, unit: str = "") -> Derivation:
    """Return `above / below`; the caller has made sure that `below` is not 0."""
    value = above.value / below.value
    return Derivation(label=label, value=value, unit=unit, how="quotient", terms=(above, below))


@exact
def negative(term: Derivation) -> Derivation:
    """Return the term with its sign changed."""
    return Derivation(
        label=term.label, value=-term.value, unit=term.unit, how="negative", terms=(term,)
    )


def difference(label: str, of: Derivation, less: Derivation, *, unit: str = "") -> Derivation:
    """Return `of - less`."""
    return total(label, (of, negative(less)), unit=unit)


def larger(label: str, one: Derivation, other: Derivation) -> Derivation:
    """Return the larger of two numbers."""
    value = max(one.value, other.value)
    return Derivation(label=label, value=value, unit=one.unit, how="larger", terms=(one, other))


def smaller(label: str, one: Derivation, other: Derivation) -> Derivation:
    """Return the smaller of two numbers."""
    value = min(one.value, other.value)
    return Derivation(label=label, value=value, unit=one.unit, how="smaller", terms=(one, other))


def rounded(label: str, term: Derivation, step: Decimal) -> Derivation:
    """Return `term` rounded to the nearest multiple of `step`."""
    return Derivation(
        label=label, value=round_to(term.value, step), unit=term.unit, how="rounded", terms=(term,)
    )


def rounded_up(label: str, term: Derivation, step: Decimal) -> Derivation:
    """Return `term`, worked out exactly, rounded up to a multiple of `step`."""
    value = round_up(fraction_of(term), step)
    return Derivation(label=label, value=value, unit=term.unit, how="rounded up", terms=(term,))
