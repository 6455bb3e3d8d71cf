"""Processes, and what proves whose they are: a mark in their environment."""

import os
import signal
import subprocess
import time
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

PROC = Path("/proc")
#: in the environment of all that a start begins, so that it can be told from everything else
MARK = "POIETIC_START"


@dataclass(frozen=True)
class Process:
    """A process as the system knows it."""

    pid: int
    is_over: bool
    command: tuple[str, ...]


def find(pid: int) -> Process | None:
    """Return the process of a number; None where there is none that is ours to look at."""
    try:
        folder = PROC / str(pid)
        fields = (folder / "stat").read_text().rpartition(")")[2].split()
        command = (folder / "cmdline").read_bytes().decode(errors="replace").split("\0")
    except (OSError, ValueError):
        return None
    return Process(pid, fields[0] in "ZX", tuple(command))


def end_leftover(facts: dict[str, Any]) -> None:
    """End what a killed start left running: whatever carries its mark in its environment.

    A process that only bears a number of one of them, after a reboot or in a copied folder, is
    left alone, and that is said.
    """
    mark, numbers = facts.get("mark"), facts.get("processes")
    if not isinstance(mark, str) or len(mark) < 16:
        return
    wanted = f"{MARK}={mark}".encode()
    ended = []
    for folder in PROC.glob("[0-9]*"):
        pid = int(folder.name)
        try:
            is_ours = wanted in (folder / "environ").read_bytes().split(b"\0")
        except OSError:
            continue
        if is_ours:
            with suppress(OSError):
                os.kill(pid, signal.SIGKILL)
                ended.append(pid)
        elif isinstance(numbers, list) and pid in numbers:
            print(f"Process {pid} has the number of one of ours and is none: left alone")
    _await_end(ended)


def _await_end(numbers: list[int]) -> None:
    """Wait until killed processes have let go of what they held: ports, files, sessions."""
    until = time.monotonic() + 10
    while time.monotonic() < until:
        if all(process is None or process.is_over for process in map(find, numbers)):
            return
        time.sleep(0.02)


def signal_group(group: int, how: signal.Signals = signal.SIGTERM) -> None:
    """Signal all processes of a group, its leader alive or not."""
    with suppress(ProcessLookupError):
        os.killpg(group, how)


def end(*processes: "subprocess.Popen[bytes]") -> None:
    """End processes with all that they started."""
    for process in processes:
        signal_group(process.pid)
    for process in processes:
        with suppress(subprocess.TimeoutExpired):
            process.wait(10)
        signal_group(process.pid, signal.SIGKILL)
