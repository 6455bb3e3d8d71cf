"""Bad input: each with its message, and nothing changed."""

from typing import Any

from django.test import TestCase
from poietic.commanding.models import Entry
from poietic.commanding.roles import Role
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.ledger.models import Posting

from .client import PASSWORD, Caller, make_person


class Refusals(TestCase):
    """Every refusal says what, why and what to do, and leaves no trace."""

    @classmethod
    def setUpTestData(cls) -> None:
        mirror_cell.define(Shop())
        mirror_cell.supply(Shop())
        cls.person = make_person()
        cls.order = mirror_cell.plan(Shop(), "MA-200", "40")

    def setUp(self) -> None:
        self.caller = Caller(self.person)

    def refused(self, name: str, given: dict[str, Any], status: int, code: str, *words: str) -> Any:
        """Assert that both preview and posting are refused, and that nothing changed."""
        for act in (self.caller.preview, self.caller.do):
            before = (Entry.objects.count(), Posting.objects.count())
            problem = act(name, given)
            self.assertEqual((self.caller.status, problem.get("code")), (status, code), problem)
            for field in ("title", "detail", "fix"):
                self.assertTrue(problem[field])
            for word in words:
                self.assertIn(word, f"{problem['title']} {problem['detail']} {problem['fix']}")
            self.assertEqual((Entry.objects.count(), Posting.objects.count()), before)
        return problem

    def release(self) -> None:
        """Release the order."""
        self.caller.must("release-order", {"order": self.order})

    def issue(self, item: str, quantity: str, operation: int = 10) -> dict[str, Any]:
        """Return the input of an issue."""
        return {
            "order": self.order,
            "lines": [{"operation": operation, "item": item, "quantity": quantity}],
        }

    def test_a_structure_that_contains_itself_is_refused_with_the_loop(self) -> None:
        self.refused(
            "draft-structure",
            {
                "item": "CS-01",
                "operations": [{"number": 10, "name": "Turn", "work_center": "LATHE"}],
                "components": [{"item": "MA-200", "quantity": "1"}],
            },
            422,
            "structure.cycle",
            "CS-01 → MA-200 → CS-01",
        )

    def test_quantities_off_the_step_are_refused_with_the_nearest(self) -> None:
        self.release()
        self.refused(
            "issue-material",
            self.issue("AP-20", "1.0005"),
            422,
            "quantity.off_step",
            "1 or 1.001 kg",
        )

    def test_unknown_units_and_units_that_do_not_convert_are_named(self) -> None:
        item = {"code": "NEW", "name": "New", "unit": "furlong", "source": "buy"}
        self.refused("define-item", item, 422, "quantity.unknown_unit", "furlong", "kg")
        draft = {
            "item": "CS-01",
            "operations": [{"number": 10, "name": "Turn", "work_center": "LATHE"}],
            "components": [{"item": "SB-06", "quantity": "1", "unit": "kg"}],
        }
        self.refused("draft-structure", draft, 422, "quantity.no_conversion", "SB-06", "kg into m")

    def test_definitions_that_contradict_themselves_are_refused_by_the_field(self) -> None:
        self.caller.must("define-calendar", {"code": "DAY", "name": "Day", "shifts": []})
        self.caller.must("define-partner", {"code": "MARROW", "name": "Marrow Metals"})
        self.caller.must("define-labour-grade", {"code": "FIT", "name": "Fitter", "rate": "32"})
        item = {"code": "NEW", "name": "New", "unit": "pcs", "source": "make"}
        center = {"code": "NEW", "name": "New", "machine_rate": "1", "labour_rate": "1"}
        rates = {"work_center": "MILL", "labour_rate": "24"}
        budget = {
            "code": "FAC", "name": "Factory", "element": "fixed overhead", "base": "machine hours",
            "effective_from": "2026-01-01", "effective_until": "2026-12-31",
            "budget": "12000", "capacity": "1200", "capacity_basis": "practical",
        }  # fmt: skip
        self.caller.must("set-overhead", budget)
        amount = {"name": "energy", "element": "machine", "amount": "1"}
        lying = [{"supplier": "MARROW", "price": "1", "effective_from": "2026-02-01", "effective_until": "2026-01-01"}]  # fmt: skip
        for name, given, status, words in (
            ("define-item", {"code": "MA-200", "name": "Again", "unit": "pcs", "source": "make"}, 409, "MA-200"),
            ("define-item", item | {"price": "1"}, 422, "price: a made item"),
            ("define-item", item | {"valuation": "fifo"}, 422, "valuation"),
            ("define-item", item | {"tracking": "serial"}, 422, "number_rule"),
            ("define-item", item | {"source": "buy", "price": "1", "price_per": "kg"}, 422, "price_per"),
            ("change-item", {"code": "MA-200", "is_active": False}, 422, "inactive_reason"),
            ("change-item", {"code": "NONE", "name": "None"}, 404, "NONE"),
            ("set-prices", {"item": "MA-200", "prices": []}, 422, "is made"),
            ("set-prices", {"item": "AP-20", "prices": lying}, 422, "line 1"),
            ("set-prices", {"item": "AP-20", "prices": [{"supplier": "NONE", "price": "1"}]}, 404, "NONE"),
            ("set-list-prices", {"item": "NONE", "prices": []}, 404, "NONE"),
            ("define-partner", {"code": "MARROW", "name": "Again"}, 409, "MARROW"),
            ("change-partner", {"code": "NONE", "name": "None"}, 404, "NONE"),
            ("attach-document", {"item": "AP-20", "file": 999}, 404, "999"),
            ("detach-document", {"item": "AP-20", "name": "plan.pdf"}, 404, "plan.pdf"),
            ("define-work-center", center | {"code": "MILL"}, 409, "MILL"),
            ("define-work-center", center | {"calendar": "NONE"}, 404, "NONE"),
            ("set-rates", rates | {"layers": [amount, amount]}, 422, "same name"),
            ("set-rates", rates | {"layers": [amount | {"element": "material"}]}, 422, "names material"),
            ("set-rates", rates | {"layers": [amount, {"name": "x", "amount": "1", "percent": "0.1", "of": "energy"}]}, 422, "x has an amount, or a percentage"),
            ("set-rates", rates | {"work_center": "NONE", "layers": []}, 404, "NONE"),
            ("set-grade-rate", {"grade": "NONE", "rate": "1"}, 404, "NONE"),
            ("set-overhead", budget | {"effective_until": "2025-12-31"}, 422, "before the first day"),
            ("set-overhead", budget | {"base": "bought material cost"}, 422, "material overhead, and it alone"),
            ("set-overhead", budget | {"work_center": "NONE"}, 404, "NONE"),
            ("set-overhead", budget | {"effective_from": "2026-06-01"}, 422, "has a budget from 2026-01-01"),
            ("set-overhead", budget | {"capacity": "0"}, 422, "apacity"),
            ("drop-overhead", {"code": "FAC", "effective_from": "2026-01-02"}, 404, "FAC"),
            ("close-days", {"calendar": "DAY", "first": "2026-05-02", "last": "2026-05-01"}, 422, "last"),
            ("close-days", {"calendar": "NONE", "first": "2026-05-01", "last": "2026-05-01"}, 404, "NONE"),
            ("close-holidays", {"calendar": "DAY", "holidays": [{"first": "2026-05-02", "last": "2026-05-01"}]}, 422, "holidays"),
            ("add-person", {"name": "bo", "full_name": "Bo", "password": "12345678", "roles": []}, 422, "password"),
            ("add-person", {"name": self.person.name, "full_name": "Twice", "password": PASSWORD, "roles": []}, 409, self.person.name),
            ("set-roles", {"name": "nobody", "roles": []}, 404, "nobody"),
        ):  # fmt: skip
            codes = {404: "input.not_found", 409: "input.exists", 422: "input.invalid"}
            with self.subTest(name=name, words=words):
                self.refused(name, given, status, codes[status], words)

    def test_everything_that_blocks_a_release_is_said_with_the_way_to_fix_it(self) -> None:
        shop = Shop()
        shop.do("define-item", code="NEW", name="New cell", unit="pcs", source="make")
        order = mirror_cell.plan(shop, "NEW", "1")
        problem = self.refused(
            "release-order",
            {"order": order},
            422,
            "order.release_blocked",
            "NEW has no approved structure.",
            "NEW has no standard cost.",
        )
        self.assertEqual(
            [b["place"] for b in problem["context"]["blocks"]], ["structure:NEW", "standard:NEW"]
        )

    def test_a_draft_with_faults_is_not_approved_and_all_faults_are_said(self) -> None:
        draft = {
            "item": "CS-01",
            "operations": [
                {"number": 10, "name": "Turn", "work_center": "LATHE", "is_report_point": False}
            ],
            "components": [{"item": "SB-06", "operation": 30, "quantity": "1"}],
        }
        self.caller.must("draft-structure", draft)
        self.refused(
            "approve-structure",
            {"item": "CS-01"},
            422,
            "structure.not_approvable",
            "no report point",
            "operation 30, which does not exist",
        )

    def test_stock_never_goes_below_zero(self) -> None:
        self.release()
        self.refused(
            "issue-material",
            self.issue("AP-20", "120.001"),
            409,
            "stock.not_enough",
            "120 kg there",
            "receive material",
        )

    def test_nothing_is_reported_beyond_what_the_operation_before_passed_on(self) -> None:
        self.release()
        self.caller.must("report", {"order": self.order, "operation": 10, "good": "5"})
        report = {"order": self.order, "operation": 20, "good": "6"}
        self.refused("report", report, 422, "report.beyond_predecessor", "Report 5 pieces or fewer")

    def test_a_report_that_fails_in_its_last_line_posts_nothing(self) -> None:
        self.release()
        report = {
            "order": self.order,
            "operation": 10,
            "good": "4",
            "by_products": [{"item": "SW-AL", "quantity": "4"}],
            "receive": "5",
        }
        self.refused("report", report, 422, "report.below_successor", "Receipt has already taken 5")
        page = self.caller.get(f"orders/{self.order}")
        self.assertEqual((page["state"], page["operations"][0]["good"]), ("released", "0.000000"))

    def test_an_order_closes_once(self) -> None:
        for name, given in mirror_cell.steps(self.order):
            self.caller.must(name, given)
        self.refused("close-order", {"order": self.order}, 409, "order.wrong_state", "is closed")

    def test_a_posting_is_taken_back_once_and_in_order(self) -> None:
        numbers = [
            self.caller.must(name, given)["postings"][-1:]
            for name, given in mirror_cell.steps(self.order)[:6]
        ]
        report = numbers[2][0]
        self.refused("take-back", {"posting": report}, 422, "report.beyond_predecessor")
        receipt = numbers[5][0]
        self.caller.must("take-back", {"posting": receipt})
        self.refused("take-back", {"posting": receipt}, 409, "posting.taken_back")
        self.refused("take-back", {"posting": 2**61}, 404, "input.not_found", str(2**61))

    def test_fields_that_do_not_exist_and_numbers_that_are_not_are_named(self) -> None:
        plan = {
            "item": "MA-200",
            "quantity": "1",
            "due": "2026-11-26",
            "supply_place": "STORE",
            "receipt_place": "STORE",
        }
        for wrong, words in (
            ({"colour": "red"}, "colour: this field does not exist"),
            ({"quantity": "1" + "0" * 13}, "too large"),
            ({"quantity": "NaN"}, "finite number"),
            ({"quantity": 1.5}, "write the number as text"),
            ({"quantity": "-1"}, "must be above 0"),
            ({"due": "soon"}, "due"),
        ):
            self.refused("plan-order", plan | wrong, 422, "input.invalid", words)
        self.refused("plan-order", plan | {"item": "NO-1"}, 404, "input.not_found", "item NO-1")

    def test_nobody_posts_tomorrow(self) -> None:
        self.release()
        issue = self.issue("AP-20", "1") | {"happened_at": "2098-01-01T00:00:00Z"}
        self.refused("issue-material", issue, 422, "posting.in_the_future", "2098")

    def test_a_role_is_needed_and_somebody_has_to_be_signed_in(self) -> None:
        self.caller = Caller(make_person("vic", Role.VIEWER))
        self.refused(
            "release-order", {"order": self.order}, 403, "people.role_needed", "controller"
        )
        self.caller = Caller()
        self.refused("release-order", {"order": self.order}, 401, "people.not_signed_in", "Sign in")
        self.caller.get("orders")
        self.assertEqual(self.caller.status, 401)


class SigningIn(TestCase):
    """The first person, and everybody after."""

    def test_the_first_person_of_an_empty_database_holds_all_roles(self) -> None:
        caller = Caller()
        self.assertTrue(caller.get("me")["is_first_run"])
        first = {"name": "ada", "full_name": "Ada Example", "password": PASSWORD}

        me = caller.send("first-person", first)

        self.assertEqual((me["name"], set(me["roles"])), ("ada", {r.value for r in Role}))
        again = caller.send("first-person", first | {"name": "bo"})
        self.assertEqual((caller.status, again["code"]), (409, "people.not_the_first"))
        self.assertNotIn(PASSWORD, str(list(Entry.objects.values())))

    def test_attempts_are_throttled(self) -> None:
        make_person("ada")
        caller = Caller()
        wrong = {"name": "ada", "password": "guess"}
        for _ in range(5):
            self.assertEqual(caller.send("sign-in", wrong)["code"], "people.sign_in_refused")

        right = caller.send("sign-in", {"name": "ada", "password": PASSWORD})

        self.assertEqual((caller.status, right["code"]), (429, "people.too_many_attempts"))

    def test_the_last_administrator_stays_one(self) -> None:
        caller = Caller(make_person("ada"))
        problem = caller.do("set-roles", {"name": "ada", "roles": ["viewer"]})
        self.assertIn("only administrator", problem["detail"])
