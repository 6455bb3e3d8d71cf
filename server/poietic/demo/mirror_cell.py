"""The constructed order of the handbook's check values, run through commands.

A mirror cell of two levels; every number is chosen so that its variances can be worked
out by hand: 2,258.84 charged against 2,136.15, 122.69 unfavourable.
"""

from datetime import date
from typing import Any

from .shop import Shop

MILL_HOURS = {"run_labour_hours": "0.25", "run_machine_hours": "0.25"}
MILL_SETUP = {"setup_labour_hours": "1", "setup_machine_hours": "1"}


def define(shop: Shop) -> None:
    """Define items, work centers and structures, and freeze the standard (53.403684)."""
    shop.do("define-place", code="STORE", name="Main store", kind="store")
    for code, name in (("POROSITY", "Porosity"), ("DROPPED", "Dropped")):
        shop.do("define-reason", code=code, name=name)
    bought: list[tuple[str, str, str, str]] = [
        ("AP-20", "Aluminium plate 20", "kg", "6.50"),
        ("PAD-3", "Support pad", "pcs", "0.42"),
        ("SB-06", "Steel bar M6", "m", "25.00"),
        ("SW-AL", "Aluminium swarf", "kg", "1.20"),
    ]
    for code, name, unit, price in bought:
        shop.do("define-item", code=code, name=name, unit=unit, source="buy", price=price)
    shop.do("define-item", code="CS-01", name="Collimation set", unit="pcs", source="make")
    shop.do(
        "define-item",
        code="MA-200",
        name="Mirror cell",
        unit="pcs",
        source="make",
        standard_lot="20",
    )
    for code, name, machine, labour in (
        ("MILL", "CNC mill", "40.00", "24.00"),
        ("LATHE", "Lathe", "27.00", "24.00"),
        ("ASSY", "Assembly", "0", "32.00"),
    ):
        shop.do(
            "define-work-center", code=code, name=name, machine_rate=machine, labour_rate=labour
        )
    structure(
        shop,
        "CS-01",
        [
            {
                "number": 10,
                "name": "Turn screws",
                "work_center": "LATHE",
                "run_labour_hours": "0.1",
                "run_machine_hours": "0.1",
            }
        ],
        [{"item": "SB-06", "quantity": "0.122"}],
    )
    structure(
        shop,
        "MA-200",
        [
            {
                "number": 10,
                "name": "Mill cell",
                "work_center": "MILL",
                "yield_share": "0.95",
                **MILL_SETUP,
                **MILL_HOURS,
            },
            {"number": 20, "name": "Assemble", "work_center": "ASSY", "run_labour_hours": "0.2"},
        ],
        [
            {"item": "AP-20", "operation": 10, "quantity": "2.40"},
            {"item": "PAD-3", "operation": 20, "quantity": "9"},
            {"item": "CS-01", "operation": 20, "quantity": "1"},
        ],
        [{"item": "SW-AL", "operation": 10, "quantity": "1.10", "credit_price": "1.20"}],
    )
    shop.do("freeze-standard")


def structure(
    shop: Shop,
    item: str,
    operations: list[dict[str, Any]],
    components: list[dict[str, Any]],
    outputs: list[dict[str, Any]] | None = None,
) -> None:
    """Draft and approve a structure."""
    shop.do(
        "draft-structure",
        item=item,
        operations=operations,
        components=components,
        outputs=outputs or [],
    )
    shop.do("approve-structure", item=item)


def supply(shop: Shop) -> None:
    """Receive the material, aluminium at a higher price, and make 40 collimation sets."""
    lines = [("AP-20", "120", "6.80"), ("PAD-3", "400", "0.42"), ("SB-06", "10", "25.00")]
    shop.do(
        "receive-material",
        lines=[
            {"item": item, "quantity": quantity, "price": price, "place": "STORE"}
            for item, quantity, price in lines
        ],
    )
    order = plan(shop, "CS-01", "40")
    shop.do("release-order", order=order)
    shop.do(
        "issue-material",
        order=order,
        lines=[{"operation": 10, "item": "SB-06", "quantity": "4.88"}],
    )
    shop.do("report", order=order, operation=10, good="40", receive="40", complete=True)
    shop.do("close-order", order=order)


def plan(shop: Shop, item: str, quantity: str, due: date | None = None) -> int:
    """Plan an order and return its number."""
    made = shop.do(
        "plan-order",
        item=item,
        quantity=quantity,
        due=(due or date(2026, 11, 26)).isoformat(),
        supply_place="STORE",
        receipt_place="STORE",
    ).made
    return int(made["order"])


def steps(order: int) -> list[tuple[str, dict[str, Any]]]:
    """Return the commands of the constructed order after its planning, in their order."""
    return [
        ("release-order", {"order": order}),
        (
            "issue-material",
            {"order": order, "lines": [{"operation": 10, "item": "AP-20", "quantity": "108"}]},
        ),
        (
            "report",
            {
                "order": order,
                "operation": 10,
                "good": "40",
                "scrap": [
                    {"reason": "POROSITY", "quantity": "3"},
                    {"reason": "DROPPED", "quantity": "1"},
                ],
                "by_products": [{"item": "SW-AL", "quantity": "48"}],
                "setup_labour_hours": "1.5",
                "setup_machine_hours": "1.5",
                "run_labour_hours": "12",
                "run_machine_hours": "12",
            },
        ),
        (
            "issue-material",
            {
                "order": order,
                "lines": [
                    {"operation": 20, "item": "PAD-3", "quantity": "362"},
                    {"operation": 20, "item": "CS-01", "quantity": "40"},
                ],
            },
        ),
        ("report", {"order": order, "operation": 20, "good": "40", "run_labour_hours": "7.5"}),
        ("receive", {"order": order, "quantity": "40"}),
        ("complete-order", {"order": order, "leftovers": "charge"}),
        ("close-order", {"order": order}),
    ]
