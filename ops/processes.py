"""Processes by what proves whose they are: command line, start time and boot."""

import os
import signal
import subprocess
import sys
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

PROC = Path("/proc")
BOOT = PROC / "sys/kernel/random/boot_id"


@dataclass(frozen=True)
class Process:
    """A process as the system knows it; its start is counted in ticks since the boot."""

    pid: int
    group: int
    start: int
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
    return Process(pid, int(fields[2]), int(fields[19]), fields[0] in "ZX", tuple(command))


def described(processes: list["subprocess.Popen[bytes]"]) -> dict[str, Any]:
    """Return what will prove later that processes of these groups are ours."""
    found = (find(p.pid) for p in processes)
    groups = {str(p.pid): p.start for p in found if p}
    return {"boot": BOOT.read_text().strip(), "groups": groups}


def end_leftover(facts: dict[str, Any]) -> None:
    """End what a killed start left running; a process that only bears the same number is left alone."""
    groups = facts.get("groups")
    if not isinstance(groups, dict) or facts.get("boot") != BOOT.read_text().strip():
        return
    for folder in PROC.glob("[0-9]*"):
        process = find(int(folder.name))
        if process is None or str(process.group) not in groups or process.is_over:
            continue
        start = groups[str(process.group)]
        is_ours = process.command[0] == sys.executable and isinstance(start, int)
        if is_ours and process.start >= start:
            with suppress(OSError):
                os.kill(process.pid, signal.SIGKILL)
        else:
            print(f"Process {process.pid} has the number of one of ours and is none: left alone")


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
