"""Material on its way: floor places, carriers, an order released by the crate, a walk begun, a tree of orders, stale ones."""

from datetime import timedelta

from stdnum import ean

from .works import Works

#: of the range that is free for use within a works (GS1 General Specifications, section 2.1.11)
OWN_NUMBERS = (("HT-150", "200000015000"), ("HT-200", "200000020000"), ("BL-200", "200000002000"))


def play(works: Works) -> None:
    """Play the scene: orders that everybody forgot, and the last evening before today."""
    _stale_orders(works)
    works.at(-1, hour=18)
    _places(works)
    _crate(works)
    _tree(works)
    works.plan("CS-01", "16", due=6, note="for the mirror cells of 336/1")


def _stale_orders(works: Works) -> None:
    """Four orders from weeks ago that hold material and serve nothing any more."""
    works.at(-29)
    lines = [("HB-02", "14", "7.60"), ("SV-04", "60", "3.10"), ("PL-18", "8.86", "32.50"), ("BR-12", "12", "5.40")]  # fmt: skip
    works.do("piet", "receive-material", lines=[{"item": i, "quantity": q, "price": p, "place": "STORE"} for i, q, p in lines])  # fmt: skip
    fair = works.released("SP-200", "6", due=-24, note="samples for the autumn fair")
    works.issue(fair, (20, "HB-02", "6"))
    works.released("SP-200", "8", due=-23, note="repeat of the fair, if it goes well")
    stain = works.released("RB-200", "3", due=-22, note="dark stain, on trial")
    works.issue(stain, (10, "PL-18", "4.3"))
    works.released("RB-200", "3", due=-21, note="dark stain, second trial")


def _places(works: Works) -> None:
    works.do("piet", "define-place", code="SHELF-B", name="Shelf B", kind="store", site="MAIN", walk_order=5)  # fmt: skip
    works.do("piet", "define-place", code="MILL-IN", name="Beside the mill", kind="floor", site="MAIN", walk_order=40)  # fmt: skip
    for center, floor in (("MILL", "MILL-IN"), ("LATHE", "MILL-IN"), ("ASSY", "LINE"), ("TEST", "LINE"), ("SHEET", "LINE")):  # fmt: skip
        works.do("ines", "change-work-center", code=center, floor_place=floor)
    for code, name in (("BOX-1", "Grey box 1"), ("BOX-2", "Grey box 2"), ("TROLLEY-1", "Trolley")):
        works.do("piet", "define-carrier", code=code, name=name, stands_at="STORE")
    for code, number in OWN_NUMBERS:
        works.do("ines", "change-item", code=code, gtin=number + ean.calc_check_digit(number))
    works.do("ines", "change-item", code="MA-200", own_units=[{"name": "crate", "quantity": "4"}])
    labels = [{"kind": "carrier", "code": "BOX-1"}, {"kind": "place", "code": "SHELF-B"}, {"kind": "lot", "code": "OC-B02", "of": "OC-1"}, {"kind": "lot", "code": "BL-BUBBLES", "of": "BL-200"}]  # fmt: skip
    works.do("piet", "print-labels", labels=labels)


def _crate(works: Works) -> None:
    """Mirror cells whose material is released by the crate; the first crate is being picked."""
    lines = [("AP-20", "12", "7.10", "SHELF-B"), ("AP-20", "32", "7.10", "STORE"), ("PAD-3", "200", "0.42", "SHELF-B"), ("SB-06", "2", "25.20", "STORE")]  # fmt: skip
    works.do("piet", "receive-material", lines=[{"item": i, "quantity": q, "price": p, "place": at} for i, q, p, at in lines])  # fmt: skip
    order = works.plan("MA-200", "16", due=9, note="customer order 336/1")
    works.do("jonas", "release-part", order=order, quantity="1", unit="crate", to_operation=10)
    works.do("jonas", "release-part", order=order, quantity="2", unit="crate")
    works.do("piet", "make-pick-list", orders=[{"order": order}])


def _tree(works: Works) -> None:
    """Two telescopes with all that is made for them."""
    due = str(works.today + timedelta(days=45))
    works.do(
        "jonas", "plan-tree", item="HT-150", quantity="4", due=due, customer="NORDSKY",
        customer_order="NS-208", customer_line="1", supply_place="STORE", receipt_place="STORE",
    )  # fmt: skip
