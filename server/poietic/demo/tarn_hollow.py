"""Tarn Hollow Instruments, an invented works: its telescopes down to the blank, orders at every stage.

Everything goes through the application's own commands, dated relative to one "today".
"""

from datetime import date, timedelta

from django.utils import timezone

from ..commanding.roles import Role
from ..orders.keeping import keep_all
from . import (
    books_scene,
    buying_scene,
    heron,
    history_scene,
    mirror_cell,
    picking_scene,
    product_family,
    selling_scene,
    stores_scene,
)
from .shop import Shop
from .works import Works

PEOPLE = {
    "mara": ("Mara Quill", Role.ADMINISTRATOR),
    "jonas": ("Jonas Fell", Role.CONTROLLER),
    "ines": ("Ines Garrow", Role.ENGINEER),
    "piet": ("Piet Oxley", Role.STOREKEEPER),
    "lotte": ("Lotte Birk", Role.OPERATOR),
    "sunil": ("Sunil Ames", Role.COST_ACCOUNTANT),
    "vera": ("Vera Moss", Role.VIEWER),
}


def load(today: date) -> None:
    """Load the whole works."""
    shop = Shop()
    works = Works(shop, today)
    works.at(-96)
    for name, (full_name, role) in PEOPLE.items():
        shop.do(
            "add-person",
            name=name,
            full_name=full_name,
            roles=[role.value],
            is_demo=True,
        )
    shop.do("open-demo")
    works.as_person("mara")
    _calendars(works)
    mirror_cell.define(shop)
    _define_rest(shop)
    product_family.define(shop, today)
    _telescope(shop)
    works.as_person("mara")
    product_family.prices_and_papers(shop)
    shop.do("freeze-standard", note="opening standard")
    history_scene.play(works)
    works.at(-24)
    works.as_person("piet")
    _first_deliveries(shop)
    _finished_orders(works)
    _running_orders(works)
    works.at(-1, hour=16)
    works.as_person("jonas")
    works.plan("RB-200", "16", due=10, note="customer order 331/1")
    works.plan("FD-80", "25", due=12, note="spare parts stock")
    _graded_mirrors(works)
    _next_revision(works)
    stores_scene.play(works)
    picking_scene.play(works)
    buying_scene.play(works)
    books_scene.play(works)
    selling_scene.play(works)
    keep_all(timezone.now(), stale_only=False)  # as the night leaves it


def _calendars(works: Works) -> None:
    shop = works.shop
    day = [{"weekday": d, "start": 7 * 60, "end": 15 * 60 + 30} for d in range(5)]
    late = [{"weekday": d, "start": 15 * 60 + 30, "end": 23 * 60} for d in range(5)]
    shop.do("define-calendar", code="DAY", name="Day shift", zone="Europe/Berlin", shifts=day)
    shop.do(
        "define-calendar", code="TWO", name="Two shifts", zone="Europe/Berlin", shifts=day + late
    )
    holiday = works.today + timedelta(days=30)
    for code in ("DAY", "TWO"):
        shop.do(
            "close-days",
            calendar=code,
            first=holiday.isoformat(),
            last=(holiday + timedelta(days=9)).isoformat(),
            why="works holiday",
        )


def _telescope(shop: Shop) -> None:
    """The whole instrument, four levels deep, with branches that join."""
    for code, machines, efficiency, calendar in (
        ("MILL", 2, "0.90", "TWO"),
        ("LATHE", 1, "0.95", "DAY"),
        ("ASSY", 3, "1", "DAY"),
        ("SHEET", 1, "0.85", "DAY"),
        ("TEST", 1, "1", "DAY"),
    ):
        shop.do(
            "change-work-center",
            code=code,
            machines=machines,
            efficiency=efficiency,
            calendar=calendar,
        )
    for code, name, unit, price, density in (
        ("AL-10", "Aluminium sheet 1.0 mm", "kg", "4.90", "2700"),
        ("CB-03", "Edge band, felt", "m", "0.85", None),
        ("FN-30", "Finder 8 × 30", "pcs", "38.50", None),
    ):
        shop.do(
            "define-item",
            code=code,
            name=name,
            unit=unit,
            source="buy",
            price=price,
            density=density,
        )
    shop.do("change-item", code="SC-08", own_units=[{"name": "box", "quantity": "200"}])
    for code, name, lot in (
        ("OT-200", "Optical tube assembly 200", "10"),
        ("HT-200", "Heron 200 telescope", "5"),
    ):
        shop.do("define-item", code=code, name=name, unit="pcs", source="make", standard_lot=lot)
    mirror_cell.structure(
        shop,
        "OT-200",
        [
            {"number": 10, "name": "Roll and seam tube", "work_center": "SHEET", "setup_labour_hours": "0.4",
             "setup_machine_hours": "0.4", "run_labour_hours": "0.35", "run_machine_hours": "0.35",
             "yield_share": "0.98", "wait_hours": "12", "steps": [{"text": "seam up, then let the lacquer cure overnight"}]},
            {"number": 20, "name": "Seat mirror in cell", "work_center": "ASSY", "run_labour_hours": "0.5",
             "after": []},
            {"number": 30, "name": "Fit spider and cell", "work_center": "ASSY", "run_labour_hours": "0.75",
             "after": [10, 20]},
            {"number": 40, "name": "Collimate and test", "work_center": "TEST", "run_labour_hours": "0.4",
             "run_machine_hours": "0.4", "queue_hours": "2"},
        ],
        [
            {"item": "AL-10", "operation": 10, "quantity": "1", "measured_by": "mass", "length": "740",
             "width": "900", "thickness": "1", "allowance": "0.03"},
            {"item": "CB-03", "operation": 10, "quantity": "1480", "unit": "mm"},
            {"item": "MA-200", "operation": 20, "quantity": "1"},
            {"item": "PM-200-A", "operation": 20, "quantity": "1", "alternates": [{"item": "PM-200-B"}]},
            {"item": "SP-200", "operation": 30, "quantity": "1"},
            {"item": "SC-08", "operation": 30, "quantity": "14", "reference": "ring A, ring B"},
        ],
    )  # fmt: skip
    mirror_cell.structure(shop, "HT-200", heron.OPERATIONS, heron.components())


def _next_revision(works: Works) -> None:
    """A revision of the spider that is approved and comes into force in two weeks."""
    works.at(-1, hour=15)
    works.as_person("ines")
    works.shop.do(
        "draft-structure",
        item="SP-200",
        operations=[
            {"number": 10, "name": "Bend vanes", "work_center": "SHEET", "setup_labour_hours": "0.5",
             "setup_machine_hours": "0.5", "run_labour_hours": "0.06", "run_machine_hours": "0.06",
             "is_report_point": False},
            {"number": 20, "name": "Join and square", "work_center": "ASSY", "run_labour_hours": "0.25",
             "yield_share": "0.98"},
            {"number": 30, "name": "Test centring", "work_center": "TEST", "run_labour_hours": "0.1"},
        ],
        components=[
            {"item": "SV-04", "operation": 10, "quantity": "3", "allowance": "0.02",
             "issue_rule": "at operation"},
            {"item": "HB-02", "operation": 20, "quantity": "1"},
            {"item": "SC-08", "operation": 20, "quantity": "6", "issue_rule": "at operation"},
        ],
        note="three vanes instead of four, M4 socket screws",
    )  # fmt: skip
    works.shop.do("submit-structure", item="SP-200")
    works.as_person("jonas")
    works.shop.do(
        "approve-structure",
        item="SP-200",
        effective_from=(works.today + timedelta(days=14)).isoformat(),
        note="three vanes instead of four, M4 socket screws",
    )
    works.as_person("ines")
    works.shop.do(
        "write-note",
        kind="item",
        code="SP-200",
        text="Use up the countersunk screws before rev B comes into force.",
    )


def _define_rest(shop: Shop) -> None:
    for code, name in (("CHIPPED", "Chipped edge"), ("DRILLED", "Hole off position")):
        shop.do("define-reason", code=code, name=name)
    shop.do("define-place", code="LINE", name="Line side", kind="floor")
    for code, name, unit, price in (
        ("SV-04", "Spider vane, spring steel", "pcs", "3.10"),
        ("HB-02", "Spider hub, turned", "pcs", "7.85"),
        ("PL-18", "Birch plywood panel 18 mm", "m²", "31.00"),
        ("BR-12", "Azimuth bearing ring 120", "pcs", "5.40"),
        ("SC-05", "Countersunk screw 5 × 40", "pcs", "0.06"),
    ):
        shop.do("define-item", code=code, name=name, unit=unit, source="buy", price=price)
    for code, name, lot in (
        ("SP-200", "Secondary mirror spider", "20"),
        ("RB-200", "Rocker base for Heron 200", "12"),
        ("FD-80", "Focuser drawtube 80 mm", "25"),
    ):
        shop.do("define-item", code=code, name=name, unit="pcs", source="make", standard_lot=lot)
    for code, name, machine, labour in (
        ("SHEET", "Sheet and panel shop", "18.00", "29.00"),
        ("TEST", "Test bench", "6.00", "34.00"),
    ):
        shop.do(
            "define-work-center", code=code, name=name, machine_rate=machine, labour_rate=labour
        )
    mirror_cell.structure(
        shop,
        "SP-200",
        [
            {"number": 10, "name": "Bend vanes", "work_center": "SHEET", "setup_labour_hours": "0.5",
             "setup_machine_hours": "0.5", "run_labour_hours": "0.08", "run_machine_hours": "0.08",
             "is_report_point": False},
            {"number": 20, "name": "Join and square", "work_center": "ASSY", "run_labour_hours": "0.25",
             "yield_share": "0.97"},
            {"number": 30, "name": "Test centring", "work_center": "TEST", "run_labour_hours": "0.1"},
        ],
        [
            {"item": "SV-04", "operation": 10, "quantity": "4", "allowance": "0.02",
             "issue_rule": "at operation"},
            {"item": "HB-02", "operation": 20, "quantity": "1"},
            {"item": "SC-05", "operation": 20, "quantity": "8", "issue_rule": "at operation"},
        ],
    )  # fmt: skip
    mirror_cell.structure(
        shop,
        "RB-200",
        [
            {"number": 10, "name": "Cut panels", "work_center": "SHEET", "setup_labour_hours": "0.75",
             "setup_machine_hours": "0.75", "run_labour_hours": "0.4", "run_machine_hours": "0.4",
             "yield_share": "0.96"},
            {"number": 20, "name": "Screw together, fit bearing", "work_center": "ASSY",
             "run_labour_hours": "0.5"},
        ],
        [
            {"item": "PL-18", "operation": 10, "quantity": "1.35", "allowance": "0.05"},
            {"item": "BR-12", "operation": 20, "quantity": "2"},
            {"item": "SC-05", "operation": 20, "quantity": "24", "issue_rule": "at operation"},
        ],
    )  # fmt: skip
    shop.do(
        "draft-structure",
        item="FD-80",
        operations=[
            {"number": 10, "name": "Turn drawtube", "work_center": "LATHE", "run_labour_hours": "0.3",
             "run_machine_hours": "0.3"}
        ],
        components=[{"item": "SB-06", "operation": 10, "quantity": "0.2"}],
        note="waits for the drawing of the thread",
    )  # fmt: skip


def _first_deliveries(shop: Shop) -> None:
    lines = [
        ("AP-20", "120", "6.80"),  # the price of aluminium has risen since the standard
        ("PAD-3", "620", "0.42"),
        ("SB-06", "10", "25.20"),
        ("SV-04", "220", "3.10"),
        ("HB-02", "50", "7.60"),
        ("PL-18", "30", "32.50"),
        ("BR-12", "60", "5.40"),
        ("SC-05", "2000", "0.06"),
    ]
    shop.do(
        "receive-material",
        lines=[
            {"item": item, "quantity": quantity, "price": price, "place": "STORE"}
            for item, quantity, price in lines
        ],
    )


def _finished_orders(works: Works) -> None:
    """Two closed orders, and the mirror cells that show every cause of the slice."""
    works.at(-22)
    sets = works.released("CS-01", "40", due=-18, note="for order of mirror cells")
    works.issue(sets, (10, "SB-06", "4.9"))
    works.report(sets, 10, "40", run_labour_hours="4.2", run_machine_hours="4.2", receive="40")
    works.do("jonas", "complete-order", order=sets, leftovers="charge")
    works.do("sunil", "close-order", order=sets)

    works.at(-17)
    cells = works.released("MA-200", "40", due=-9, note="customer order 318/2")
    for day, (name, given), who in zip(
        (-16, -15, -13, -12, -10),
        mirror_cell.steps(cells)[1:6],
        ("piet", "lotte", "piet", "lotte", "lotte"),
        strict=True,
    ):
        works.at(day)
        works.do(who, name, **given)
    works.at(-9)
    works.do("jonas", "complete-order", order=cells, leftovers="charge")

    works.at(-14)
    spiders = works.released("SP-200", "24", due=-8)
    works.issue(spiders, (20, "HB-02", "25"))
    works.at(-11)
    scrap = [{"reason": "DRILLED", "quantity": "1"}]
    works.report(spiders, 20, "24", scrap=scrap, run_labour_hours="6.8")
    works.report(spiders, 30, "24", receive="24")
    works.do("jonas", "complete-order", order=spiders)
    works.do("sunil", "close-order", order=spiders)


def _graded_mirrors(works: Works) -> None:
    """Mirrors sorted at receipt; one fell, which no mirror is to pay for."""
    works.at(-23)
    works.do(
        "ines", "define-reason", code="FELL", name="Fell from the carrier", is_written_off=True
    )
    for code, name, use in (
        ("WASTE", "Wasted at the cut", "over-issue"),
        ("DRAWING", "Waits for a drawing", "hold"),
        ("COUNTED", "Counted differently", "adjustment"),
    ):
        works.do("ines", "define-reason", code=code, name=name, use=use)
    works.do(
        "piet",
        "receive-material",
        lines=[
            {"item": item, "quantity": quantity, "price": price, "place": "STORE"}
            for item, quantity, price in (("BL-200", "24", "63.50"), ("GP-03", "4", "48.00"))
        ],
    )
    mirrors = works.released("PM-200", "12", due=-8, note="for Heron 200")
    works.issue(mirrors, (10, "BL-200", "14"))
    works.at(-21)
    works.report(mirrors, 10, "14", by_products=[{"item": "CU-GL", "quantity": "1.7"}])
    works.at(-18)
    works.report(mirrors, 20, "13", scrap=[{"reason": "FELL", "quantity": "1"}])
    works.at(-17)
    works.report(mirrors, 30, "13", run_labour_hours="5.8")
    works.at(-8)
    works.report(
        mirrors,
        40,
        "12",
        scrap=[{"reason": "CHIPPED", "quantity": "1"}],
        receive="12",
        grades=[{"item": "PM-200-A", "quantity": "8"}, {"item": "PM-200-B", "quantity": "4"}],
    )
    works.do("jonas", "complete-order", order=mirrors)


def _running_orders(works: Works) -> None:
    """A late order that is short, the one it waits for, and one that costs too much."""
    works.at(-8)
    works.as_person("piet")
    works.shop.do(
        "receive-material",
        lines=[{"item": "AP-20", "quantity": "80", "price": "7.10", "place": "STORE"}],
        reason="second delivery of the month",
    )
    works.at(-7)
    cells = works.released("MA-200", "20", due=-2, note="customer order 322/1")
    works.issue(cells, (10, "AP-20", "52"))
    works.at(-5)
    works.report(
        cells,
        10,
        "20",
        scrap=[{"reason": "POROSITY", "quantity": "1"}],
        by_products=[{"item": "SW-AL", "quantity": "22.5"}],
        setup_labour_hours="1.75",
        setup_machine_hours="1.75",
        run_labour_hours="5.5",
        run_machine_hours="5.5",
    )

    works.at(-4)
    works.released("CS-01", "30", due=2, note="for the mirror cells of 322/1")

    works.at(-6)
    bases = works.released("RB-200", "12", due=3, note="customer order 327/4")
    works.issue(bases, (10, "PL-18", "19.5"))
    works.at(-3)
    works.report(
        bases,
        10,
        "11",
        scrap=[{"reason": "CHIPPED", "quantity": "2"}],
        run_labour_hours="6.25",
        run_machine_hours="6.25",
    )
    works.issue(bases, (20, "BR-12", "24"))
    works.at(-1, hour=9)
    works.report(bases, 20, "5", run_labour_hours="2.75", receive="5")
