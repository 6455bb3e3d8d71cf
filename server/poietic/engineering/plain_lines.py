"""Component lines of a whole plant, read column by column: most say little, but there may be a million."""

from collections.abc import Iterable
from decimal import Decimal
from typing import Any

import numpy as np
from django.db import connection
from poietic_core.structure.lines import Columns, Lines
from poietic_core.structure.model import ComponentLine, IssueRule, Per

from .models import ComponentRow

#: a line that says no more than how much of which item is needed at which operation
PLAIN: dict[str, Any] = {
    "unit": "",
    "measured_by": "",
    "alternates": [],
    "mix": "",
    "effective_from": None,
    "effective_until": None,
}
#: integers as bytes; what many lines say alike as texts, of which each is read once
READ = """
SELECT string_agg(int8send(revision_id), ''),
       string_agg(int8send((operation::bigint << 32) + position), ''),
       string_agg(int8send(item_id), ''),
       string_agg(quantity || ';' || allowance || ';' || per || ';' || issue_rule, ','),
       array_agg(reference)
FROM engineering_componentrow WHERE revision_id = ANY(%s)
"""


def revisions_with_more() -> set[int]:
    """Return the revisions of which some line is not plain."""
    rows = ComponentRow.objects.exclude(**PLAIN).order_by()
    return set(rows.values_list("revision_id", flat=True).distinct())


def plain_lines(revisions: Iterable[int], codes: dict[int, str]) -> dict[int, Lines]:
    """Return the lines of revisions that have plain ones only, by operation and position.

    Parameters
    ----------
    codes : of all items that they use, by key
    """
    with connection.cursor() as cursor:
        cursor.execute(READ, [list(revisions)])
        *packed, texts, references = cursor.fetchone()
    if texts is None:
        return {}
    revision, place, item = (np.frombuffer(column, dtype=">i8") for column in packed)
    order = np.lexsort((place, revision))
    keys, at = np.unique(item, return_inverse=True)
    kinds: dict[tuple[str, str], int] = {}
    told = zip(texts.split(","), references, strict=True)
    kind = np.array([kinds.setdefault(line, len(kinds)) for line in told], dtype=np.int32)
    columns = Columns(
        item=at[order].astype(np.int32),
        operation=(place[order] >> 32).astype(np.int32),
        kind=kind[order],
        codes=[codes[key] for key in keys.tolist()],
        kinds=[_kind(*line) for line in kinds],
    )
    of, first = np.unique(revision[order], return_index=True)
    ends = [*first[1:].tolist(), order.size]
    return {
        key: Lines(columns, begin, end)
        for key, begin, end in zip(of.tolist(), first.tolist(), ends, strict=True)
    }


def _kind(text: str, reference: str) -> ComponentLine:
    quantity, allowance, per, issue_rule = text.split(";")
    return ComponentLine(
        item="",
        operation=0,
        quantity=Decimal(quantity),
        allowance=Decimal(allowance),
        per=Per(per),
        issue_rule=IssueRule(issue_rule),
        reference=reference,
    )
