"""The wide table of orders: chosen by column, sorted, summed, exported, and saved as views."""

import io
from decimal import Decimal
from typing import Any

from openpyxl import load_workbook
from poietic.commanding.roles import Role

from .client import Caller, make_person
from .test_release import DUE, ReleaseTest


class OrderTable(ReleaseTest):
    """Three orders of cells, one of them running, and one of sets."""

    def setUp(self) -> None:
        self.buy("AP-20", "100")
        self.small, self.large = self.plan("2", note="for the club"), self.plan("20")
        self.runs = self.plan("5")
        self.sets = self.plan("8", item="CS-01")
        self.must("release-order", order=self.runs)
        line = {"operation": 10, "item": "AP-20", "quantity": "12.632"}
        self.must("issue-material", order=self.runs, lines=[line])

    def shown(self, where: str = "", sort: str = "order") -> list[int]:
        return [r["order"] for r in self.caller.get("orders/table", where=where, sort=sort)["rows"]]

    def test_each_column_is_chosen_by_what_is_typed_in_its_head(self) -> None:
        for where, expected in (
            ("", [self.small, self.large, self.runs, self.sets]),
            ("item:MA*", [self.small, self.large, self.runs]),
            ("item:a-2", [self.small, self.large, self.runs]),
            ("name:collimation", [self.sets]),
            ("quantity:>5", [self.large, self.sets]),
            ("quantity:>=5;quantity:<20", [self.runs, self.sets]),
            ("quantity:2..5", [self.small, self.runs]),
            ("state:st", [self.runs]),
            ("state:planned released", [self.small, self.large, self.sets]),
            (f"due:{DUE}", [self.small, self.large, self.runs, self.sets]),
            (f"due:<{DUE}", []),
            ("note:CLUB", [self.small]),
            (f"order:{self.large}", [self.large]),
            ("wip:>0", [self.runs]),
        ):
            with self.subTest(where):
                self.assertEqual(self.shown(where), expected)

    def row(self, order: int) -> dict[str, Any]:
        rows: list[dict[str, Any]] = self.caller.get("orders/table", where=f"order:{order}")["rows"]
        return next(r for r in rows if r["order"] == order)

    def test_what_runs_tells_its_elements_and_causes_and_keeps_them_when_it_ends(self) -> None:
        self.must("report", order=self.runs, operation=10, good="5", run_labour_hours="2")
        row, causes = self.row(self.runs), self.caller.causes(self.runs)
        elements = ("material", "labour", "machine", "overhead", "subcontract", "credit")
        self.assertGreater(Decimal(row["of_labour"]), 0)
        self.assertEqual(sum(Decimal(row[f"of_{e}"]) for e in elements), Decimal(row["charged"]))
        for cause in ("price", "efficiency", "usage"):
            self.assertEqual(Decimal(row[f"by_{cause}"]), causes.get(cause, 0), cause)
        labour = row["of_labour"]
        self.assertIn(self.runs, self.shown(f"of_labour:>={labour}"))
        self.assertEqual(self.shown(sort="-of_labour")[0], self.runs)
        self.must("report", order=self.runs, operation=20, good="5", receive="5", complete=True)
        self.must("close-order", order=self.runs)
        ended = self.row(self.runs)
        self.assertGreaterEqual(Decimal(ended["of_labour"]), Decimal(labour))
        self.assertEqual(sum(Decimal(ended[f"of_{e}"]) for e in elements), Decimal(ended["charged"]))  # fmt: skip

    def test_it_is_sorted_either_way_what_is_unknown_last(self) -> None:
        self.assertEqual(
            self.shown(sort="quantity"), [self.small, self.runs, self.sets, self.large]
        )
        self.assertEqual(
            self.shown(sort="-quantity"), [self.large, self.sets, self.runs, self.small]
        )

    def test_sums_are_of_all_that_match_and_of_those_marked(self) -> None:
        page = self.caller.get("orders/table", limit="1")
        self.assertEqual((len(page["rows"]), page["sums"]["orders"], page["whole"]), (1, 4, 4))
        wip = Decimal(page["sums"]["wip"])
        self.assertEqual(wip, Decimal(self.caller.get(f"orders/{self.runs}")["charged"]))
        marked = self.caller.get("orders/table/sums", orders=f"{self.small},{self.runs}")
        self.assertEqual((marked["orders"], Decimal(marked["wip"])), (2, wip))
        allowed, charged, variance = (
            Decimal(marked[k]) for k in ("allowed", "charged", "variance")
        )
        self.assertEqual(allowed + variance, charged)

    def test_what_is_shown_is_exported(self) -> None:
        query = {"where": "item:MA*", "sort": "-quantity", "columns": "order,quantity,wip"}
        answer = self.caller.client.get("/api/orders/table.csv", query)
        lines = answer.content.decode().splitlines()
        self.assertEqual(lines[0], "order,quantity,wip")
        self.assertEqual([line.split(",")[1] for line in lines[1:]], ["20", "5", "2"])
        book = load_workbook(
            io.BytesIO(self.caller.client.get("/api/orders/table.xlsx", query).content)
        )
        rows = list(book["orders"].iter_rows(values_only=True))
        self.assertEqual([",".join(str(v) for v in r) for r in rows], lines)

    def test_who_sees_no_costs_neither_chooses_nor_exports_by_them(self) -> None:
        other = Caller(make_person("otto", Role.OPERATOR))
        self.assertEqual(other.get("orders/table")["sums"]["wip"], "")
        self.assertEqual(other.get("orders/table", where="wip:>0")["code"], "input.invalid")
        exported = other.client.get("/api/orders/table.csv", {"columns": "order,wip"})
        self.assertEqual(exported.content.decode().splitlines()[0], "order")

    def test_what_cannot_be_read_is_named(self) -> None:
        for query in (
            {"where": "colour:red"}, {"where": "item:"}, {"where": "quantity:>many"}, {"where": "due:soon"},
            {"where": "late:1e99"}, {"sort": "colour"}, {"where": "quantity:NaN"},
        ):  # fmt: skip
            answer: Any = self.caller.get("orders/table", **query)
            self.assertEqual(answer.get("code"), "input.invalid", query)

    def test_views_have_names_and_are_replaced_and_dropped(self) -> None:
        for query in ("where=late:>0", "where=late:>3"):
            self.must("save-view", page="orders", name="Late ones", query=query)
        views = self.caller.get("views/orders")
        self.assertEqual([(v["name"], v["query"]) for v in views], [("Late ones", "where=late:>3")])
        self.must("drop-view", page="orders", name="Late ones")
        self.refused("input.not_found", "drop-view", page="orders", name="Late ones")
        self.assertEqual(self.caller.get("views/orders"), [])
