"""Derivations as they travel: flat, each row with its depth."""

from poietic_core.derivation import Derivation
from poietic_core.quantity import UNIT_COST_STEP, round_to

from .fields import Answer, plain


class DerivationRow(Answer):
    """One number; the rows below it with a greater depth are its terms."""

    depth: int
    label: str
    value: str
    unit: str
    how: str
    source: str


def flatten(root: Derivation) -> list[DerivationRow]:
    """Return a derivation and its terms, each before its own terms."""
    rows: list[DerivationRow] = []
    waiting = [(root, 0)]
    while waiting:
        node, depth = waiting.pop()
        rows.append(
            DerivationRow(
                depth=depth,
                label=node.label,
                value=plain(round_to(node.value, UNIT_COST_STEP)),
                unit=node.unit,
                how=node.how,
                source=node.source,
            )
        )
        waiting += [(term, depth + 1) for term in reversed(node.terms)]
    return rows
