"""Small files of state: written whole or not at all, and read with suspicion."""

import fcntl
import json
import os
from pathlib import Path
from typing import IO, Any


def write_whole(path: Path, text: str) -> None:
    """Write a file so that nobody ever finds half of it."""
    fresh = path.with_name(f"{path.name}.{os.getpid()}.new")
    with fresh.open("w") as file:
        file.write(text)
        file.flush()
        os.fsync(file.fileno())
    fresh.replace(path)


def hold_alone(path: Path) -> IO[str] | None:
    """Return a lock that one process holds until it ends; None where another one has it."""
    lock = path.open("w")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        lock.close()
        return None
    return lock


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
