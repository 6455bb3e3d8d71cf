"""Component lines of a whole plant, read column by column: most say little, but there may be a million."""

from collections.abc import Iterable
from decimal import Decimal

import numpy as np
from django.db import connection
from poietic_core.structure.model import ComponentLine, IssueRule, Per

from .models import ComponentRow

#: a line that says no more than how much of which item is needed at which operation
PLAIN = {
    "unit": "",
    "measured_by": "",
    "alternates": [],
    "effective_from": None,
    "effective_until": None,
}
#: integers as bytes; what few lines say differently as texts, of which each is read once
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


def plain_lines(revisions: Iterable[int], codes: dict[int, str]) -> dict[int, list[ComponentLine]]:
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
    columns = [np.frombuffer(column, dtype=">i8").astype(np.int64) for column in packed]
    revision, place, item = columns
    told = texts.split(",")
    meaning = {text: _meaning(text) for text in set(told)}
    order = np.lexsort((place, revision))
    lines = []
    for n, operation, key in zip(
        order.tolist(), (place[order] >> 32).tolist(), item[order].tolist(), strict=True
    ):
        quantity, allowance, per, issue_rule = meaning[told[n]]
        lines.append(
            ComponentLine(
                item=codes[key],
                operation=operation,
                quantity=quantity,
                per=per,
                allowance=allowance,
                issue_rule=issue_rule,
                reference=references[n],
            )
        )
    of, first = np.unique(revision[order], return_index=True)
    ends = [*first[1:].tolist(), len(lines)]
    return {
        key: lines[begin:end]
        for key, begin, end in zip(of.tolist(), first.tolist(), ends, strict=True)
    }


def _meaning(text: str) -> tuple[Decimal, Decimal, Per, IssueRule]:
    quantity, allowance, per, issue_rule = text.split(";")
    return Decimal(quantity), Decimal(allowance), Per(per), IssueRule(issue_rule)
