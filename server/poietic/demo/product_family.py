"""The rest of the product family: mirrors that are graded, blanks that come together, kits, controllers."""

from datetime import date, timedelta
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile

from ..catalog.files import keep_file
from .drawings import drawing, picture
from .mirror_cell import structure
from .shop import Shop

PARTNERS = (
    ("CORRIN", "Corrin Vale Coatings", True),
    ("TESSAL", "Tessaly Vacuum Works", True),
    ("MARROW", "Marrow Metals", True),
    ("KETTER", "Ketterby Glass", True),
    ("ORLOCK", "Orlock Precision Milling", True),
    ("PELDUN", "Pell and Dunmore Electronics", True),
    ("ORMSBY", "Ormsby Star Society", False),
    ("ELLERB", "Ellerby Instruments", False),
)
#: customer (None: everybody), price, from quantity
LIST_PRICES: dict[str, list[tuple[str | None, str, str]]] = {
    "HT-200": [(None, "1190.00", "0"), (None, "1090.00", "10"), ("ORMSBY", "1020.00", "0")],
    "HT-150": [(None, "640.00", "0"), ("ELLERB", "598.00", "5")],
    "OT-200": [(None, "790.00", "0")],
    "MA-200": [(None, "94.00", "0"), ("ELLERB", "79.00", "50")],
    "FO-80": [(None, "118.00", "0")],
    "HC-1": [(None, "129.00", "0"), ("ELLERB", "99.00", "20")],
    "FN-50": [(None, "59.00", "0")],
    "RB-200": [(None, "148.00", "0")],
}
CENTERS = (
    ("OPTICS", "Grinding and polishing spindles", "14.00", "33.00", 4, "0.90", "TWO"),
    ("ELEC", "Electronics bench", "3.00", "31.00", 2, "1", "DAY"),
    ("PACK", "Packing", "0", "24.00", 2, "1", "DAY"),
    ("OUT", "Outside work", "0", "0", 20, "1", "DAY"),
)
GRADES = (("FIT", "Fitter", "32.00"), ("OPT", "Optician", "38.00"), ("ELE", "Electronics technician", "35.00"))  # fmt: skip
#: code, name, unit, price, more
BOUGHT: tuple[tuple[str, str, str, str, dict[str, Any]], ...] = (
    ("BL-200", "Borosilicate blank 200", "pcs", "62.00", {"tracking": "lot", "number_rule": "BL{year}-{number:3}", "standard_lot": "24", "lead_time_days": 30}),
    ("GP-03", "Polishing compound, cerium", "kg", "48.00", {}),
    ("CU-GL", "Glass cullet", "kg", "0.35", {}),
    ("AL-SH", "Aluminium sheet 1000 × 2000 × 1", "pcs", "4.90", {"form": "sheet", "price_per": "kg", "density": "2700", "form_length": "2000", "form_width": "1000", "form_thickness": "1"}),
    ("AL-OC", "Aluminium offcut", "kg", "1.10", {}),
    ("MM-150", "Primary mirror 150, coated", "pcs", "118.00", {}),
    ("LS-50", "Finder lens set 9 × 50", "pcs", "21.00", {}),
    ("BR-14", "Azimuth bearing ring 140", "pcs", "6.10", {}),
    ("PT-01", "Varnish, matt", "L", "14.50", {}),
    ("EB-02", "Edge band, birch", "m", "0.70", {}),
    ("OC-1", "Optical cement", "kg", "145.00", {"tracking": "lot", "number_rule": "OC{year}-{number:3}"}),
    ("BD-7", "Controller board", "pcs", "34.00", {"tracking": "lot", "number_rule": "BD{year}-{number:4}"}),
    ("DP-2", "Display, red", "pcs", "9.80", {}),
    ("EN-4", "Controller enclosure", "pcs", "6.40", {}),
    ("CB-18", "Controller cable", "m", "1.20", {}),
    ("MT-5", "Drive motor with gear", "pcs", "46.00", {}),
    ("SC-08", "Socket screw M4", "pcs", "0.09", {}),
    ("WS-4", "Washer M4", "pcs", "0.02", {}),
    ("CT-20", "Carton, double wall", "pcs", "3.90", {}),
    ("FM-20", "Foam insert", "pcs", "2.15", {}),
    ("MN-1", "Owner's manual", "pcs", "0.95", {}),
)  # fmt: skip
MADE: tuple[tuple[str, str, str, dict[str, Any]], ...] = (
    ("PM-200", "Primary mirror 200, coated", "12", {}),
    ("PM-200-A", "Primary mirror 200, grade A", "12", {}),
    ("PM-200-B", "Primary mirror 200, grade B", "12", {}),
    ("TB-150", "Tube blank 150, coated", "20", {}),
    ("TB-50", "Finder tube blank 50", "60", {}),
    ("FN-50", "Finder 9 × 50", "20", {}),
    ("MC-150", "Mirror cell 150", "20", {"source": "both", "price": "31.00"}),
    ("OT-150", "Optical tube assembly 150", "10", {}),
    ("RB-150", "Rocker base for Heron 150", "12", {}),
    ("HK-10", "Focuser hardware kit", "1", {}),
    ("PK-20", "Packing kit", "1", {}),
    ("FO-80", "Focuser 80 mm", "25", {}),
    ("HC-1", "Hand controller", "20", {}),
    ("RM-200", "Driven rocker mount", "10", {}),
    ("HT-150", "Heron 150 telescope", "10", {"tracking": "serial", "number_rule": "H15-{year}-{number:4}"}),
)  # fmt: skip


def define(shop: Shop, today: date) -> None:
    """Define partners, grades, work centers, items and structures; the demo's basics are there."""
    for code, name, supplies in PARTNERS:
        shop.do("define-partner", code=code, name=name, is_supplier=supplies, is_customer=not supplies)  # fmt: skip
    for code, name, rate in GRADES:
        shop.do("define-labour-grade", code=code, name=name, rate=rate, overtime_premium="0.25")
    for code, name, machine, labour, machines, efficiency, calendar in CENTERS:
        shop.do("define-work-center", code=code, name=name, machine_rate=machine, labour_rate=labour, machines=machines, efficiency=efficiency, calendar=calendar)  # fmt: skip
    period = {
        "effective_from": (today - timedelta(days=100)).isoformat(),
        "effective_until": (today + timedelta(days=264)).isoformat(),
    }
    shop.do("set-overhead", code="OPT-ROOM", name="Clean room of optics", element="fixed overhead", base="machine hours", work_center="OPTICS", budget="43200", capacity="9600", **period)  # fmt: skip
    shop.do("set-overhead", code="ELE-USE", name="Consumables of electronics", element="variable overhead", base="labour hours", work_center="ELEC", budget="2400", capacity="1600", capacity_basis="normal", **period)  # fmt: skip
    for code, name, unit, price, more in BOUGHT:
        shop.do("define-item", code=code, name=name, unit=unit, source="buy", price=price, **more)
    for code, name, lot, more in MADE:
        fields: dict[str, Any] = {"source": "make", "standard_lot": lot} | more
        shop.do("define-item", code=code, name=name, unit="pcs", **fields)
    _mirrors(shop)
    _small_telescope(shop)
    _kits_and_controller(shop)


def _mirrors(shop: Shop) -> None:
    """Ground from a blank, tested into two grades, aluminized by a supplier who is paid on good ones."""
    shop.do(
        "draft-structure",
        item="PM-200",
        operations=[
            {"number": 10, "name": "Generate and grind", "work_center": "OPTICS", "setup_machine_hours": "0.5",
             "run_machine_hours": "0.8", "crew": "0.5", "labour_grade": "OPT", "yield_share": "0.96", "machines": 2},
            {"number": 20, "name": "Polish and figure", "work_center": "OPTICS", "run_machine_hours": "2.5",
             "crew": "0.5", "labour_grade": "OPT", "machines": 4, "wait_hours": "16",
             "steps": [{"text": "Press the lap warm, channels open"},
                       {"kind": "picture", "text": "Lap with its channels", "picture": "lap.png"},
                       {"kind": "tick", "text": "Edge bevelled all round"}]},
            {"number": 30, "name": "Test at the interferometer", "work_center": "TEST", "run_labour_hours": "0.4",
             "labour_grade": "OPT", "yield_share": "0.94",
             "steps": [{"kind": "lot", "text": "Lot of the blank", "item": "BL-200"},
                       {"kind": "measurement", "text": "Wavefront error, peak to valley", "unit": "λ", "upper": "0.25"},
                       {"kind": "measurement", "text": "Radius of curvature", "unit": "mm", "lower": "2394", "upper": "2406"}]},
            {"number": 40, "name": "Aluminize in vacuum", "work_center": "OUT", "yield_share": "0.98",
             "supplier": "TESSAL", "subcontract_price": "27.50", "payment_basis": "good pieces returned",
             "days_out": "8"},
        ],
        components=[
            {"item": "BL-200", "operation": 10, "quantity": "1"},
            {"item": "GP-03", "operation": 20, "quantity": "80", "unit": "g", "issue_rule": "at operation"},
        ],
        outputs=[{"item": "CU-GL", "operation": 10, "quantity": "0.12", "credit_price": "0.35"}],
        grades=[{"item": "PM-200-A", "share": "0.7", "weight": "3"}, {"item": "PM-200-B", "share": "0.3", "weight": "2"}],
    )  # fmt: skip
    shop.do("approve-structure", item="PM-200")


def _small_telescope(shop: Shop) -> None:
    """Tube and finder blanks come out of one sheet together; panels and bearings run side by side."""
    shop.do(
        "draft-structure",
        item="TB-150",
        batch_quantity="2",
        share_rule="physical measure",
        main_weight="0.49",
        operations=[
            {"number": 10, "name": "Shear sheet into blanks", "work_center": "SHEET", "setup_labour_hours": "0.3",
             "setup_machine_hours": "0.3", "run_machine_hours": "0.08", "crew": "1"},
            {"number": 20, "name": "Roll and seam", "work_center": "SHEET", "run_labour_hours": "0.2",
             "run_machine_hours": "0.2", "labour_grade": "FIT", "yield_share": "0.98", "alternate_centers": ["ASSY"]},
            {"number": 30, "name": "Powder-coat", "work_center": "OUT", "supplier": "CORRIN",
             "subcontract_price": "9.80", "payment_basis": "pieces sent", "days_out": "5"},
        ],
        components=[{"item": "AL-SH", "operation": 10, "quantity": "1"}],
        outputs=[
            {"item": "TB-50", "operation": 10, "quantity": "6", "kind": "co-product", "weight": "0.055"},
            {"item": "AL-OC", "operation": 10, "quantity": "1.2", "credit_price": "1.10"},
        ],
    )  # fmt: skip
    shop.do("approve-structure", item="TB-150")
    structure(shop, "FN-50", [{"number": 10, "name": "Seat lenses and focus", "work_center": "ASSY", "run_labour_hours": "0.35", "labour_grade": "FIT"}],
              [{"item": "TB-50", "quantity": "1"}, {"item": "LS-50", "quantity": "1"}])  # fmt: skip
    structure(shop, "MC-150", [{"number": 10, "name": "Mill cell", "work_center": "MILL", "setup_labour_hours": "1", "setup_machine_hours": "1", "run_labour_hours": "0.15", "run_machine_hours": "0.3", "yield_share": "0.96"}],
              [{"item": "AP-20", "quantity": "1.55"}], [{"item": "SW-AL", "operation": 10, "quantity": "0.7", "credit_price": "1.20"}])  # fmt: skip
    structure(
        shop,
        "OT-150",
        [
            {"number": 10, "name": "Fit cell, mirror and spider", "work_center": "ASSY", "run_labour_hours": "0.9", "labour_grade": "FIT"},
            {"number": 20, "name": "Collimate and test", "work_center": "TEST", "run_labour_hours": "0.35", "run_machine_hours": "0.35"},
        ],
        [
            {"item": "TB-150", "operation": 10, "quantity": "1"},
            {"item": "MC-150", "operation": 10, "quantity": "1"},
            {"item": "MM-150", "operation": 10, "quantity": "1"},
            {"item": "SP-200", "operation": 10, "quantity": "1"},
            {"item": "FO-80", "operation": 10, "quantity": "1"},
        ],
    )  # fmt: skip
    structure(
        shop,
        "RB-150",
        [
            {"number": 10, "name": "Cut panels", "work_center": "SHEET", "setup_labour_hours": "0.75",
             "setup_machine_hours": "0.75", "run_labour_hours": "0.3", "run_machine_hours": "0.3", "yield_share": "0.96"},
            {"number": 20, "name": "Prepare bearings", "work_center": "ASSY", "run_labour_hours": "0.15", "after": []},
            {"number": 30, "name": "Varnish, screw together", "work_center": "ASSY", "run_labour_hours": "0.45",
             "after": [10, 20], "wait_hours": "8"},
        ],
        [
            {"item": "PL-18", "operation": 10, "quantity": "1.05", "allowance": "0.05"},
            {"item": "EB-02", "operation": 10, "quantity": "3400", "unit": "mm"},
            {"item": "BR-12", "operation": 20, "quantity": "2", "alternates": [{"item": "BR-14"}]},
            {"item": "PT-01", "operation": 30, "quantity": "0.15"},
            {"item": "SC-05", "operation": 30, "quantity": "20", "issue_rule": "at operation"},
        ],
    )  # fmt: skip


def _kits_and_controller(shop: Shop) -> None:
    """Two kits that are never stocked, and the controller with its calibration."""
    shop.do(
        "draft-structure",
        item="HK-10",
        operations=[],
        components=[
            {"item": "SC-05", "quantity": "6", "issue_rule": "at operation"},
            {"item": "SC-08", "quantity": "4", "issue_rule": "at operation"},
            {"item": "WS-4", "quantity": "10", "issue_rule": "at operation"},
        ],
    )
    for kit in ("HK-10", "PK-20"):
        shop.do("change-phantom", item=kit, is_phantom=True)
    shop.do("approve-structure", item="HK-10")
    structure(shop, "PK-20", [{"number": 10, "name": "Fold carton and inserts", "work_center": "PACK", "run_labour_hours": "0.1"}],
              [{"item": "CT-20", "quantity": "1"}, {"item": "FM-20", "quantity": "2"}, {"item": "MN-1", "quantity": "1"}])  # fmt: skip
    structure(
        shop,
        "FO-80",
        [
            {"number": 10, "name": "Turn drawtube", "work_center": "LATHE", "setup_labour_hours": "0.5",
             "setup_machine_hours": "0.5", "run_labour_hours": "0.25", "run_machine_hours": "0.25"},
            {"number": 20, "name": "Assemble focuser", "work_center": "ASSY", "run_labour_hours": "0.3", "labour_grade": "FIT"},
        ],
        [{"item": "SB-06", "operation": 10, "quantity": "0.2"}, {"item": "HK-10", "operation": 20, "quantity": "1"}],
    )  # fmt: skip
    controller(shop, "0.42")
    structure(shop, "RM-200", [{"number": 10, "name": "Fit drives and controller", "work_center": "ASSY", "run_labour_hours": "1.1", "labour_grade": "FIT"}],
              [{"item": "RB-200", "quantity": "1"}, {"item": "MT-5", "quantity": "2"}, {"item": "HC-1", "quantity": "1"}])  # fmt: skip
    structure(
        shop,
        "HT-150",
        [
            {"number": 10, "name": "Mount tube on rocker", "work_center": "ASSY", "run_labour_hours": "0.5"},
            {"number": 20, "name": "Final test", "work_center": "TEST", "run_labour_hours": "0.4", "run_machine_hours": "0.4"},
            {"number": 30, "name": "Pack", "work_center": "PACK", "run_labour_hours": "0.2"},
        ],
        [
            {"item": "OT-150", "operation": 10, "quantity": "1"},
            {"item": "RB-150", "operation": 10, "quantity": "1"},
            {"item": "FN-50", "operation": 10, "quantity": "1"},
            {"item": "PK-20", "operation": 30, "quantity": "1"},
        ],
    )  # fmt: skip


def controller(shop: Shop, fitting: str) -> None:
    """Draft and approve the hand controller, whose board is fitted in so many hours."""
    structure(
        shop,
        "HC-1",
        [
            {"number": 10, "name": "Fit board and display", "work_center": "ELEC", "run_labour_hours": fitting, "labour_grade": "ELE"},
            {"number": 20, "name": "Load firmware", "work_center": "ELEC", "run_machine_hours": "0.2", "run_labour_hours": "0.05",
             "run_quantity": "4", "runs_whole_batches": True, "labour_grade": "ELE"},
            {"number": 30, "name": "Calibrate", "work_center": "TEST", "run_labour_hours": "0.25", "yield_share": "0.98",
             "steps": [{"kind": "lot", "text": "Lot of the board", "item": "BD-7"},
                       {"kind": "measurement", "text": "Tracking rate", "unit": "″/s", "lower": "15.03", "upper": "15.05"},
                       {"kind": "tick", "text": "All keys answer"}]},
        ],
        [
            {"item": "BD-7", "operation": 10, "quantity": "1", "reference": "X1"},
            {"item": "DP-2", "operation": 10, "quantity": "1"},
            {"item": "EN-4", "operation": 10, "quantity": "1"},
            {"item": "CB-18", "operation": 10, "quantity": "1800", "unit": "mm"},
        ],
    )  # fmt: skip


def prices_and_papers(shop: Shop) -> None:
    """What suppliers ask, how the mill's hour is made up, and what is to be seen of the parts."""
    for item, rows in {
        "BL-200": [("KETTER", "62.00", "0"), ("KETTER", "58.50", "48")],
        "AL-10": [("MARROW", "4.90", "0"), ("MARROW", "4.55", "500")],
        "AL-SH": [("MARROW", "4.90", "0")],
        "BD-7": [("PELDUN", "34.00", "0"), ("PELDUN", "31.20", "100")],
        "DP-2": [("PELDUN", "9.80", "0")],
    }.items():
        prices = [{"supplier": s, "price": p, "from_quantity": q} for s, p, q in rows]
        shop.do("set-prices", item=item, prices=prices)
    for item, asked in LIST_PRICES.items():
        ours = [{"customer": c, "price": p, "from_quantity": q} for c, p, q in asked]
        shop.do("set-list-prices", item=item, prices=ours)
    shop.do(
        "set-rates",
        work_center="MILL",
        labour_rate="24.00",
        layers=[
            {"name": "depreciation", "element": "machine", "amount": "18.00"},
            {"name": "maintenance", "element": "machine", "percent": "0.25", "of": "depreciation"},
            {"name": "energy", "element": "variable overhead", "amount": "6.50"},
            {"name": "supervision", "element": "fixed overhead", "amount": "11.00"},
        ],
    )
    for item, file in (
        ("MA-200", drawing("MA-200.pdf", "MA-200", "Mirror cell", 236)),
        ("MA-200", picture("cell.png", "Mirror cell 200, seen from behind", 3, 4)),
        ("SP-200", picture("spider.png", "Spider with its hub, vanes square", 1, 4)),
        ("PM-200", picture("lap.png", "Pitch lap with channels", 5, 2)),
        ("PM-200", drawing("PM-200.pdf", "PM-200", "Primary mirror", 200)),
    ):
        attach(shop, item, file)


def attach(shop: Shop, item: str, file: SimpleUploadedFile) -> None:
    """Bring a file and attach it, as a person does."""
    kept = keep_file(file, shop.person)
    shop.do("attach-document", item=item, file=kept.pk)
