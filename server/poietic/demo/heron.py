"""What the Heron 200 telescope is made of and how, as structures are drafted."""

from typing import Any

OPERATIONS: list[dict[str, Any]] = [
    {
        "number": 10,
        "name": "Mount tube on rocker",
        "work_center": "ASSY",
        "run_labour_hours": "0.6",
    },
    {
        "number": 20,
        "name": "Final test",
        "work_center": "TEST",
        "run_labour_hours": "0.5",
        "run_machine_hours": "0.5",
    },
    {"number": 30, "name": "Pack", "work_center": "PACK", "run_labour_hours": "0.25"},
]


def components(finders: str = "1") -> list[dict[str, Any]]:
    """Return its components, with so many finders."""
    return [
        {"item": "OT-200", "operation": 10, "quantity": "1"},
        {"item": "RB-200", "operation": 10, "quantity": "1"},
        {"item": "FN-30", "operation": 10, "quantity": finders},
        {"item": "PK-20", "operation": 30, "quantity": "1"},
    ]
