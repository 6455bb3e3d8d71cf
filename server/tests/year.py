"""Everything that can be done, once: each command over HTTP, on things named after the round."""

from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pyotp
from django.core.files.uploadedfile import SimpleUploadedFile
from django.utils import timezone
from poietic.people.models import Person

from .client import PASSWORD, Caller

#: told the name of a command and what carries it out
Around = Callable[[str, Callable[[], Any]], Any]


#: a picture of one pixel
DOT = b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR\0\0\0\1\0\0\0\1\x08\0\0\0\0:~\x9bU\0\0\0\nIDATx\x9cc`\0\0\0\2\0\1H\xaf\xa4q\0\0\0\0IEND\xaeB`\x82"


class Year:
    """One round of everything, by an administrator who holds all roles."""

    def __init__(self, caller: Caller, n: int, around: Around) -> None:
        self._caller = caller
        self._n = n
        self._around = around
        self._day = timezone.localdate()

    def do(self, name: str, /, **given: Any) -> Any:
        """Carry out a command that has to succeed."""
        return self._around(name, lambda: self._caller.must(name, given))

    def on(self, days: int) -> str:
        """Return a day from today."""
        return (self._day + timedelta(days=days)).isoformat()

    def go(self) -> None:
        """Do everything."""
        self.shop()
        self.items()
        self.structures()
        self.standards()
        self.order()
        self.stores()
        self.buying()
        self.books()
        self.selling()
        self.picking()
        self.life()
        self.deviations()
        self.changes()
        self.persons()

    def shop(self) -> None:
        """Calendars, work centers, rates, places."""
        n = self._n
        self.do("define-site", code=f"SITE{n}", name="Works")
        self.do("change-site", code=f"SITE{n}", address="1 Mill Lane")
        self.do("define-place", code=f"ST{n}", name=f"Store {n}", kind="store", site=f"SITE{n}")
        self.do("change-place", code=f"ST{n}", name=f"Large store {n}")
        self.do("define-reason", code=f"R{n}", name=f"Broken {n}", use="scrap", is_written_off=True)
        self.do("define-partner", code=f"SUP{n}", name="Supplier", is_supplier=True)
        self.do("change-partner", code=f"SUP{n}", name="Better supplier", is_customer=True)
        shifts = [{"weekday": d, "start": 360, "end": 840} for d in range(5)]
        self.do("define-calendar", code=f"CAL{n}", name="Early", shifts=shifts)
        self.do("change-calendar", code=f"CAL{n}", shifts=[s | {"end": 900} for s in shifts])
        self.do("close-days", calendar=f"CAL{n}", first=self.on(30), last=self.on(31))
        self.do("open-days", calendar=f"CAL{n}", first=self.on(31), last=self.on(31))
        feast = {"first": self.on(40), "last": self.on(40), "why": "Feast"}
        self.do("close-holidays", calendar=f"CAL{n}", holidays=[feast])
        self.do("add-shift", calendar=f"CAL{n}", day=self.on(41), start=900, end=960)
        self.do("define-work-center", code=f"WC{n}", name="Bench", machine_rate="12", labour_rate="30", calendar=f"CAL{n}")  # fmt: skip
        self.do("change-work-center", code=f"WC{n}", machines=2)
        layers = [{"name": "machine", "element": "machine", "amount": "14"}]
        self.do("set-rates", work_center=f"WC{n}", labour_rate="31", layers=layers)
        self.do("define-labour-grade", code=f"G{n}", name="Fitter", rate="33")
        self.do("set-grade-rate", grade=f"G{n}", rate="34", effective_from=self.on(0))
        budget = {"name": "Hall", "element": "fixed overhead", "base": "machine hours", "work_center": f"WC{n}", "effective_until": self.on(90), "budget": "5000", "capacity": "1000"}  # fmt: skip
        self.do("set-overhead", code=f"OH{n}", effective_from=self.on(0), **budget)
        self.do("set-overhead", code=f"XH{n}", effective_from=self.on(0), **budget)
        self.do("drop-overhead", code=f"XH{n}", effective_from=self.on(0))

    def items(self) -> None:
        """Items with prices, papers, notes; one of them comes by file."""
        n = self._n
        for code, source in (("BUY", "buy"), ("ALT", "buy"), ("OLD", "buy"), ("TOP", "make"), ("SUB", "make"), ("ASM", "make")):  # fmt: skip
            price = {"price": "2"} if source == "buy" else {"standard_lot": "10"}
            self.do("define-item", code=f"{code}{n}", name=f"{code.title()} {n}", unit="pcs", source=source, **price)  # fmt: skip
        self.do("change-item", code=f"BUY{n}", price="2.10", safety_stock="5")
        self.do("set-prices", item=f"BUY{n}", prices=[{"supplier": f"SUP{n}", "price": "2.05"}])
        self.do("set-list-prices", item=f"TOP{n}", prices=[{"price": "90"}])
        self.do("write-note", kind="item", code=f"BUY{n}", text="Handle with gloves")
        for name in ("dot", "lap"):
            self.do("attach-document", item=f"BUY{n}", file=self.picture(f"{name}{n}.png"))
        self.do("detach-document", item=f"BUY{n}", name=f"dot{n}.png")
        table = f"code,name,unit,source,price\nNEW{n},New,pcs,buy,0.20\n".encode()
        upload = self.brought("uploads", SimpleUploadedFile("items.csv", table))["upload"]
        self.do("import-tables", upload=upload)

    def picture(self, name: str) -> int:
        """Bring a picture and return its number."""
        return int(self.brought("files", SimpleUploadedFile(name, DOT, "image/png"))["file"])

    def brought(self, path: str, file: SimpleUploadedFile) -> Any:
        """Bring a file and return what the server says of it."""
        answer = self._caller.client.post(f"/api/{path}", {"file": file})
        assert answer.status_code == 200, answer.content
        return answer.json()

    def structures(self) -> None:
        """A product of a part that passes through and of bought ones, on its way into force."""
        n = self._n
        assemble = [{"number": 10, "name": "Assemble", "work_center": f"WC{n}", "labour_grade": f"G{n}", "run_labour_hours": "0.2", "run_machine_hours": "0.1", "setup_machine_hours": "0.5"}]  # fmt: skip
        for item, parts in (("SUB", {"BUY": "2"}), ("ASM", {"OLD": "1"}), ("TOP", {"BUY": "1", "SUB": "1"})):  # fmt: skip
            components = [{"item": f"{c}{n}", "operation": 10, "quantity": q} for c, q in parts.items()]  # fmt: skip
            self.do("draft-structure", item=f"{item}{n}", operations=assemble, components=components)  # fmt: skip
            if item == "SUB":
                self.do("submit-structure", item=f"SUB{n}")
                self.do("send-back-structure", item=f"SUB{n}")
            self.do("approve-structure", item=f"{item}{n}")
        self.do("change-phantom", item=f"SUB{n}", is_phantom=True)

    def standards(self) -> None:
        """Standards frozen, a next set put in force, a what-if, another valuation."""
        n = self._n
        self.do("freeze-standard")
        self.do("roll-up-next")
        sets = self._caller.get("cost-sets")
        self.do("activate-set", cost_set=next(s["number"] for s in sets if s["state"] == "next"))
        change = {"kind": "price", "code": f"BUY{n}", "by": "0.1"}
        self.do("write-what-if", name=f"Dearer {n}", changes=[change])
        self.do("drop-what-if", name=f"Dearer {n}")

    def order(self) -> None:
        """An order from its plan to the closed bridge; a second one is dropped."""
        n = self._n
        lines = [{"item": f"{c}{n}", "quantity": "90", "price": "2", "place": f"ST{n}"} for c in ("BUY", "ALT")]  # fmt: skip
        self.do("receive-material", lines=lines)
        self.do("change-valuation", item=f"ALT{n}", valuation="FIFO layers")
        planned = {"item": f"TOP{n}", "due": self.on(9), "supply_place": f"ST{n}", "receipt_place": f"ST{n}"}  # fmt: skip
        other = int(self.do("plan-order", quantity="3", **planned)["made"]["order"])
        self.do("cancel-order", order=other)
        halves = int(self._caller.must("plan-order", planned | {"quantity": "4"})["made"]["order"])
        self._caller.must("release-order", {"order": halves})
        half = int(self.do("split-order", order=halves, quantity="1")["made"]["order"])
        self.do("merge-orders", order=half, into=halves)
        self._caller.must("cancel-order", {"order": halves})
        order = int(self.do("plan-order", quantity="10", **planned)["made"]["order"])
        self.do("change-order", order=order, due=self.on(10))
        self.do("make-firm", order=order)
        self.do("rederive-order", order=order)
        self.do("leave-to-planning", order=order)
        self.do("release-order", order=order)
        copy = int(self.do("copy-order", order=order, due=self.on(20))["made"]["order"])
        two = self.do("plan-orders", orders=[planned | {"quantity": q} for q in ("1", "2")])
        several = [copy, *map(int, two["made"]["orders"].split(","))]
        self.do("release-orders", orders=several)
        for one in several:
            self.do("withdraw-release", order=one)
            self._caller.must("cancel-order", {"order": one})
        inputs = self._caller.get(f"orders/{order}")["inputs"]
        at = next(i["operation"] for i in inputs if i["code"] == f"BUY{n}")
        last = max(i["operation"] for i in inputs)
        line = {"item": f"BUY{n}", "operation": at}
        self.do("issue-material", order=order, lines=[line | {"quantity": "31"}])
        self.do("return-material", order=order, lines=[line | {"quantity": "1"}])
        for number in sorted({i["operation"] for i in inputs}):
            good = {"order": order, "operation": number, "good": "9"}
            scrap = [{"reason": f"R{n}", "quantity": "1"}]
            said = self.do("report", **good) if number == last else self._caller.must("report", good | {"scrap": scrap})  # fmt: skip
        corrected = good | {"run_labour_hours": "2.5"}
        self.do("correct-report", posting=said["postings"][0], report=corrected)
        received = self.do("receive", order=order, quantity="8")
        self.do("take-back", posting=received["postings"][-1])
        self._caller.must("receive", {"order": order, "quantity": "9"})
        self.do("complete-order", order=order)
        self.do("close-order", order=order)

    def stores(self) -> None:
        """Stock that moves, is counted, scrapped, sent to another site; lots."""
        n = self._n
        here = {"item": f"ALT{n}", "place": f"ST{n}"}
        line = {"item": f"ALT{n}", "quantity": "4"}
        self.do("define-place", code=f"FL{n}", name=f"Bench {n}", kind="floor", site=f"SITE{n}")
        self._caller.must("define-site", {"code": f"HILL{n}", "name": "Hill works"})
        self._caller.must("define-place", {"code": f"HI{n}", "name": "Hill", "kind": "store", "site": f"HILL{n}"})  # fmt: skip
        self._caller.must("define-reason", {"code": f"A{n}", "name": "Counted", "use": "adjustment"})  # fmt: skip
        self.do("move-stock", from_place=f"ST{n}", to_place=f"FL{n}", lines=[line])
        self.do("scrap-stock", **here, quantity="1", why=f"R{n}")
        self.do("adjust-stock", **here, on_hand="80", why=f"A{n}")
        sent = self.do("send-transfer", from_place=f"ST{n}", to_place=f"HI{n}", lines=[line])
        came = {"item": f"ALT{n}", "arrived": "3", "missing": "1"}
        self.do("receive-transfer", transfer=int(sent["made"]["transfer"]), lines=[came], why=f"A{n}")  # fmt: skip
        count = int(self.do("open-count", item=f"ALT{n}", tolerance="1")["made"]["count"])
        counted = [{"item": f"ALT{n}", "place": p, "counted": q} for p, q in ((f"ST{n}", "75"), (f"FL{n}", "4"), (f"HI{n}", "3"))]  # fmt: skip
        self.do("enter-count", count=count, lines=counted)
        self.do("post-count", count=count, why=f"A{n}")
        other = int(self._caller.must("open-count", {"place": f"FL{n}"})["made"]["count"])
        self.do("drop-count", count=other)
        self._caller.must("define-item", {"code": f"LOT{n}", "name": f"Lot {n}", "unit": "pcs", "source": "buy", "price": "2", "tracking": "lot", "number_rule": "L{number}"})  # fmt: skip
        lots = [{"lot": lot, "quantity": "9"} for lot in ("L1", "L2")]
        self._caller.must("receive-material", {"lines": [{"item": f"LOT{n}", "quantity": "18", "price": "2", "place": f"ST{n}", "lots": lots}]})  # fmt: skip
        lot = {"item": f"LOT{n}", "lot": "L1"}
        self.do("split-lot", **lot, place=f"ST{n}", quantity="3", into="L3")
        self.do("join-lots", **lot, place=f"ST{n}", into="L2")
        self.do("judge-lot", **lot, state="quarantined", reason="scratched")
        self.do("correct-lot", **lot, supplier_code=f"S{n}", reason="read again")

    def buying(self) -> None:
        """Ordered of a supplier, confirmed, changed, partly received, some sent back, invoiced, finished."""
        n = self._n
        line = {"item": f"BUY{n}", "quantity": "9", "place": f"ST{n}", "comes_on": self.on(5)}
        draft = self.do("draft-purchase", supplier=f"SUP{n}", lines=[line])["made"]
        purchase = int(draft["purchase"])
        self.do("send-purchase", purchase=purchase)
        self.do("confirm-purchase", purchase=purchase, lines=[{"line": 1, "comes_on": self.on(7)}])
        self.do("change-purchase", purchase=purchase, lines=[{"line": 1, "quantity": "10"}], add=[line])  # fmt: skip
        self.do("receive-purchase", purchase=purchase, lines=[{"line": 1, "quantity": "8"}])
        came = self._caller.get(f"purchases/{purchase}")["lines"][0]["deliveries"][0]
        self.do("return-to-supplier", delivery=came["delivery"], quantity="2", reason="bent")
        asked = {"purchase": purchase, "line": 1, "quantity": "6", "amount": "13.20"}
        self.do("post-invoice", supplier=f"SUP{n}", number=f"R{n}", dated=self.on(0), lines=[asked])
        self.do("finish-purchase", purchase=purchase)
        copied = int(self.do("copy-purchase", purchase=purchase)["made"]["purchase"])
        self.do("cancel-purchase", purchase=copied)
        missing = self.do("buy-missing", lines=[{"item": f"BUY{n}", "quantity": "3"}])["made"]
        self._caller.must("cancel-purchase", {"purchase": int(missing["purchase"])})

    def books(self) -> None:
        """Delivered before its invoice came higher, carried on; a month closed and opened again; orders closed together."""
        n = self._n
        line = {"item": f"BUY{n}", "quantity": "5", "price": "2", "place": f"ST{n}", "comes_on": self.on(1)}  # fmt: skip
        drafted = {"supplier": f"SUP{n}", "lines": [line], "send": True}
        purchase = int(self._caller.must("draft-purchase", drafted)["made"]["purchase"])
        self._caller.must("receive-purchase", {"purchase": purchase, "lines": [{"line": 1, "quantity": "5"}]})  # fmt: skip
        sold = {"item": f"BUY{n}", "quantity": "4", "price": "9", "customer_line": "1"}
        self.do("deliver", customer=f"SUP{n}", customer_order="77", place=f"ST{n}", lines=[sold])
        asked = {"purchase": purchase, "line": 1, "quantity": "5", "amount": "15"}
        self._caller.must("post-invoice", {"supplier": f"SUP{n}", "number": f"L{n}", "dated": self.on(0), "lines": [asked]})  # fmt: skip
        self.do("carry-late-cost")
        before = (self._day.replace(day=1) - timedelta(days=5)).isoformat()
        old = {"item": f"BUY{n}", "quantity": "1", "price": "2", "place": f"ST{n}"}
        self._caller.must("receive-material", {"lines": [old], "happened_at": f"{before}T08:00:00Z"})  # fmt: skip
        cost = {"work_center": f"WC{n}", "kind": "labour", "amount": "120"}
        self.do("enter-actual-cost", month=before, costs=[cost])
        self.do("close-period", month=before, at_standard=True)
        self.do("reopen-period", month=before, reason="payroll is missing")
        self.do("set-closing-rule", is_on=False, most_variance="20", days=3)
        self.do("set-variance-threshold", item=f"TOP{n}", amount="50", share="0.05")
        self.do("set-account-code", account="stock", item=f"BUY{n}", code=f"14{n}")
        order = self._caller.get("orders", states="closed")["rows"][-1]["number"]
        self.do("follow-up-variance", order=order, cause="price", note="looked into")
        planned = {"item": f"TOP{n}", "quantity": "1", "due": self.on(9), "supply_place": f"ST{n}", "receipt_place": f"ST{n}"}  # fmt: skip
        short = int(self._caller.must("plan-order", planned)["made"]["order"])
        self._caller.must("release-order", {"order": short})
        self._caller.must("complete-order", {"order": short})
        self.do("close-orders", orders=[short], most_variance="5")

    def selling(self) -> None:
        """An offer that becomes an order, in parts delivered; a forecast; the plan, and what becomes of it."""
        n, call = self._n, self._caller.must
        line = {"item": f"BUY{n}", "quantity": "3", "wanted_on": self.on(20), "price": "9"}
        made = self.do("enter-customer-order", customer=f"SUP{n}", lines=[line], is_offer=True)
        number = int(made["made"]["customer order"])
        self.do("accept-offer", customer_order=number)
        self.do(
            "add-customer-lines",
            customer_order=number,
            lines=[line | {"item": f"TOP{n}", "quantity": "900"}],
        )
        self.do("change-customer-line", customer_order=number, line=1, promised_on=self.on(25))
        stock = {"item": f"BUY{n}", "quantity": "1", "price": "2", "place": f"ST{n}"}
        call("receive-material", {"lines": [stock]})
        part = [{"line": 1, "quantity": "1"}]
        self.do("deliver-ordered", customer_order=number, place=f"ST{n}", lines=part)
        foreseen = {"item": f"BUY{n}", "first_day": self.on(30), "last_day": self.on(57)}
        self.do("enter-forecast", forecasts=[foreseen | {"quantity": "8000"}])
        for act in ("draft-line-structure", "approve-line-structure", "give-up-line-structure"):
            self.do(act, customer_order=number, line=2)
        made = self.do("make-to-order", customer_order=number, buys=False)["made"]["orders"]
        for order in made.split(","):
            call("cancel-order", {"order": int(order)})
        self.do("try-plan", demand="150")
        self.do("run-plan", horizon=60)
        self.do("plan-changes")
        rows = self._caller.get("plan/proposals", filter=f"{n}", limit=200)["rows"]
        bought = [r["proposal"] for r in rows if r["item"] == f"BUY{n}"]
        top = next(r["proposal"] for r in rows if r["item"] == f"TOP{n}")
        purchases = self.do("accept-proposals", proposals=bought[:1])["made"]["purchases"]
        call("cancel-purchase", {"purchase": int(purchases)})
        self.do("decline-proposals", proposals=bought[1:2], reason="later", until=self.on(9))
        self.do("propose-again", item=f"BUY{n}")
        orders = self.do("accept-changed", proposal=top, quantity="2")["made"]["orders"]
        call("cancel-order", {"order": int(orders)})
        self.do("end-customer-order", customer_order=number)
        self.do("reopen-customer-order", customer_order=number)

    def picking(self) -> None:
        """An order released in parts, picked onto a carrier, short, put back, issued; a tree; labels and views."""
        n = self._n
        self.do("define-carrier", code=f"BOX{n}", stands_at=f"ST{n}")
        planned = {"item": f"TOP{n}", "due": self.on(9), "supply_place": f"ST{n}", "receipt_place": f"ST{n}"}  # fmt: skip
        order = int(self._caller.must("plan-order", planned | {"quantity": "4"})["made"]["order"])
        self.do("release-part", order=order, quantity="2")
        made = self.do("make-pick-list", orders=[{"order": order}], to_place=f"FL{n}")
        line = self._caller.get(f"picks/{made['made']['pick list']}")["lines"][0]["line"]
        self.do("pick", line=line, quantity="3", target=f"BOX{n}")
        self.do("put-back", line=line, quantity="1")
        self.do("pick-short", line=line, how="later")
        self.do("move-carrier", carrier=f"BOX{n}", to_place=f"FL{n}")
        self.do("issue-picked", order=order)
        self._caller.must("complete-order", {"order": order})
        self._caller.must("close-order", {"order": order})
        tree = self.do("plan-tree", **planned, quantity="2")["made"]["orders"]
        for one in tree.split(","):
            self._caller.must("cancel-order", {"order": int(one)})
        self.do("print-labels", labels=[{"kind": "place", "code": f"ST{n}"}])
        self.do("save-view", page="orders", name=f"View {n}", query="where=late:>0")
        self.do("drop-view", page="orders", name=f"View {n}")

    def _weigh(self, planned: dict[str, str]) -> None:
        """An order whose operation gives chips, weighed after it."""
        n, call = self._n, self._caller.must
        call(
            "define-item",
            {"code": f"CHIP{n}", "name": "Chips", "unit": "kg", "source": "buy", "price": "1"},
        )
        call("define-item", {"code": f"TURN{n}", "name": "Turned", "unit": "pcs", "source": "make"})
        operation = {"number": 10, "name": "Turn", "work_center": f"WC{n}", "run_labour_hours": "0.1"}  # fmt: skip
        coat = {"number": 20, "name": "Coat", "work_center": f"WC{n}", "supplier": f"SUP{n}", "subcontract_price": "3", "payment_basis": "pieces sent", "days_out": "4"}  # fmt: skip
        call(
            "draft-structure",
            {
                "item": f"TURN{n}",
                "operations": [operation, coat],
                "components": [],
                "outputs": [{"item": f"CHIP{n}", "operation": 10, "quantity": "0.5"}],
            },
        )
        call("approve-structure", {"item": f"TURN{n}"})
        call("freeze-standard", {})
        made = call("plan-order", planned | {"item": f"TURN{n}", "quantity": "2"})["made"]["order"]
        call("release-order", {"order": int(made)})
        self.do(
            "do-operation-inside",
            order=int(made),
            operation=20,
            work_center=f"WC{n}",
            run_labour_hours="0.2",
            reason="no time",
        )
        call("report", {"order": int(made), "operation": 10, "good": "1", "rework": "1"})
        self.do(
            "plan-rework",
            order=int(made),
            operation=10,
            name="Again",
            work_center=f"WC{n}",
            run_labour_hours="0.5",
        )
        call(
            "report",
            {
                "order": int(made),
                "operation": 10,
                "good": "1",
                "of_rework": True,
                "run_labour_hours": "0.5",
            },
        )
        self.do("weigh-by-product", item=f"CHIP{n}", quantity="1.2")
        call("unwind", {"orders": [int(made)], "to": "nothing"})
        self._send_out(planned | {"item": f"TURN{n}", "quantity": "2"})

    def _send_out(self, planned: dict[str, str]) -> None:
        """An order that goes to a supplier, and all of it taken back."""
        call = self._caller.must
        order = int(call("plan-order", planned)["made"]["order"])
        purchase = int(call("release-order", {"order": order})["made"]["purchases"])
        call("send-purchase", {"purchase": purchase})
        name = f"SUP{self._n}"
        self.do("set-stand-in", supplier=name, late=10)
        self.do("set-supplier-times", supplier=name, transport_days="1")
        self.do(
            "send-operation-out",
            order=order,
            operation=10,
            supplier=name,
            price="2",
            days_out="1",
            reason="no time",
        )
        call("report", {"order": order, "operation": 10, "good": "2"})
        self.do("ship-to-supplier", order=order, operation=20, quantity="2")
        call("receive-purchase", {"purchase": purchase})
        call("unwind", {"orders": [order], "to": "nothing"})

    def life(self) -> None:
        """An order that stands still, goes on, is kept, taken back as a whole, and finished short."""
        n = self._n
        self._caller.must("define-reason", {"code": f"H{n}", "name": "Waits", "use": "hold"})
        planned = {"item": f"TOP{n}", "due": self.on(9), "supply_place": f"ST{n}", "receipt_place": f"ST{n}"}  # fmt: skip
        order = int(self._caller.must("plan-order", planned | {"quantity": "4"})["made"]["order"])
        self._caller.must("release-order", {"order": order})
        self.do("charge-extra", order=order, operation=10, amount="5", reason="testing fee")
        for name in ("dot", "lap"):
            self.do(
                "attach-order-document",
                order=order,
                operation=10,
                file=self.picture(f"{name}{n}.png"),
            )
        self.do("detach-order-document", order=order, name=f"dot{n}.png")
        self.do("hold-order", order=order, why=f"H{n}")
        self.do("resume-order", order=order)
        self.do("keep-order", order=order, until=self.on(30), reason="for the fair")
        operations = sorted({i["operation"] for i in self._caller.get(f"orders/{order}")["inputs"]})
        for act in ("start-operation", "pause-operation", "finish-operation"):
            self.do(act, order=order, operation=10)
        self._caller.must("start-operation", {"order": order, "operation": 10})
        for time in ("first", "second"):
            rows = [{"order": order, "operation": number, "good": "2"} for number in operations]
            self.do("post-shift", rows=rows)
            if time == "first":
                self.do("unwind", orders=[order])
        self._weigh(planned)
        self._caller.must("receive", {"order": order, "quantity": "2"})
        self.do("finish-short", order=order, reason="enough")
        self._caller.must("close-order", {"order": order})

    def deviations(self) -> None:
        """An order made otherwise than its structure says, and by a later revision in the end."""
        n = self._n
        planned = {"item": f"TOP{n}", "due": self.on(9), "supply_place": f"ST{n}", "receipt_place": f"ST{n}"}  # fmt: skip
        order = int(self._caller.must("plan-order", planned | {"quantity": "2"})["made"]["order"])
        self._caller.must("release-order", {"order": order})
        last = self._caller.get(f"orders/{order}")["operations"][-1]["number"]
        at: dict[str, Any] = {"order": order, "operation": last, "reason": "trial"}
        self.do("add-component", item=f"ALT{n}", quantity="1", **at)
        self.do("change-component", item=f"ALT{n}", quantity="2", **at)
        self.do("allow-alternate", item=f"ALT{n}", alternate=f"OLD{n}", **at)
        self.do("substitute-component", item=f"ALT{n}", instead=f"OLD{n}", **at)
        self.do("drop-component", item=f"OLD{n}", **at)
        more = at | {"operation": last + 5}
        self.do("add-operation", name="Wash", work_center=f"WC{n}", run_labour_hours="0.1", **more)
        self.do("change-operation", run_labour_hours="0.2", **more)
        self._caller.must("define-work-center", {"code": f"WD{n}", "name": "Other", "machine_rate": "1", "labour_rate": "2"})  # fmt: skip
        self.do("move-operation", work_center=f"WD{n}", **more)
        self.do("drop-operation", **more)
        self.do("replenish-order", order=order)
        self.do("accept-less", order=order)
        draft = {"item": f"TOP{n}", "operations": [{"number": 10, "name": "Assemble", "work_center": f"WC{n}"}], "components": [{"item": f"BUY{n}", "operation": 10, "quantity": "1"}]}  # fmt: skip
        self._caller.must("draft-structure", draft)
        self._caller.must("approve-structure", {"item": f"TOP{n}"})
        self.do("adopt-revision", order=order, reason="simpler")
        self._caller.must("cancel-order", {"order": order})

    def changes(self) -> None:
        """What replaces a component everywhere, and what is no longer made."""
        n = self._n
        self.do("replace-component", item=f"OLD{n}", by=f"ALT{n}", ratio="1", effective_from=self.on(0))  # fmt: skip
        self.do("retire-structure", item=f"ASM{n}", effective_to=self.on(1))

    def persons(self) -> None:
        """A person who comes, proves herself, and goes."""
        name = f"pat{self._n}"
        self.do("add-person", name=name, full_name="Pat Example", password=PASSWORD, roles=["viewer"])  # fmt: skip
        self.do("set-roles", name=name, roles=["storekeeper"])
        own = Caller(Person.objects.get(name=name))
        words = {"present": PASSWORD, "password": f"{PASSWORD} for {name}"}
        self._around("change-password", lambda: own.must("change-password", words))
        self.do("give-code", name=name, code="a code for one time")
        self.do("end-sessions", name=name)
        own = Caller(Person.objects.get(name=name))
        secret = own.get("me/second-factor")["secret"]
        code = pyotp.TOTP(secret).at(timezone.now())
        self._around("set-second-factor", lambda: own.must("set-second-factor", {"secret": secret, "code": code}))  # fmt: skip
        self.do("drop-second-factor", name=name)
        self.do("deactivate-person", name=name)
        self.do("activate-person", name=name)
        self.do("close-demo")
