"""What a row of a structure says in words."""

from collections.abc import Iterator
from decimal import Decimal

from poietic_core.quantity import CENT, ONE
from poietic_core.structure.model import (
    ComponentLine,
    Grade,
    Operation,
    OutputLine,
)

from ..web_api.fields import plain

Line = Operation | ComponentLine | OutputLine | Grade


def named(line: Line) -> str:
    """Return what a line is told apart by from the others under the same row."""
    if isinstance(line, Operation):
        return f"operation {line.number}"
    if isinstance(line, Grade):
        return f"grade {line.item}"
    return f"{'component' if isinstance(line, ComponentLine) else line.kind.value} {line.item}"


def notes_of(o: Operation) -> Iterator[str]:
    """Yield what is to be known of an operation besides its times."""
    if o.subcontract:
        work = o.subcontract
        days = f", {plain(work.days_out.normalize())} days out" if work.days_out else ""
        yield f"by {work.supplier} at {money_text(work.price)}, paid on {work.basis}{days}"
    if o.crew is not None:
        yield f"crew of {plain(o.crew.normalize())}"
    if o.labour_grade:
        yield f"grade {o.labour_grade}"
    if o.alternate_centers:
        yield f"or at {', '.join(o.alternate_centers)}"
    for step in o.steps:
        yield step.text


def money_text(price: Decimal) -> str:
    """Return a price with two decimals, with more where it has them."""
    cents = price.quantize(CENT)
    return plain(cents if cents == price else price.normalize())


def alternates_in_words(line: ComponentLine) -> str:
    named = [
        a.item if a.ratio == ONE else f"{plain(a.ratio.normalize())} × {a.item}"
        for a in line.alternates
    ]
    return f"or {', '.join(named)}" if named else ""


def mix_in_words(line: ComponentLine) -> str:
    """Return which others a component may be exchanged for."""
    return f"mix {line.mix}" if line.mix else ""


def size_in_words(line: ComponentLine) -> str:
    if line.measure is None:
        return ""
    sizes = (line.measure.length, line.measure.width, line.measure.thickness)
    return " × ".join(f"{s.normalize():f}" for s in sizes if s) + " mm"
