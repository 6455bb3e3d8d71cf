"""What there are labels and papers of: each app says how its own are filled."""

from collections.abc import Callable

from .labels import Label

#: by kind: from a code, and the item that it is of where a code alone does not tell, to its label
LABELS: dict[str, Callable[[str, str], Label]] = {}
#: by kind: from a code to a PDF
PAPERS: dict[str, Callable[[str], bytes]] = {}
