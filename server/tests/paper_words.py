"""What a paper says, without its drawing."""

from typing import Any

from reportlab.platypus import Paragraph, Table


def words_of(title: str, parts: list[Any]) -> bytes:
    """Return what a paper says, in the place of its drawing."""
    cells = [c for p in parts if isinstance(p, Table) for row in p._cellvalues for c in row]
    flat = [one for c in (*parts, *cells) for one in (c if isinstance(c, list) else [c])]
    words = [
        c.text if isinstance(c, Paragraph) else str(c) for c in flat if not isinstance(c, Table)
    ]
    return " ".join([title, *words]).encode()
