"""Numbers that know how they came about.

A calculation builds its result out of these nodes, and the value of a node is computed
from its terms: the explanation is the calculation, never a second version of it.
"""

from __future__ import annotations

from collections.abc import Iterable
from decimal import Decimal
from typing import NamedTuple

from .quantity import ONE, ZERO, exact, round_to, round_up


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
    """Return `term` rounded up to a multiple of `step`."""
    return Derivation(
        label=label, value=round_up(term.value, step), unit=term.unit, how="rounded up",
        terms=(term,),
    )  # fmt: skip
