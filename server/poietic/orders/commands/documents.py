"""Drawings and pictures of an order and of its operations."""

from typing import Annotated

from pydantic import Field

from ...catalog.files import file_brought
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...web_api.errors import NotFound
from ...web_api.fields import OperationNumber, Text
from ..models import OrderDocument
from ..open_book import OpenBook
from .life import OrderGiven

DocumentName = Annotated[str, Text(120, 1)]


class AttachOrderDocument(OrderGiven):
    """A file that was brought, of an order or an operation of it; the same name replaces."""

    file: Annotated[int, Field(ge=1, le=2**62)]
    name: DocumentName | None = None
    operation: OperationNumber | None = None


class DetachOrderDocument(OrderGiven):
    """A drawing or picture that an order shows no longer."""

    name: DocumentName


@command("attach-order-document", "Attach a document to an order", Role.ENGINEER, Role.CONTROLLER)
def attach_order_document(context: Context, given: AttachOrderDocument) -> None:
    """Show a file with an order, or with one of its operations, wherever that is reported."""
    book = OpenBook.lock(context, given.order)
    if given.operation is not None:
        book.operation(given.operation)
    kept = file_brought(given.file)
    name = given.name or kept.name
    OrderDocument.objects.update_or_create(
        order=book.order, name=name, defaults={"kept": kept, "operation": given.operation}
    )
    context.effects.field(book.thing, "document", None, name)
    book.finish()


@command("detach-order-document", "Detach a document from an order", Role.ENGINEER, Role.CONTROLLER)
def detach_order_document(context: Context, given: DetachOrderDocument) -> None:
    """Show a file with an order no longer; the file is kept."""
    book = OpenBook.lock(context, given.order)
    if not book.order.documents.filter(name=given.name).delete()[0]:
        raise NotFound(f"document of order {given.order}", given.name)
    context.effects.field(book.thing, "document", given.name, None)
    book.finish()
