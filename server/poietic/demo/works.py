"""The works as the demo's scenes use them: people, days counted from today, and their commands."""

from datetime import UTC, date, datetime, time, timedelta
from typing import Any

from ..commanding.run import Outcome
from ..people.models import Person
from .shop import Shop


class Works:
    """The shop with its calendar of days before and after today, and its persons."""

    def __init__(self, shop: Shop, today: date) -> None:
        self.shop = shop
        self.today = today

    def at(self, day: int, *, hour: int = 7) -> None:
        """Go to an hour of a day counted from today."""
        moment = datetime.combine(self.today + timedelta(days=day), time(hour), UTC)
        self.shop.now = moment

    def as_person(self, name: str) -> None:
        """Go on as another person."""
        self.shop.person = Person.objects.get(name=name)

    def do(self, who: str, command: str, **given: Any) -> Outcome:
        """Carry out a command as a person, ten minutes later."""
        self.as_person(who)
        assert self.shop.now is not None
        self.shop.now += timedelta(minutes=10)
        return self.shop.do(command, **given)

    def plan(self, item: str, quantity: str, *, due: int, note: str = "") -> int:
        """Plan an order due so many days from today, and return its number."""
        self.as_person("jonas")
        made = self.shop.do(
            "plan-order",
            item=item,
            quantity=quantity,
            due=(self.today + timedelta(days=due)).isoformat(),
            supply_place="STORE",
            receipt_place="STORE",
            note=note,
        ).made
        return int(made["order"])

    def released(self, item: str, quantity: str, *, due: int, note: str = "") -> int:
        """Plan and release an order."""
        order = self.plan(item, quantity, due=due, note=note)
        self.do("jonas", "release-order", order=order)
        return order

    def issue(self, order: int, *lines: tuple[int, str, str]) -> None:
        """Issue (operation, item, quantity) to an order."""
        rows = [{"operation": o, "item": i, "quantity": q} for o, i, q in lines]
        self.do("piet", "issue-material", order=order, lines=rows)

    def report(self, order: int, operation: int, good: str, **more: Any) -> None:
        """Report an operation."""
        self.do("lotte", "report", order=order, operation=operation, good=good, **more)
