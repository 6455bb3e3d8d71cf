"""Two sites, lots that are held back and that expire, what is on the way, and orders at every stage of readiness."""

from datetime import timedelta

from .works import Works


def play(works: Works) -> None:
    """Play the scene: the last day before today."""
    works.at(-1, hour=10)
    day = works.today
    works.do("jonas", "define-site", code="HILL", name="Assembly shop")
    for code, name, kind, walk in (("HILL-1", "Shop store", "store", 10), ("HILL-L", "Shop benches", "floor", 20)):  # fmt: skip
        works.do("jonas", "define-place", code=code, name=name, kind=kind, site="HILL", walk_order=walk)  # fmt: skip
    works.do("jonas", "change-place", code="STORE", walk_order=10)
    works.do("jonas", "change-place", code="LINE", walk_order=30)
    cement = {"lot": "OC-A17", "quantity": "1.2", "supplier_code": "A17", "expires_on": str(day + timedelta(days=9))}  # fmt: skip
    fresh = {"lot": "OC-B02", "quantity": "2", "supplier_code": "B02", "expires_on": str(day + timedelta(days=160))}  # fmt: skip
    blanks = {"lot": "BL-BUBBLES", "quantity": "6", "supplier_code": "K-3391"}
    lines = [
        {"item": "OC-1", "quantity": "3.2", "price": "145.00", "lots": [cement, fresh]},
        {"item": "BL-200", "quantity": "6", "price": "61.00", "lots": [blanks]},
    ]
    works.do("piet", "receive-material", lines=[line | {"place": "STORE"} for line in lines])
    works.do("piet", "judge-lot", item="BL-200", lot="BL-BUBBLES", state="quarantined", reason="bubbles near the rim, the supplier is asked")  # fmt: skip
    works.do("piet", "move-stock", from_place="STORE", to_place="LINE", lines=[{"item": "SC-05", "quantity": "400"}])  # fmt: skip
    sent = [{"item": "SC-05", "quantity": "300"}, {"item": "RB-200", "quantity": "3"}, {"item": "SP-200", "quantity": "6"}]  # fmt: skip
    works.do("piet", "send-transfer", from_place="STORE", to_place="HILL-1", expected_on=str(day + timedelta(days=1)), lines=sent, reason="for the first telescopes put together there")  # fmt: skip
    works.do("piet", "open-count", place="LINE")
    works.at(-1, hour=17)
    works.do("jonas", "define-partner", code="NORDSKY", name="Nordsky observatory club", is_supplier=False, is_customer=True)  # fmt: skip
    works.plan("SP-200", "10", due=14, note="for Heron 200")
    works.plan("MA-200", "8", due=16, note="customer order 334/1")
    works.plan("MA-200", "5", due=20, note="customer order 334/2")
