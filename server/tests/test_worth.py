"""What stock of an item is worth, and on what that stands."""

from decimal import Decimal
from typing import Any

from poietic.commanding.roles import Role

from .client import Caller, make_person
from .test_buying import BuyingTest


class Worth(BuyingTest):
    """Standard, provisional, at what it cost, corrected."""

    def worth(self, item: str = "AVERAGE") -> Any:
        return self.caller.get(f"items/{item}/worth")

    def test_what_came_is_provisional_until_its_invoice(self) -> None:
        self.assertEqual((Decimal(self.worth()["quantity"]), self.worth()["unit_cost"]), (0, None))
        number = self.buy("AVERAGE", "10", "6.00")
        self.receive(number, "10")
        told = self.worth()
        self.assertEqual((told["value"], told["unit_cost"], told["basis"]), ("60.00", "6", "provisional"))  # fmt: skip
        self.assertEqual(told["waits_for"], [f"purchase order {number} is not invoiced in full"])
        self.invoice(number, "10", "62.00")
        told = self.worth()
        self.assertEqual((Decimal(told["value"]), told["basis"], told["waits_for"]), (62, "actual", []))  # fmt: skip

    def test_late_cost_that_reached_it_corrects_it(self) -> None:
        number = self.buy("AVERAGE", "10", "6.00")
        self.receive(number, "10")
        place = {"place": "STORE", "lines": [{"item": "AVERAGE", "quantity": "4"}]}
        self.shop.do("define-partner", code="OBS", name="Observatory", is_customer=True)
        self.must("deliver", customer="OBS", **place)
        self.invoice(number, "10", "70.00")
        self.must("carry-late-cost")
        self.assertEqual(self.worth()["basis"], "corrected")

    def test_at_standard_it_waits_for_nothing(self) -> None:
        told = self.worth("MA-200")
        self.assertEqual((told["valuation"], told["basis"], told["waits_for"]), ("standard", "standard", []))  # fmt: skip
        self.assertEqual(self.worth("NONE")["code"], "input.not_found")

    def test_who_may_not_see_costs_is_not_told(self) -> None:
        told = Caller(make_person("piet", Role.STOREKEEPER)).get("items/AVERAGE/worth")
        self.assertEqual(told["code"], "people.role_needed")
