"""The handbook's "One order, all causes", through the HTTP interface."""

from decimal import Decimal
from typing import Any

from django.test import TestCase
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.ledger.models import Account, JournalLine, WipBalance
from poietic.ledger.verify import differences

from .client import Caller, make_person

#: worked out by hand; handbook, check values, "One order, all causes"
CAUSES = {
    "price": "32.40",
    "usage": "16.44",
    "yield": "57.37",
    "efficiency": "48.00",
    "setup": "32.00",
    "order size": "-64.00",
    "by-product quantity": "0.48",
}
BY_HAND = {kind: Decimal(amount) for kind, amount in CAUSES.items()}


class ConstructedOrder(TestCase):
    """One order from release to close."""

    def setUp(self) -> None:
        mirror_cell.define(Shop())
        mirror_cell.supply(Shop())
        self.caller = Caller(make_person())
        self.order = mirror_cell.plan(Shop(), "MA-200", "40")
        self.steps = mirror_cell.steps(self.order)

    def page(self) -> Any:
        """Return the order's page without the times of what is left, which move with the clock."""
        page = self.caller.get(f"orders/{self.order}")
        for operation in page["operations"]:
            del operation["starts"], operation["ends"]
        return page

    def test_standard_is_the_one_worked_out_by_hand(self) -> None:
        standard = self.caller.get("items/MA-200/standard")

        self.assertEqual(standard["total"], "53.403684")
        lower = {e["element"]: e["lower_levels"] for e in standard["elements"]}
        self.assertEqual(lower["material"], "3.050000")  # 0.122 m of bar at 25.00
        self.assertEqual(lower["machine"], "2.700000")  # 0.1 h at 27.00
        root = standard["derivation"][0]
        self.assertEqual((root["value"], root["how"]), ("53.403684", "rounded"))

    def test_closed_order_shows_each_cause_to_the_cent(self) -> None:
        for name, given in self.steps:
            self.caller.must(name, given)

        bridge = self.caller.get(f"orders/{self.order}/bridge")
        self.assertEqual((bridge["charged"], bridge["allowed"]), ("2258.84", "2136.15"))
        self.assertEqual((bridge["variance"], bridge["wip"]), ("122.69", "0.00"))
        self.assertEqual(self.caller.causes(self.order), BY_HAND)
        posted = {
            line.account: line.amount
            for line in JournalLine.objects.filter(
                posting__kind="closing", posting__cost_object__number=self.order
            )
            if line.account != Account.WIP
        }
        self.assertEqual(posted, {f"{kind} variance": amount for kind, amount in BY_HAND.items()})
        self.assertFalse(WipBalance.objects.exclude(amount=0).exists())
        # op 10 lost 1.8 pieces beyond its yield, 3 of 4 to porosity: 57.37 × 3/4
        self.assertEqual(
            [(y["operation"], y["reason"], y["amount"]) for y in bridge["yield_by_reason"]],
            [(10, "Porosity", "43.03"), (10, "Dropped", "14.34")],
        )
        self.assertEqual(differences(), [])

    def test_variance_to_date_is_the_sum_of_its_causes_after_every_posting(self) -> None:
        told: list[tuple[str, Decimal]] = []
        for name, given in self.steps:
            self.caller.must(name, given)
            bridge = self.caller.get(f"orders/{self.order}/bridge")
            rows = {c["kind"]: Decimal(c["amount"]) for c in bridge["causes"]}
            self.assertEqual(sum(rows.values(), Decimal(0)), Decimal(bridge["variance"]), name)
            self.assertEqual(
                Decimal(bridge["charged"]) - Decimal(bridge["allowed"]), Decimal(bridge["variance"])
            )
            self.assertLess(abs(rows["rounding"]), Decimal("0.03"), name)
            told.append((name, Decimal(bridge["variance"])))

        # issued, nothing done: only the price of 108 kg, and 6.94 kg beyond the order's need
        # of 101.052632 kg at 6.50: 32.40 + 45.16
        self.assertEqual(told[1], ("issue-material", Decimal("77.56")))
        self.assertEqual(told[-1][1], Decimal("122.69"))

    def test_preview_shows_what_posting_then_does(self) -> None:
        for name, given in self.steps:
            before = self.page()
            seen = self.caller.preview(name, given)
            self.assertEqual(self.page(), before, f"the preview of {name} changed something")
            posted = self.caller.do(name, given, seen=seen["seen"])

            self.assertEqual(posted["consequences"], seen["consequences"], name)

    def test_correcting_a_report_leaves_what_the_right_one_would_have(self) -> None:
        wrong = dict(self.steps[2][1], good="38", run_machine_hours="15")
        for name, given in self.steps[:2]:
            self.caller.must(name, given)
        posting = self.caller.must("report", wrong)["postings"][0]

        self.caller.must("correct-report", {"posting": posting, "report": self.steps[2][1]})

        for name, given in self.steps[3:]:
            self.caller.must(name, given)
        self.assertEqual(self.caller.causes(self.order), BY_HAND)
        self.assertEqual(differences(), [])

    def test_taking_everything_back_leaves_nothing_charged(self) -> None:
        untouched = self.caller.get("items")["rows"]
        numbers = [
            n for name, given in self.steps for n in self.caller.must(name, given)["postings"]
        ]

        for number in reversed(numbers):
            self.caller.must("take-back", {"posting": number})

        page = self.page()
        self.assertEqual(
            (page["state"], page["charged"], page["received"]), ("released", "0.00", "0.000000")
        )
        stock = {i["code"]: (i["on_hand"], i["value"]) for i in self.caller.get("items")["rows"]}
        self.assertEqual(stock, {i["code"]: (i["on_hand"], i["value"]) for i in untouched})
        self.assertEqual(differences(), [])
        self.assertEqual(
            self.caller.must("cancel-order", {"order": self.order})["title"], "Cancel an order"
        )

    def test_as_built_says_what_it_took_and_drafts_a_structure_of_it(self) -> None:
        for name, given in self.steps:
            self.caller.must(name, given)

        built = self.caller.get(f"orders/{self.order}/as-built")

        rows = {(r["kind"], r["code"]): (r["old"], r["new"]) for r in built["rows"]}
        # by hand: 108 kg and 12 h for 44 worked on, 362 pads for 40
        self.assertEqual(rows["component", "AP-20"], ("2.400000", "2.454545"))
        self.assertEqual(rows["operation", "MILL"], ("0.250000", "0.272727"))
        self.assertEqual([Decimal(q) for q in rows["component", "PAD-3"]], [9, Decimal("9.05")])
        self.assertEqual(built["old_total"], "53.403684")
        draft = self.caller.must("draft-structure", built["draft"])
        self.assertEqual(draft["made"]["revision"], "B")

    def test_leftovers_go_back_at_the_value_at_which_they_were_issued(self) -> None:
        for name, given in self.steps[:6]:
            self.caller.must(name, given)

        outcome = self.caller.must("complete-order", {"order": self.order})

        # 108 − 2.40 × 44 = 2.4 kg at 6.80, and two pads at 0.42
        plate = next(s for s in outcome["consequences"]["stock"] if s["item"] == "AP-20")
        self.assertEqual(Decimal(plate["after"]) - Decimal(plate["before"]), Decimal("2.4"))
        wip = {
            w["element"]: Decimal(w["after"]) - Decimal(w["before"])
            for w in outcome["consequences"]["wip"]
        }
        self.assertEqual(wip["material"], Decimal("-16.32") + Decimal("-0.84"))
        self.assertNotIn("usage", self.caller.causes(self.order))
