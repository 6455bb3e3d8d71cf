"""Cost that comes after its receipt: what is still in stock is worth more, the rest has gone on."""

from collections.abc import Iterable
from decimal import Decimal
from itertools import groupby

from django.db import connection
from poietic_core.quantity import ZERO, allocate
from poietic_core.stock.late import shares_left, still_in_stock
from poietic_core.stock.valuation import Method

from ..catalog.models import STOCK_KINDS
from .document import Document, Late
from .models import Account
from .stock import Stock

#: of each item what came into stock and what went out of it, from a posting of it on
MOVED = """
WITH since(item_id, posting_id) AS (SELECT * FROM unnest(%s::bigint[], %s::bigint[]))
SELECT l.item_id, l.posting_id, CASE WHEN t.kind = ANY(%s) THEN l.quantity ELSE -l.quantity END
FROM since s JOIN ledger_stockline l ON l.item_id = s.item_id AND l.posting_id >= s.posting_id
JOIN catalog_place f ON f.id = l.from_place_id JOIN catalog_place t ON t.id = l.to_place_id
WHERE (f.kind = ANY(%s)) <> (t.kind = ANY(%s)) ORDER BY l.item_id, l.id
"""


def take_lates(stock: Stock, document: Document) -> None:
    """Have receipts cost more or less than they were received at.

    Standard-costed stock keeps its standard: all is purchase price variance.
    """
    shares = _shares_of_pools(stock, document.lates)
    for late in document.lates:
        if late.is_carried:
            continue
        holding = stock.holdings[late.item.pk]
        item = holding.item
        if item.method is Method.STANDARD:
            document.journal(Account.PURCHASE_PRICE_VARIANCE, late.amount)
            late.then(ZERO, ZERO)
            continue
        if item.method.has_layers:
            still = _into_layers(stock, document, late)
        else:
            share = shares.get((item.pk, late.receipt), ZERO)
            still = still_in_stock(late.amount, share, holding.value)
        late.in_stock, late.is_kept = still, True
        stock.gain(item.pk, still)
        document.journal(Account.STOCK, still, item=item.pk)
        document.journal(Account.LATE_COST, late.amount - still)
        late.then(still, late.amount - still)


def _shares_of_pools(stock: Stock, lates: Iterable[Late]) -> dict[tuple[int, int], Decimal]:
    """Return by item and receipt which share is still in stock, of items valued as one pool."""
    receipts: dict[int, set[int]] = {}
    for late in lates:
        if (
            not late.is_carried
            and stock.holdings[late.item.pk].item.method is Method.MOVING_AVERAGE
        ):
            receipts.setdefault(late.item.pk, set()).add(late.receipt)
    if not receipts:
        return {}
    kinds = [k.value for k in STOCK_KINDS]
    with connection.cursor() as cursor:
        first = [min(own) for own in receipts.values()]
        cursor.execute(MOVED, [list(receipts), first, kinds, kinds, kinds])
        rows = cursor.fetchall()
    return {
        (item, receipt): share
        for item, moved in groupby(rows, key=lambda row: row[0])
        for receipt, share in shares_left(
            stock.holdings[item].quantity, [(p, q) for _, p, q in moved], receipts[item]
        ).items()
    }


def _into_layers(stock: Stock, document: Document, late: Late) -> Decimal:
    """Put a late cost into the layers that the receipt made, as far as they are left; return how much."""
    layers = stock.layers.of_receipt(late.receipt, late.item)
    if not layers:  # it was valued otherwise then
        return ZERO
    whole = ZERO
    parts = allocate(late.amount, [y.quantity for y in layers])
    for layer, part in zip(layers, parts, strict=True):
        share = layer.quantity_left / layer.quantity
        still = still_in_stock(part, share, layer.value_left)
        if still:
            stock.layers.appreciate(document, layer, still)
        whole += still
    return whole
