"""Drawings and pictures of orders."""

from django.http import HttpRequest, HttpResponse
from ninja import Router

from ..catalog.files import DocumentOut, shown
from ..commanding.api import Problem
from ..web_api.errors import NotFound
from .models import Order, OrderDocument

router = Router(tags=["orders"])


class OrderDocumentOut(DocumentOut):
    """A drawing or picture of an order, or of one of its operations."""

    operation: int | None = None


@router.get("/orders/{number}/documents", response={200: list[OrderDocumentOut], 404: Problem})
def order_documents(request: HttpRequest, number: int) -> list[OrderDocumentOut]:
    """Return the drawings and pictures of an order, those of all of it first."""
    rows = _order(number).documents.select_related("kept__person")
    found = [OrderDocumentOut(**DocumentOut.of(d.name, d.kept).model_dump(), operation=d.operation) for d in rows]  # fmt: skip
    return sorted(found, key=lambda d: (d.operation or 0, d.name))


@router.get("/orders/{number}/documents/{name}", response={404: Problem})
def order_document(request: HttpRequest, number: int, name: str) -> HttpResponse:
    """Return a drawing or picture of an order."""
    found = OrderDocument.objects.filter(order=_order(number), name=name).select_related("kept")
    if not (document := found.first()):
        raise NotFound(f"document of order {number}", name)
    return shown(document.kept, name, f"order {number}")


def _order(number: int) -> Order:
    found = Order.objects.filter(number=min(number, 2**31 - 1)).first()
    if found is None:
        raise NotFound("order", str(number))
    return found
