"""Transfers between sites."""

from datetime import date

from django.http import HttpRequest
from ninja import Router

from ..web_api.fields import Answer, DecimalText
from .models import Transfer

router = Router(tags=["stores"])


class TransferLineOut(Answer):
    """A quantity that was sent, and what became of it."""

    item: str
    name: str
    unit: str
    lot: str
    quantity: DecimalText
    arrived: DecimalText
    missing: DecimalText
    left: DecimalText


class TransferOut(Answer):
    """A transfer between sites."""

    number: int
    from_place: str
    from_name: str
    to_place: str
    to_name: str
    sent_at: str
    expected_on: date | None
    is_on_the_way: bool
    note: str
    lines: list[TransferLineOut]


@router.get("/stores/transfers", response=list[TransferOut])
def transfers(request: HttpRequest) -> list[TransferOut]:
    """Return the transfers on the way, and the last that arrived; 50 at most."""
    rows = Transfer.objects.select_related("from_place", "to_place").prefetch_related(
        "lines__item", "lines__lot"
    )
    return [
        TransferOut(
            number=t.pk,
            from_place=t.from_place.code,
            from_name=t.from_place.name,
            to_place=t.to_place.code,
            to_name=t.to_place.name,
            sent_at=t.sent_at.isoformat(),
            expected_on=t.expected_on,
            is_on_the_way=t.is_on_the_way,
            note=t.note,
            lines=[
                TransferLineOut(
                    item=n.item.code,
                    name=n.item.name,
                    unit=n.item.unit,
                    lot=n.lot.code if n.lot else "",
                    quantity=n.quantity,
                    arrived=n.arrived,
                    missing=n.missing,
                    left=n.quantity - n.arrived - n.missing,
                )
                for n in t.lines.all()
            ],
        )
        for t in rows.order_by("-is_on_the_way", "-pk")[:50]
    ]
