"""Drawings and pictures of orders: attached, shown, replaced, detached, and not tidied away."""

from datetime import timedelta
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.utils import timezone
from poietic.catalog.models import KeptFile
from poietic.exchange.tidying import FILES_DAYS, tidy

from .test_picking import PickingTest
from .year import DOT


class Documents(PickingTest):
    """An order of cells, and a picture that somebody took."""

    def setUp(self) -> None:
        self.number = self.order("3")

    def brought(self, name: str = "crack.png") -> int:
        answer = self.caller.client.post("/api/files", {"file": SimpleUploadedFile(name, DOT, "image/png")})  # fmt: skip
        return int(answer.json()["file"])

    def attach(self, **more: Any) -> Any:
        return self.must("attach-order-document", order=self.number, **more)

    def listed(self) -> list[tuple[int | None, str]]:
        rows = self.caller.get(f"orders/{self.number}/documents")
        return [(d["operation"], d["name"]) for d in rows]

    def test_it_is_shown_with_the_order_or_an_operation_and_the_same_name_replaces(self) -> None:
        self.attach(file=self.brought(), operation=20)
        self.attach(file=self.brought("offer.png"))
        self.attach(file=self.brought(), operation=10)
        self.assertEqual(self.listed(), [(None, "offer.png"), (10, "crack.png")])
        shown = self.caller.client.get(f"/api/orders/{self.number}/documents/crack.png")
        self.assertEqual((shown.content, shown["Content-Type"]), (DOT, "image/png"))
        self.assertEqual(shown["Content-Security-Policy"], "sandbox")
        self.must("detach-order-document", order=self.number, name="offer.png")
        self.assertEqual(self.listed(), [(10, "crack.png")])

    def test_the_queue_and_the_work_list_say_that_there_is_something(self) -> None:
        self.attach(file=self.brought(), operation=10)
        for words in ("first of two", "look at the edge"):
            self.must("write-note", kind="order", code=str(self.number), text=words)
        row = next(r for r in self.caller.get("orders")["rows"] if r["number"] == self.number)
        self.assertEqual((row["notes"], row["files"]), (2, 1))
        order = int(self.must("copy-order", order=self.number, due="2027-03-01")["made"]["order"])
        self.must("release-order", order=order)
        self.must("write-note", kind="order", code=str(order), text="by hand")
        listed = self.caller.get("work-centers/MILL/list")["rows"]
        self.assertEqual([(r["notes"], r["files"]) for r in listed if r["order"] == order], [(1, 0)])  # fmt: skip

    def test_what_is_not_there_is_named(self) -> None:
        file = self.brought()
        for name, given in (
            ("attach-order-document", {"order": self.number, "file": 2**40}),
            ("attach-order-document", {"order": self.number, "file": file, "operation": 15}),
            ("attach-order-document", {"order": 999_999, "file": file}),
            ("detach-order-document", {"order": self.number, "name": "none.png"}),
        ):
            self.refused("input.not_found", name, **given)
        self.assertEqual(self.caller.get(f"orders/{self.number}/documents/none.png")["code"], "input.not_found")  # fmt: skip
        self.assertEqual(self.caller.get("orders/999999/documents")["code"], "input.not_found")

    def test_only_what_belongs_to_nothing_is_tidied_away(self) -> None:
        kept, loose = self.brought(), self.brought("loose.png")
        self.attach(file=kept)
        KeptFile.objects.update(brought_at=timezone.now() - timedelta(days=FILES_DAYS + 1))
        tidy(timezone.now())
        self.assertEqual(set(KeptFile.objects.filter(pk__in=(kept, loose)).values_list("pk", flat=True)), {kept})  # fmt: skip
