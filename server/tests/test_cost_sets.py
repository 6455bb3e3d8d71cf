"""The cost accountant's sets: next, in force, back again, and what-ifs over them."""

import csv
import io
from datetime import timedelta
from decimal import Decimal
from typing import Any
from unittest import mock

from django.db import transaction
from django.db.models import F
from django.test import TestCase
from django.utils import timezone
from openpyxl import load_workbook
from poietic.catalog.models import Item, PriceRow
from poietic.commanding.errors import AgainstRule
from poietic.commanding.jobs import JobStopped
from poietic.commanding.registry import COMMANDS
from poietic.commanding.run import post
from poietic.costing import storing
from poietic.costing.commands.standards import RollUpNext
from poietic.costing.frozen import costed
from poietic.costing.models import CostSet, Standard
from poietic.costing.queries import standards_in_force
from poietic.engineering import structures
from poietic.engineering.models import ComponentRow, OverheadBudget, Revision
from poietic.engineering.plain_lines import revisions_with_more
from poietic.engineering.queries import in_force
from poietic.ledger.models import Holding, JournalLine
from poietic.ledger.verify import differences
from poietic.people.models import Person
from poietic_core.cost.unit import standard_cost

from . import demo_rows
from .client import Caller, make_person


class CostSets(TestCase):
    """On the demo's works."""

    @classmethod
    def setUpTestData(cls) -> None:
        demo_rows.load()

    def setUp(self) -> None:
        self.sunil = Caller(Person.objects.get(name="sunil"))

    def number(self, state: str) -> int:
        """Return the number of the set in a state."""
        return CostSet.objects.get(state=state).pk

    def test_the_next_set_is_compared_put_in_force_and_taken_out_again(self) -> None:
        self.sunil.must("change-item", {"code": "AP-20", "price": "7.15"})
        self.sunil.must("roll-up-next", {"note": "autumn"})
        old, new = self.number("current"), self.number("next")
        seen = self.sunil.get(f"cost-sets/{new}/against/{old}")
        rows = {r["item"]: r for r in seen["rows"]}
        # 0.65 more a kilogram, 2.40 kg at a yield of 0.95; by hand
        self.assertEqual(rows["MA-200"]["difference"], "1.642105")
        self.assertEqual(rows["MA-200"]["causes"], [{"cause": "price", "amount": "1.642105"}])
        self.assertEqual(seen["rows"][0]["item"], "HT-200")
        opened = self.sunil.get(f"cost-sets/{new}/against/{old}/items/HT-200")
        drilled = opened["parts"]
        moved = {e["element"] for e in opened["elements"] if e["old"] != e["new"]}
        self.assertEqual(moved, {"material"})
        self.assertEqual((drilled[0]["code"], drilled[0]["kind"]), ("AP-20", "component"))

        held = Holding.objects.get(item__code="MA-200")
        before = held.value
        answer = self.sunil.must("activate-set", {"cost_set": new})
        fields = {(f["thing"], f["field"]): f["after"] for f in answer["consequences"]["fields"]}
        held.refresh_from_db()
        self.assertEqual(fields["stock of MA-200", "value"], str(held.value))
        self.assertEqual(held.value, round(held.quantity * standards_in_force()["MA-200"].total, 2))
        lines = JournalLine.objects.filter(posting__kind="standard changed")
        self.assertEqual(sum(line.amount for line in lines), 0)
        self.assertEqual(differences(), [])

        self.sunil.must("activate-set", {"cost_set": old})
        held.refresh_from_db()
        self.assertEqual((held.value, self.number("current")), (before, old))
        self.assertEqual(differences(), [])

    def test_a_what_if_moves_what_it_says_and_nothing_in_force(self) -> None:
        changes: list[dict[str, Any]] = [
            {"kind": "price", "code": "A*", "by": "0.12"},
            {"kind": "labour rate", "code": "ASSY", "to": "41.50"},
            {"kind": "standard lot", "code": "MA-200", "to": "10"},
        ]
        before = {c: s.total for c, s in standards_in_force().items()}
        self.sunil.must("write-what-if", {"name": "dear aluminium", "changes": changes})
        if_so = CostSet.objects.get(name="dear aluminium").pk
        rows = self.sunil.get(f"cost-sets/{if_so}/against/{self.number('current')}")["rows"]
        cell = next(r for r in rows if r["item"] == "MA-200")
        causes = {c["cause"]: Decimal(c["amount"]) for c in cell["causes"]}
        # 12 % of 6.50 × 2.40 / 0.95; 9.50 × 0.2 h; a setup of 64 over 10 instead of 20
        aluminium = Decimal("0.78") * Decimal("2.4") / Decimal("0.95")
        by_hand = {"price": aluminium, "rate": Decimal("1.9"), "lot size": Decimal("3.2")}
        self.assertEqual(causes.keys(), by_hand.keys())
        for cause, amount in by_hand.items():
            self.assertAlmostEqual(causes[cause], amount, places=5)
        self.assertEqual({c: s.total for c, s in standards_in_force().items()}, before)
        now = self.number("current")
        parts = self.sunil.get(f"cost-sets/{if_so}/against/{now}/items/MA-200")["parts"]
        moved = {(p["kind"], p["code"]) for p in parts if p["amount"] != p["old_amount"]}
        self.assertEqual(
            moved,
            {("component", "AP-20"), ("run labour", "ASSY"), ("setup labour", "MILL"), ("setup machine", "MILL")},
        )  # fmt: skip
        self.assertAlmostEqual(
            sum(Decimal(p["amount"]) for p in parts), Decimal(cell["new"]), places=4
        )
        sets = self.sunil.get("items/MA-200/cost")["sets"]
        self.assertEqual([s["state"] for s in sets], ["current", "what-if"])

        for changes, code in (
            ([{"kind": "price", "code": "NONE", "by": "0.1"}], "cost.change_of_nothing"),
            ([{"kind": "price", "code": "AP-20"}], "input.invalid"),
            ([{"kind": "price", "code": "AP-20", "by": "-2"}], "input.invalid"),
            ([{"kind": "standard lot", "code": "MA-200", "to": "0"}], "input.out_of_range"),
            ([{"kind": "standard lot", "code": "*", "by": "-1"}], "input.out_of_range"),
        ):
            problem = self.sunil.do("write-what-if", {"name": "bad", "changes": changes})
            self.assertEqual(problem["code"], code)
        self.sunil.must("drop-what-if", {"name": "dear aluminium"})

    def test_an_item_that_keeps_its_standard_is_shown_at_it(self) -> None:
        was = standards_in_force()["MA-200"].total
        old = self.number("current")
        self.sunil.must("change-item", {"code": "PAD-3", "price": "0.52"})
        self.sunil.must("freeze-standard", {"items": ["PAD-3"]})
        cost = self.sunil.get("items/MA-200/cost")
        self.assertEqual(Decimal(cost["sets"][0]["total"]), was)
        moved = self.sunil.get(f"cost-sets/{self.number('current')}/against/{old}")
        self.assertEqual([r["item"] for r in moved["rows"]], ["PAD-3"])
        self.assertEqual(moved["rows"][0]["causes"], [{"cause": "price", "amount": "0.100000"}])

    def test_an_item_s_cost_is_taken_apart_and_its_history_tells_why_it_moved(self) -> None:
        self.sunil.must("change-item", {"code": "SC-05", "price": "0.09"})
        self.sunil.must("freeze-standard", {"note": "screws"})
        cost = self.sunil.get("items/RB-200/cost")
        parts = sum((Decimal(p["amount"]) for p in cost["parts"]), Decimal(0))
        self.assertAlmostEqual(parts, Decimal(cost["sets"][0]["total"]), places=4)
        layers = sum((Decimal(layer["this_level"]) + Decimal(layer["lower_levels"]) for layer in cost["sets"][0]["layers"]), Decimal(0))  # fmt: skip
        self.assertEqual(layers, Decimal(cost["sets"][0]["total"]))
        # the mirror is taken apart into its blank, its hours and its coating
        tube = {p["code"] for p in self.sunil.get("items/OT-200/cost")["parts"]}
        self.assertTrue({"BL-200", "TESSAL", "OPT-ROOM"} <= tube and "PM-200-A" not in tube, tube)
        first, second = cost["history"]
        self.assertEqual(first["causes"], [])
        moved = Decimal(second["total"]) - Decimal(first["total"])
        self.assertEqual(second["causes"], [{"cause": "price", "amount": f"{moved:f}"}])

    def test_list_prices_leave_a_margin_over_the_standards_of_any_set(self) -> None:
        prices = [
            {"price": "66.75460500"},  # 1.25 times the standard: a fifth of the price is left
            {"price": "50", "from_quantity": "100", "customer": "ORMSBY"},
            {"price": "70", "effective_from": "2020-01-01", "effective_until": "2020-12-31", "from_quantity": "5"},
        ]  # fmt: skip
        self.sunil.must("set-list-prices", {"item": "MA-200", "prices": prices})
        rows = self.sunil.get("margins")["rows"]
        self.assertEqual((rows[0]["item"], rows[0]["customer"]), ("MA-200", "ORMSBY"))
        self.assertEqual((rows[0]["margin"], rows[0]["share"]), ("-3.403684", "-0.068074"))
        mine = [r for r in rows if r["item"] == "MA-200"]
        self.assertEqual([r["share"] for r in mine], ["-0.068074", "0.2"])

        changes = [{"kind": "price", "code": "AP-20", "by": "0.1"}]
        self.sunil.must("write-what-if", {"name": "dear aluminium", "changes": changes})
        answer = self.sunil.get(f"margins?cost_set={CostSet.objects.get(name='dear aluminium').pk}")
        self.assertTrue(answer["is_screened"])
        # 0.65 × 2.40 / 0.95 dearer
        self.assertEqual((answer["rows"][0]["standard"], answer["rows"][0]["margin"]), ("55.045789", "-5.045789"))  # fmt: skip

        for bad, named in (
            ([{"price": "1", "customer": "MARROW"}], "MARROW"),
            ([{"price": "1"}, {"price": "2"}], "line 2: line 1 is for the same quantity"),
            ([{"price": "1", "effective_from": "2026-02-01", "effective_until": "2026-01-01"}], "line 1"),
            ([{"price": "-1"}], "price"),
        ):  # fmt: skip
            problem = self.sunil.do("set-list-prices", {"item": "MA-200", "prices": bad})
            self.assertIn(named, f"{problem['title']} {problem['detail']}")
        self.assertEqual(len(self.sunil.get("items/MA-200/list-prices")), 3)

    def test_every_standard_is_the_sum_of_its_basis(self) -> None:
        # what MA-200 is made of becomes dearer, but it has no structure any more and keeps its standard
        self.sunil.must("change-item", {"code": "AP-20", "price": "7.15"})
        Revision.objects.filter(item__code="MA-200").update(
            state="retired", effective_to="2020-01-01"
        )
        self.sunil.must("roll-up-next", {})
        made = [s for s in Standard.objects.select_related("item") if s.basis]
        self.assertEqual({s.cost_set_id == s.rolled_in_id for s in made}, {True, False})
        for standard in made:
            basis = costed(standard)
            self.assertEqual(standard_cost(basis).value, standard.total, standard.item.code)

    def test_what_is_made_beside_an_item_is_frozen_with_it(self) -> None:
        glass = ComponentRow.objects.filter(revision__item__code="PM-200", item__source="buy")[
            0
        ].item
        was = standards_in_force()["PM-200-A"].total
        PriceRow.objects.filter(item=glass).update(price=F("price") * 2)
        Item.objects.filter(pk=glass.pk).update(price=F("price") * 2)
        self.sunil.must("freeze-standard", {"items": [glass.code, "PM-200"]})
        now = standards_in_force()
        factor = costed(now["PM-200"]).grades["PM-200-A"]
        self.assertGreater(now["PM-200-A"].total, was)
        self.assertEqual(now["PM-200-A"].total, round(now["PM-200"].total * factor, 6))

    def test_what_goes_wrong_while_standards_are_written_leaves_the_sets_as_they_were(self) -> None:
        self.sunil.must("roll-up-next", {})
        before = list(CostSet.objects.order_by("pk").values_list("pk", "state"))
        written = Standard.objects.count()
        rows = storing._rows
        with (
            mock.patch.object(storing, "_rows", lambda *piece: [*rows(*piece)] * 2),
            self.assertRaisesMessage(AgainstRule, "one_standard_per_set_and_item"),
            transaction.atomic(),
        ):
            post(
                COMMANDS["roll-up-next"],
                RollUpNext(),
                key="twice",
                person=Person.objects.get(name="sunil"),
                now=timezone.now(),
            )
        self.assertEqual(list(CostSet.objects.order_by("pk").values_list("pk", "state")), before)
        self.assertEqual(Standard.objects.count(), written)

    def test_lines_read_column_by_column_are_those_read_one_by_one(self) -> None:
        item_of = dict(Revision.objects.values_list("pk", "item__code"))
        one_by_one = structures.components_of(item_of, None)
        plain = item_of.keys() - revisions_with_more()
        self.assertGreater(len(plain), 3)
        with mock.patch.object(structures, "MANY", 0):
            self.assertEqual(structures.components_of(item_of, None), one_by_one)

    def test_what_was_approved_is_read_once_but_for_lines_that_their_item_converts(self) -> None:
        day = timezone.localdate()
        first = structures.structures_on(in_force(day), day)
        with mock.patch.object(structures, "_read", wraps=structures._read) as read:
            self.sunil.must("change-item", {"code": "AL-10", "density": "2810"})
            second = structures.structures_on(in_force(day), day)
        converted = {
            s.item
            for s in first.values()
            if any(c.item == "AL-10" and (c.unit or c.measure) for c in s.components)
        }
        self.assertEqual({head.item for head in read.call_args.args[0]}, converted)
        self.assertLess(len(converted), len(first))
        lines = [c for s in second.values() for c in s.components if c.item == "AL-10"]
        self.assertTrue(lines)
        self.assertTrue(all(c.measure and c.measure.density == 2810 for c in lines))

    def test_what_can_t_be_rolled_up_keeps_its_standard_and_is_told(self) -> None:
        before = standards_in_force()["MA-200"].total
        Item.objects.filter(code="AP-20").update(price_per="kg", form="plate", density=None)
        OverheadBudget.objects.update(effective_until=timezone.localdate() - timedelta(days=1))
        cycle = Revision.objects.filter(item__code="CS-01", state="approved")
        ComponentRow.objects.filter(revision__in=cycle).update(item=Item.objects.get(code="MA-200"))
        cycle.update(approved_at=timezone.now())  # what was read is read anew

        self.sunil.must("roll-up-next", {})

        told = next(s for s in self.sunil.get("cost-sets") if s["state"] == "next")["missing"]
        why = {m["item"]: m["why"] for m in told}
        self.assertIn("density", why["AP-20"])
        self.assertIn("CS-01 → MA-200", why["CS-01"] + why["MA-200"])
        self.assertIn("whose budget ended on", why["PM-200"])
        self.assertIn("uses", why["HT-200"])
        kept = Standard.objects.get(cost_set__state="next", item__code="MA-200")
        self.assertEqual(kept.total, before)
        # what stays comes into the arrays of the new set too
        against = self.sunil.get(
            f"cost-sets/{self.number('next')}/against/{self.number('current')}"
        )
        self.assertEqual((against["only_old"], against["only_new"]), ([], []))

    def test_the_cost_sheet_travels_as_table_and_on_paper(self) -> None:
        get = self.sunil.client.get
        rows = list(
            csv.reader(io.StringIO(get("/api/items/HT-150/cost-sheet/csv").content.decode()))
        )
        costs = [Decimal(r[8]) for r in rows[1:] if r[8] and r[0] in ("", "1")]
        self.assertEqual(rows[0][8], "cost in one")
        self.assertIn("Packing kit", [r[4] for r in rows])
        self.assertTrue(costs)
        sheet = load_workbook(io.BytesIO(get("/api/items/HT-150/cost-sheet/xlsx").content)).active
        assert sheet is not None
        self.assertEqual(sheet.max_row, len(rows))
        paper = get("/api/items/HT-150/cost-sheet/pdf")
        self.assertTrue(paper.content.startswith(b"%PDF-"))
        self.assertEqual(paper.content, get("/api/items/HT-150/cost-sheet/pdf").content)
        self.sunil.get("items/HT-150/cost-sheet/doc")
        self.assertEqual(self.sunil.status, 404)

    def test_a_roll_up_stopped_on_the_way_leaves_the_next_set_as_it_was(self) -> None:
        self.sunil.must("roll-up-next", {"note": "before"})
        before = self.number("next")

        def stop(words: str, done: int, total: int) -> None:
            """Stop it once standards are being written."""
            if done:
                raise JobStopped("Roll up the next standard")

        command = COMMANDS["roll-up-next"]
        with self.assertRaises(JobStopped):
            post(
                command,
                command.given.model_validate({"note": "after"}),
                key="stopped",
                person=Person.objects.get(name="sunil"),
                now=timezone.now(),
                progress=stop,
            )
        left = CostSet.objects.get(state="next")
        self.assertEqual((left.pk, left.note), (before, "before"))
        self.assertEqual(left.standards.count(), 59)

    def test_what_is_missing_is_kept_with_the_set(self) -> None:
        self.sunil.must("roll-up-next", {})
        missing = next(s for s in self.sunil.get("cost-sets") if s["state"] == "next")["missing"]
        self.assertIn("FD-80 has no approved structure.", [m["why"] for m in missing])


class EmptyWorks(TestCase):
    """On a database that starts empty."""

    def test_the_first_item_gets_its_first_standard(self) -> None:
        caller = Caller(make_person())
        caller.must("roll-up-next", {})
        self.assertEqual(caller.get("margins")["rows"], [])
        caller.must("define-item", {"code": "BAR", "name": "Bar", "unit": "m", "source": "buy", "price": "3.05"})  # fmt: skip
        caller.must("set-list-prices", {"item": "BAR", "prices": [{"price": "6.1"}]})
        self.assertEqual(caller.get("margins")["rows"][0]["standard"], None)
        caller.must("roll-up-next", {})
        next_one = CostSet.objects.get(state="next")
        caller.must("activate-set", {"cost_set": next_one.pk})
        caller.must("write-what-if", {"name": "dear", "changes": [{"kind": "price", "code": "BAR", "to": "4"}]})  # fmt: skip
        if_so = CostSet.objects.get(name="dear").pk

        self.assertEqual(caller.get("margins")["rows"][0]["share"], "0.5")
        row = caller.get(f"cost-sets/{if_so}/against/{next_one.pk}")["rows"][0]
        self.assertEqual((row["item"], row["difference"]), ("BAR", "0.950000"))
        self.assertEqual(caller.get("items/BAR/cost")["sensitivities"], [])
