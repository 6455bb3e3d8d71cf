"""Small files of state: written whole or not at all, and read with suspicion."""

import json
import os
from pathlib import Path
from typing import Any


def write_whole(path: Path, text: str) -> None:
    """Write a file so that nobody ever finds half of it."""
    fresh = path.with_name(f"{path.name}.{os.getpid()}.new")
    with fresh.open("w") as file:
        file.write(text)
        file.flush()
        os.fsync(file.fileno())
    fresh.replace(path)


def read_number(path: Path) -> int | None:
    """Return the port number that a file holds; None where it holds none that anybody but root may take."""
    try:
        number = int(path.read_text())
    except (OSError, ValueError):
        return None
    return number if 1024 <= number < 65536 else None


def read_facts(path: Path) -> dict[str, Any]:
    """Return the facts that a file of JSON holds; none where it can't be read."""
    try:
        found = json.loads(path.read_text())
    except (OSError, ValueError):
        return {}
    return found if isinstance(found, dict) else {}
