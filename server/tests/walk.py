"""Random walks over a shop: whatever people do, in whatever order, as one person or as several at once."""

from collections import Counter
from collections.abc import Callable
from random import Random
from typing import Any

#: carries out a command and returns its status and its answer
Do = Callable[[str, dict[str, Any]], tuple[int, dict[str, Any]]]
ITEMS = {"AP-20": 10, "PAD-3": 20, "CS-01": 20}
PLACES = {"supply_place": "STORE", "receipt_place": "STORE"}


class Walk:
    """One person who does something at random again and again; the same seed does the same."""

    def __init__(self, do: Do, seed: int) -> None:
        self._do = do
        self._random = Random(seed)
        self._name = f"w{seed}"
        self._orders: list[int] = []
        self._running: list[int] = []
        self._postings: list[int] = []
        self._purchases: list[int] = []
        #: how often each command was carried out, and refused with each code
        self.told: Counter[str] = Counter()
        #: answers that no command may give
        self.faults: list[str] = []

    def go(self, steps: int) -> None:
        """Do so many things."""
        for n in range(steps):
            name, given = self._random.choice(ACTS)(self, n)
            status, answer = self._do(name, given)
            if status == 200:
                self.told[name] += 1
                self._postings += answer["postings"]
                if "order" in answer["made"]:
                    self._orders.append(int(answer["made"]["order"]))
                if "purchase" in answer["made"]:
                    self._purchases.append(int(answer["made"]["purchase"]))
                if name in ("release-order", "release-part", "split-order"):
                    self._running.append(int(given["order"]))
            else:
                self.told[f"{name}: {answer.get('code', status)}"] += 1
                if status not in (404, 409, 422):
                    self.faults.append(f"{name} {given}: {status} {answer}")

    def few(self, most: int = 6) -> str:
        return str(self._random.randint(1, most))

    def order(self) -> int:
        """Return an order, more often than not one that runs."""
        if self._running and self._random.random() < 0.6:
            return self._random.choice(self._running[-5:])
        return self._random.choice(self._orders[-8:] or [1])

    def posting(self) -> int:
        return self._random.choice(self._postings[-25:] or [1])

    def plan(self, n: int) -> tuple[str, dict[str, Any]]:
        item = self._random.choice(["MA-200", "MA-200", "CS-01"])
        given = {"item": item, "quantity": self.few(9), "due": "2027-01-15"} | PLACES
        return self._random.choice(
            [
                ("plan-order", given),
                ("plan-order", given),
                ("plan-order", given),
                ("change-order", {"order": self.order(), "quantity": self.few(9)}),
                ("release-orders", {"orders": [self.order(), self.order()]}),
            ]
        )

    def of_order(self, n: int) -> tuple[str, dict[str, Any]]:
        name = self._random.choice(["release-order", "release-order", "complete-order", "close-order", "cancel-order", "make-firm", "withdraw-release", "leave-to-planning", "rederive-order"])  # fmt: skip
        return name, {"order": self.order()}

    def material(self, n: int) -> tuple[str, dict[str, Any]]:
        lines = [
            {"operation": ITEMS[item], "item": item, "quantity": self.few(20)}
            for item in self._random.sample(list(ITEMS), self._random.randint(1, 3))
        ]
        name = self._random.choice(["issue-material", "issue-material", "return-material"])
        return name, {"order": self.order(), "lines": lines}

    def report(self, n: int) -> tuple[str, dict[str, Any]]:
        return "report", self.reported()

    def reported(self) -> dict[str, Any]:
        operation, pick = self._random.choice([10, 20]), self._random.random
        given: dict[str, Any] = {"order": self.order(), "operation": operation, "good": self.few()}
        if pick() < 0.3:
            reason = self._random.choice(["POROSITY", "DROPPED"])
            given["scrap"] = [{"reason": reason, "quantity": self.few(3)}]
        if pick() < 0.3 and operation == 10:
            given["by_products"] = [{"item": "SW-AL", "quantity": self.few()}]
        if pick() < 0.5:
            given["run_labour_hours"] = f"0.{self.few(9)}"
        if pick() < 0.2:
            given["times_set_up"] = self._random.randint(0, 2)
        if pick() < 0.4 and operation == 20:
            given |= {"receive": "ready", "complete": self._random.choice([False, True, "when received"])}  # fmt: skip
        return given

    def receive(self, n: int) -> tuple[str, dict[str, Any]]:
        return "receive", {"order": self.order(), "quantity": self.few(3)}

    def take_back(self, n: int) -> tuple[str, dict[str, Any]]:
        return "take-back", {"posting": self.posting()}

    def correct(self, n: int) -> tuple[str, dict[str, Any]]:
        return "correct-report", {"posting": self.posting(), "report": self.reported()}

    def buy(self, n: int) -> tuple[str, dict[str, Any]]:
        price = f"{self.few(9)}.{self.few(99)}"
        line = {"item": self._random.choice(["AP-20", "PAD-3", "SB-06"]), "quantity": self.few(60), "price": price, "place": "STORE"}  # fmt: skip
        return "receive-material", {"lines": [line]}

    def settle(self, n: int) -> tuple[str, dict[str, Any]]:
        """Have something come, be delivered, cost more than it came at, and carry that on."""
        item = self._random.choice(["AP-20", "PAD-3"])
        line = {"item": item, "quantity": self.few(9)}
        ordered = line | {"quantity": "9", "price": "3", "comes_on": "2027-01-15", "place": "STORE"}
        number = self._random.choice(self._purchases[-3:] or [7001])
        asked = {"purchase": number, "line": 1, "quantity": self.few(9), "amount": self.few(60)}
        return self._random.choice(
            [
                ("define-partner", {"code": "BOTH", "name": "Both", "is_customer": True}),
                ("draft-purchase", {"supplier": "BOTH", "lines": [ordered], "send": True}),
                ("receive-purchase", {"purchase": number, "lines": [{"line": 1, "quantity": self.few(9)}]}),
                ("post-invoice", {"supplier": "BOTH", "number": f"{self._name}-{n}", "dated": "2026-11-20", "lines": [asked]}),
                ("deliver", {"customer": "BOTH", "place": "STORE", "lines": [line | {"quantity": self.few(3)}]}),
                ("carry-late-cost", {}),
                ("carry-late-cost", {}),
                ("close-orders", {"most_variance": self.few(900)}),
            ]
        )  # fmt: skip

    def sell(self, n: int) -> tuple[str, dict[str, Any]]:
        """Have a customer order, and what is ordered leave."""
        item = self._random.choice(["AP-20", "PAD-3"])
        line = {"item": item, "quantity": self.few(20), "wanted_on": "2027-01-15", "price": "9"}
        number = self._random.randint(5001, 5004)
        return self._random.choice(
            [
                ("define-partner", {"code": "BOTH", "name": "Both", "is_customer": True}),
                ("enter-customer-order", {"customer": "BOTH", "lines": [line]}),
                ("deliver-ordered", {"customer_order": number, "place": "STORE", "lines": [{"line": 1, "quantity": self.few(4)}]}),
                ("deliver-ordered", {"customer_order": number, "place": "STORE"}),
                ("change-customer-line", {"customer_order": number, "line": 1, "quantity": self.few(20)}),
                ("end-customer-order", {"customer_order": number}),
                ("reopen-customer-order", {"customer_order": number}),
            ]
        )  # fmt: skip

    def store(self, n: int) -> tuple[str, dict[str, Any]]:
        item, places = self._random.choice(["AP-20", "PAD-3", "CS-01"]), ["STORE", "SHELF"]
        self._random.shuffle(places)
        line = {"item": item, "quantity": self.few(20)}
        return self._random.choice(
            [
                ("move-stock", {"from_place": places[0], "to_place": places[1], "lines": [line]}),
                ("scrap-stock", {"place": places[0], "why": "DROPPED"} | line),
                ("adjust-stock", {"item": item, "place": "STORE", "on_hand": self.few(90), "why": "COUNTED"}),
                ("open-count", {"item": item}),
                ("enter-count", {"count": self._random.randint(1, 4), "lines": [{"item": item, "place": "STORE", "counted": self.few(90)}]}),
                ("post-count", {"count": self._random.randint(1, 4), "why": "COUNTED"}),
                ("define-place", {"code": "SHELF", "name": "Shelf", "kind": "floor"}),
                ("define-reason", {"code": "COUNTED", "name": "Counted", "use": "adjustment"}),
            ]
        )  # fmt: skip

    def define(self, n: int) -> tuple[str, dict[str, Any]]:
        return self._random.choice(
            [
                ("define-item", {"code": f"{self._name}-{n}", "name": "New", "unit": "kg", "source": "buy", "price": "3"}),
                ("change-item", {"code": "SB-06", "price": f"{20 + int(self.few(9))}"}),
                ("change-item", {"code": "CS-01", "standard_lot": self.few(9)}),
                ("change-item", {"code": "AP-20", "own_units": [{"name": "sheet", "quantity": self.few(9)}]}),
                ("change-work-center", {"code": "MILL", "efficiency": f"0.{self.few(9)}"}),
                ("set-rates", {"work_center": "MILL", "labour_rate": f"{20 + int(self.few(9))}", "layers": []}),
                ("write-note", {"kind": "item", "code": "AP-20", "text": "Seen"}),
                ("write-what-if", {"name": "Dearer", "changes": [{"kind": "price", "code": "SB-06", "by": f"0.{self.few(9)}"}]}),
            ]
        )  # fmt: skip

    def engineer(self, n: int) -> tuple[str, dict[str, Any]]:
        given = {
            "item": "CS-01",
            "operations": [{"number": 10, "name": "Turn screws", "work_center": "LATHE", "run_labour_hours": f"0.{self.few(9)}"}],
            "components": [{"item": "SB-06", "quantity": f"0.{self.few(9)}"}],
        }  # fmt: skip
        return self._random.choice(
            [
                ("draft-structure", given),
                ("approve-structure", {"item": "CS-01"}),
                ("submit-structure", {"item": "CS-01"}),
                ("send-back-structure", {"item": "CS-01"}),
            ]
        )

    def cost(self, n: int) -> tuple[str, dict[str, Any]]:
        return self._random.choice([("freeze-standard", {}), ("roll-up-next", {})])

    def at(self, operation: int = 0) -> dict[str, Any]:
        return {"order": self.order(), "operation": operation or self._random.choice([10, 20])}

    def live(self, n: int) -> tuple[str, dict[str, Any]]:
        """What happens to an order on its way: stood still, divided, joined, taken back, made otherwise."""
        order, few = {"order": self.order()}, self.few
        until = {"until": "2027-02-01", "reason": "for the fair"}
        return self._random.choice(
            [
                ("split-order", order | {"quantity": few(3)}),
                ("split-order", order | {"quantity": few(3), "after": self._random.choice([10, 20])}),
                ("split-order", order | {"quantity": few(4), "after": 10, "units": few(3)}),
                ("merge-orders", order | {"into": self.order()}),
                ("merge-orders", {"order": max(self._orders or [1]), "into": self.order()}),
                ("release-part", order | {"quantity": few(4)}),
                ("hold-order", order | {"why": "WAITS"}),
                ("resume-order", order),
                ("resume-order", order),
                ("keep-order", order | until),
                ("unwind", {"orders": [self.order()], "to": self._random.choice(["before the last report", "released", "nothing"])}),
                ("replenish-order", order),
                ("accept-less", order),
                ("finish-short", order | {"reason": "enough"}),
                ("charge-extra", self.at() | {"amount": few(9), "reason": "tested"}),
                ("attach-order-document", order | {"file": 1}),
                ("detach-order-document", order | {"name": "x.png"}),
                ("copy-order", order | {"due": "2027-01-20"}),
                ("plan-orders", {"orders": [{"item": "MA-200", "quantity": few(), "due": "2027-01-15"} | PLACES]}),
                ("plan-tree", {"item": "MA-200", "quantity": few(), "due": "2027-01-15"} | PLACES),
            ]
        )  # fmt: skip

    def work(self, n: int) -> tuple[str, dict[str, Any]]:
        """What people at the machines say."""
        shared = ("order", "operation", "good")
        rows = [{k: v for k, v in self.reported().items() if k in shared} for _ in range(self._random.randint(1, 3))]  # fmt: skip
        rows[0] |= {"started": "06:00", "ended": "07:30"}
        return self._random.choice(
            [
                ("start-operation", self.at()),
                ("pause-operation", self.at()),
                ("finish-operation", self.at()),
                ("post-shift", {"rows": rows, "day": "2026-01-05"}),
                ("weigh-by-product", {"item": "SW-AL", "quantity": self.few()}),
                ("report", self.at() | {"good": "0", "rework": "1"}),
                ("report", self.at() | {"good": "1", "of_rework": True}),
            ]
        )

    def deviate(self, n: int) -> tuple[str, dict[str, Any]]:
        """What is made otherwise for one order."""
        at, of, why, few = self.at(), self.at(20), {"reason": "x"}, self.few
        pad = of | {"item": "PAD-3"} | why
        return self._random.choice(
            [
                ("add-component", of | {"item": "SB-06", "quantity": few(3)} | why),
                ("change-component", pad | {"quantity": few(9)}),
                ("drop-component", pad),
                ("substitute-component", pad | {"instead": "PAD-4", "ratio": "0.5"}),
                ("allow-alternate", pad | {"alternate": "PAD-4", "ratio": "0.5"}),
                ("add-operation", {"order": self.order(), "after": 10, "operation": 15, "name": "Wash", "work_center": "ASSY", "run_labour_hours": "0.1"} | why),
                ("change-operation", at | {"run_labour_hours": f"0.{few(9)}"} | why),
                ("drop-operation", self.at(15) | why),
                ("do-operation-inside", at | {"work_center": "LATHE", "run_labour_hours": "0.2"} | why),
                ("send-operation-out", at | {"supplier": "ALU", "price": few(20), "days_out": "2"} | why),
                ("plan-rework", at | {"name": "Again", "work_center": "LATHE", "run_labour_hours": "0.1"}),
                ("move-operation", at | {"work_center": "LATHE"} | why),
                ("adopt-revision", {"order": self.order()} | why),
                ("change-phantom", {"item": "CS-01", "is_phantom": self._random.random() < 0.2}),
            ]
        )  # fmt: skip

    def pick(self, n: int) -> tuple[str, dict[str, Any]]:
        """What a picker does."""
        line = {"line": self._random.randint(1, 40)}
        return self._random.choice(
            [
                ("make-pick-list", {"orders": [{"order": self.order()}]}),
                ("make-pick-list", {"orders": [{"order": self.order()}]}),
                ("pick", line | {"quantity": self.few()}),
                ("pick", line | {"quantity": self.few()}),
                ("pick-short", line | {"how": self._random.choice(["other place", "alternate", "later"])}),
                ("put-back", line | {"quantity": self.few(3)}),
                ("issue-picked", {"order": self.order()}),
            ]
        )  # fmt: skip

    def keep(self, n: int) -> tuple[str, dict[str, Any]]:
        """What a storekeeper does with lots, carriers and transfers."""
        lot = {"item": "PAD-L", "lot": f"P{self._random.randint(1, 6):03d}"}
        other, few = f"P{self._random.randint(1, 6):03d}", self.few
        here = {"place": "STORE"}
        return self._random.choice(
            [
                ("receive-material", {"lines": [{"item": "PAD-L", "quantity": few(30), "price": "0.5"} | here]}),
                ("judge-lot", lot | {"state": self._random.choice(["usable", "quarantined"]), "reason": "seen"}),
                ("correct-lot", lot | {"supplier_code": f"S{n}", "reason": "read again"}),
                ("split-lot", lot | here | {"quantity": few(3), "into": f"{self._name}{n}"}),
                ("join-lots", lot | here | {"into": other}),
                ("define-carrier", {"code": f"K{few(3)}", "stands_at": "STORE"}),
                ("move-carrier", {"carrier": f"K{few(3)}", "to_place": self._random.choice(["STORE", "ASSY-F"])}),
                ("send-transfer", {"from_place": "STORE", "to_place": "HILL-1", "lines": [{"item": "PAD-3", "quantity": few(9)}]}),
                ("receive-transfer", {"transfer": self._random.randint(1, 4)}),
                ("drop-count", {"count": self._random.randint(1, 4)}),
            ]
        )  # fmt: skip


ACTS: list[Callable[[Walk, int], tuple[str, dict[str, Any]]]] = [
    *([Walk.plan] * 3),
    *([Walk.of_order] * 5),
    *([Walk.material] * 4),
    *([Walk.report] * 6),
    *([Walk.receive] * 3),
    *([Walk.take_back] * 3),
    *([Walk.correct] * 2),
    *([Walk.buy] * 2),
    *([Walk.store] * 3),
    *([Walk.live] * 5),
    *([Walk.work] * 3),
    *([Walk.deviate] * 2),
    *([Walk.pick] * 3),
    *([Walk.keep] * 2),
    *([Walk.settle] * 6),
    *([Walk.sell] * 3),
    *([Walk.define] * 2),
    Walk.engineer,
    Walk.cost,
]
