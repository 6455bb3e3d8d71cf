"""What keeps a revision from being approved, and what would stop the next order of an item."""

from poietic_core.structure.rules import problems_of

from .models import Revision
from .queries import structure_of


def faults_of(revision: Revision) -> list[str]:
    """Return everything that keeps a revision from being approved."""
    problems = [f"{p.place}: {p.why} {p.fix}" for p in problems_of(structure_of(revision))]
    problems += [
        f"component:{c.item.code}: It is inactive. Make it active or remove it."
        for c in revision.components.all()
        if not c.item.is_active
    ]
    if not revision.item.is_made:
        problems.append(
            f"item:{revision.item.code}: It is bought. Define what is made as an item to make."
        )
    return problems
