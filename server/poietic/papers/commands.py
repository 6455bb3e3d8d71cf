"""Sending labels to the printer."""

from typing import Annotated

from pydantic import Field

from ..commanding.registry import Context, command
from ..commanding.roles import Role
from ..web_api.errors import NotFound
from ..web_api.fields import Reference, Strict
from .kinds import LABELS
from .labels import Label, as_svg
from .models import Printed


class LabelOf(Strict):
    """What a label is of: a lot, a serial, a place or a carrier."""

    kind: Annotated[str, Field(pattern="^[a-z]{1,20}$")]
    code: Reference
    #: of a lot or serial: the item
    of: Reference = ""


class PrintLabels(Strict):
    """Labels to print, and how often each."""

    labels: Annotated[list[LabelOf], Field(min_length=1, max_length=200)]
    copies: Annotated[int, Field(ge=1, le=100)] = 1


def label_of(kind: str, code: str, of: str) -> Label:
    """Return a label, or refuse by kind or code."""
    if kind not in LABELS:
        raise NotFound("kind of label", kind)
    return LABELS[kind](code, of)


@command("print-labels", "Print labels", *(r for r in Role if r is not Role.ADMINISTRATOR))
def print_labels(context: Context, given: PrintLabels) -> None:
    """Send labels to the printer; what it was sent is seen on its page."""
    for asked in given.labels:
        label = label_of(asked.kind, asked.code, asked.of)
        Printed.objects.create(
            kind=label.kind,
            title=label.title[:120],
            content=label.code[:200],
            svg=as_svg(label),
            copies=given.copies,
            person_id=context.person.pk if context.person else None,
            printed_at=context.now,
        )
        context.effects.remark(
            label.title, f"label for {label.shown or label.code}, {given.copies} ×"
        )
