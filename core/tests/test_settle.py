"""Late cost: the worked chains, and any chain against a replay of everything from the beginning."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal
from fractions import Fraction

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from poietic_core.quantity import ZERO, allocate, money
from poietic_core.settle.chain import Chain, History, Pool, Receipt, Step, walk
from poietic_core.settle.replay import Event, Share, replay


def came(key: int, quantity: object, value: object = 0, **more: object) -> Event:
    """Return an event of so many pieces, at a value."""
    amount = Decimal(str(quantity)), Decimal(str(value))
    return Event(key=key, quantity=amount[0], value=amount[1], **more)  # type: ignore[arg-type]


def history(
    item: int, level: int, events: Sequence[Event], value: object, **late: object
) -> History:
    """Return the history of an item at moving average; `late` by receipt: r1=200."""
    own = {int(key[1:]): Decimal(str(amount)) for key, amount in late.items()}
    pool = Pool(key=0, events=events, value=Decimal(str(value)))
    return History(item=item, level=level, pools=[pool], late=own)


def told(chain: Chain) -> list[tuple[int, object, Decimal]]:
    """Return the steps that stay: item, cell, amount."""
    return [(s.item, s.cell, s.amount) for s in chain.steps if not s.onward]


class WorkedByHand(SimpleTestCase):
    """The handbook's chains, section 12 and check values "Late cost" (common practice, constructed)."""

    def test_100_received_60_issued_to_30_pieces_20_of_them_delivered(self) -> None:
        plate = history(
            1, 1, [came(1, 100, 1000), came(2, -60, 600, cell="order")], 480 - 80, r1=200
        )
        made = history(2, 0, [came(3, 30, 600), came(4, -20, 400, cell="delivered")], 200)
        receipts = {"order": [Receipt(item=2, key=3, weight=Decimal(600))]}

        chain = walk(
            {1: Decimal(200)}, {1: plate, 2: made}.__getitem__, lambda c: receipts.get(c, [])
        )  # type: ignore[call-overload]

        self.assertEqual(told(chain), [(1, None, 80), (2, None, 40), (2, "delivered", 80)])
        self.assertEqual(chain.late, {(2, 3): Decimal(120)})
        self.assertEqual([s.before for s in chain.steps], [400, 600, 200, 400])

    def test_a_piece_used_in_a_finished_piece_stands_at_12_17_21_24(self) -> None:
        worth, stands = Decimal(12), [Decimal(12)]
        late = ZERO
        for more in (5, 4, 3):
            late += more
            part = history(1, 1, [came(1, 1, 12), came(2, -1, worth, cell="order")], 0, r1=late)
            made = History(item=2, level=0, pools=[Pool(key=0, events=[came(3, 1, 12)], value=worth)], late={3: worth - 12})  # fmt: skip
            at = [Receipt(item=2, key=3, weight=Decimal(12))]

            chain = walk({1: Decimal(more)}, {1: part, 2: made}.__getitem__, lambda c, at=at: at)

            self.assertEqual(told(chain), [(2, None, Decimal(more))])
            worth += chain.corrections[1, 2]
            stands.append(worth)
        self.assertEqual(stands, [12, 17, 21, 24])

        repeated = walk({1: ZERO}, {1: history(1, 1, [came(1, 1, 12), came(2, -1, 24, cell="order")], 0, r1=12)}.__getitem__, lambda c: [])  # fmt: skip

        self.assertEqual(repeated.steps, [])

    def test_a_return_brings_back_the_share_it_took_and_a_split_passes_it_on(self) -> None:
        events = [
            came(1, 10, 100),
            came(2, -8, 80, cell="a"),
            came(3, 2, 20, cell="a"),
            Event(key=4, quantity=ZERO, cell="a", passes=Decimal(3), into="b", value=Decimal(30)),
        ]

        chain = walk(
            {1: Decimal(50)}, {1: history(1, 0, events, 40, r1=50)}.__getitem__, lambda c: []
        )

        # 5 a piece: 4 in stock, 3 in each order
        self.assertEqual(told(chain), [(1, None, 20), (1, "a", 15), (1, "b", 15)])
        self.assertEqual(chain.corrections, {(1, 2): 40, (1, 3): 10})

    def test_layers_are_pools_of_their_own(self) -> None:
        """FIFO of the Call-Mart example (Kieso, ch. 8; from memory, recomputed), its first receipt 0.10 dearer."""
        first = Pool(key=1, events=[came(1, 2000, 8000), came(2, -2000, 8000, cell="issued")])
        second = Pool(key=2, events=[came(3, 6000, 26400), came(4, -2000, 8800, cell="issued")], value=Decimal(17600))  # fmt: skip
        own = History(item=1, level=0, pools=[first, second], late={1: Decimal(200)})

        chain = walk({1: Decimal(200)}, {1: own}.__getitem__, lambda c: [])

        self.assertEqual(told(chain), [(1, "issued", 200)])
        self.assertEqual(chain.steps[0].before, Decimal(16800))

    def test_a_back_dated_entry_is_put_in_its_place(self) -> None:
        """Bought at 10, issued at 10; then it was entered that some had come before at 16."""
        bought, issued = came(1, 10, 100), came(2, -5, 50, cell="order")
        before = came(3, 10, 160)
        pool = Pool(key=0, events=[before, bought, issued], entered=[bought, issued, before], value=Decimal(210))  # fmt: skip
        own = History(item=1, level=0, pools=[pool])

        chain = walk({1: ZERO}, {1: own}.__getitem__, lambda c: [])

        self.assertEqual(told(chain), [(1, None, -15), (1, "order", 15)])

    def test_where_that_order_of_things_has_no_stock_it_is_as_entered(self) -> None:
        bought, issued = came(1, 10, 100), came(2, -5, 50, cell="order")
        pool = Pool(key=0, events=[issued, bought], entered=[bought, issued], value=Decimal(50))

        chain = walk({1: Decimal(20)}, {1: History(item=1, level=0, pools=[pool], late={1: Decimal(20)})}.__getitem__, lambda c: [])  # fmt: skip

        self.assertEqual(told(chain), [(1, None, 10), (1, "order", 10)])

    def test_what_was_taken_back_keeps_the_value_it_had(self) -> None:
        wrong, back = came(2, 10, 300), came(3, -10, 300, undoes=2)
        found = replay([came(1, 10, 100), wrong, back], {1: Decimal(50)}, {})

        assert found
        self.assertEqual((found.value, found.corrections), (150, {}))

    def test_an_issue_that_is_taken_back_brings_all_of_its_correction_back(self) -> None:
        """Also one that an earlier run had carried on: of the 70, 10 were corrected before."""
        events = [came(1, 10, 100), came(2, -5, 70, cell="order"), came(3, 5, 50, cell="order", undoes=2)]  # fmt: skip
        own = history(1, 0, events, 100, r1=40)

        chain = walk({1: Decimal(20)}, {1: own}.__getitem__, lambda c: [])

        self.assertEqual(chain.corrections, {(1, 3): 20})
        self.assertEqual(told(chain), [(1, None, 40), (1, "order", -20)])

    def test_what_comes_back_into_itself_ends_within_a_cent(self) -> None:
        """Rework: half of what an order makes goes into an order that makes the same item again."""
        events = [came(1, 10, 100), came(2, -5, 50, cell="rework"), came(3, 5, 50), came(4, -10, 100, cell="sold")]  # fmt: skip
        own = history(1, 0, events, 0, r1=10)
        again = [Receipt(item=1, key=3, weight=Decimal(50))]

        chain = walk({1: Decimal(10)}, {1: own}.__getitem__, lambda c: again if c == "rework" else [])  # fmt: skip

        self.assertEqual(chain.stays(), 10)
        self.assertLessEqual(abs(chain.rounding.get(1, ZERO)), Decimal("0.01"))

    def test_money_that_would_be_lost_is_a_defect(self) -> None:
        own = history(1, 0, [came(1, 10, 100)], 100)
        with self.assertRaisesMessage(AssertionError, "leaves 5"):
            walk({1: Decimal(5)}, {1: own}.__getitem__, lambda c: [])


# --- any chain

RAW, MID, TOP = 1, 2, 3
LEVEL = {RAW: 2, MID: 1, TOP: 0}
STANDARD = {MID: Decimal(7), TOP: Decimal(20)}


@dataclass
class World:
    """A small works: what is posted, in the order of entry, and what each movement is worth."""

    events: dict[int, list[Event]] = field(default_factory=lambda: {i: [] for i in LEVEL})
    late: dict[int, dict[int, Decimal]] = field(default_factory=lambda: {i: {} for i in LEVEL})
    value: dict[int, Decimal] = field(default_factory=lambda: dict.fromkeys(LEVEL, ZERO))
    quantity: dict[int, Decimal] = field(default_factory=lambda: dict.fromkeys(LEVEL, ZERO))
    receipts: dict[object, list[Receipt]] = field(default_factory=dict)
    lies: dict[tuple[int, object], Share] = field(default_factory=dict)
    keys: int = 0

    def bring(self, item: int, quantity: Decimal, value: Decimal, cell: object = None) -> int:
        """Bring pieces into stock."""
        self.keys += 1
        self.events[item].append(came(self.keys, quantity, value, cell=cell))
        self.value[item] += value
        self.quantity[item] += quantity
        return self.keys

    def issue(self, item: int, quantity: Decimal, cell: object) -> None:
        """Take pieces out at the average."""
        quantity = min(quantity, self.quantity[item])
        if not quantity:
            return
        value = self.value[item]
        if quantity < self.quantity[item]:
            value = money(value * quantity / self.quantity[item])
        self.bring(item, -quantity, -value)
        last = self.events[item].pop()
        self.events[item].append(replace(last, value=value, cell=cell))
        self.lies.setdefault((item, cell), Share()).put(quantity, value, ZERO)

    def give_back(self, item: int, quantity: Decimal, cell: object) -> None:
        """Bring pieces back at what they were issued at."""
        share = self.lies.get((item, cell), Share())
        quantity = min(quantity, share.quantity)
        if not quantity:
            return
        value = share.value if quantity == share.quantity else money(share.value * quantity / share.quantity)  # fmt: skip
        share.put(-quantity, -value, ZERO)
        self.bring(item, quantity, value, cell)

    def carry(self, fresh: Mapping[int, Decimal]) -> Chain:
        """Walk, and take in what the walk corrects."""
        chain = walk(
            fresh,
            lambda i: History(item=i, level=LEVEL[i], pools=[Pool(key=0, events=self.events[i], value=self.value[i])], late=self.late[i]),
            lambda cell: self.receipts.get(cell, []),
        )  # fmt: skip
        for (item, key), more in chain.corrections.items():
            self.events[item] = [replace(e, value=e.value + more) if e.key == key else e for e in self.events[item]]  # fmt: skip
        for (item, key), more in chain.late.items():
            self.late[item][key] = self.late[item].get(key, ZERO) + more
        for step in chain.steps:
            if step.pool is not None:
                self.value[step.item] += step.amount
        return chain

    def from_the_beginning(self) -> dict[tuple[int, object], Fraction]:
        """Return what lies where in the end, unrounded, all of it valued anew: the naive way."""
        worth: dict[tuple[int, object], Fraction] = {}
        charged: dict[object, Fraction] = {}
        for item in (RAW, MID, TOP):
            value = pieces = Fraction(0)
            cells: dict[object, tuple[Fraction, Fraction]] = {}
            for e in self.events[item]:
                q = Fraction(e.quantity)
                if q < 0:
                    part = value * -q / pieces
                    value, pieces = value - part, pieces + q
                    there = cells.get(e.cell, (Fraction(0), Fraction(0)))
                    cells[e.cell] = (there[0] - q, there[1] + part)
                elif e.cell is not None:
                    there = cells[e.cell]
                    part = there[1] * q / there[0]
                    cells[e.cell] = (there[0] - q, there[1] - part)
                    value, pieces = value + part, pieces + q
                else:
                    orders = [
                        (o, r) for o, own in self.receipts.items() for r in own if r.key == e.key
                    ]
                    paid = Fraction(e.value + self.late[item].get(e.key, ZERO))
                    if orders:
                        order, receipt = orders[0]
                        whole = sum((Fraction(r.weight) for r in self.receipts[order]), Fraction(0))
                        paid = charged.get(order, Fraction(0)) * Fraction(receipt.weight) / whole
                    value, pieces = value + paid, pieces + q
            worth[item, None] = value
            for cell, (_, amount) in cells.items():
                if cell in self.receipts:
                    charged[cell] = charged.get(cell, Fraction(0)) + amount
                else:
                    worth[item, cell] = amount
        return worth

    def stands(self) -> dict[tuple[int, object], Decimal]:
        """Return what lies where by the values that were posted and corrected."""
        found: dict[tuple[int, object], Decimal] = {(i, None): v for i, v in self.value.items()}
        for item, events in self.events.items():
            for e in events:
                if e.cell is not None and e.cell not in self.receipts:
                    sign = -1 if e.quantity > 0 else 1
                    found[item, e.cell] = found.get((item, e.cell), ZERO) + sign * e.value
        return found


PIECES = st.integers(1, 40).map(Decimal)
ACTS = st.lists(
    st.one_of(
        st.tuples(st.just("buy"), PIECES, st.integers(100, 2000)),
        st.tuples(
            st.sampled_from(["to mid", "to mid 2", "to top", "mid to top"]), PIECES, st.just(0)
        ),
        st.tuples(st.sampled_from(["back", "sell mid", "sell", "scrap"]), PIECES, st.just(0)),
        st.tuples(st.sampled_from(["make mid", "make mid 2", "make top"]), PIECES, st.just(0)),
    ),
    min_size=4,
    max_size=40,
)


def worked(acts: Sequence[tuple[str, Decimal, int]]) -> World:
    """Return a works in which all that happened, with everything it needs at the beginning."""
    world = World()
    world.bring(RAW, Decimal(50), Decimal("500.00"))
    for act, quantity, price in acts:
        match act:
            case "buy":
                world.bring(RAW, quantity, money(quantity * price / 100))
            case "to mid" | "to mid 2" | "to top":
                world.issue(RAW, quantity, act.removeprefix("to "))
            case "mid to top":
                world.issue(MID, quantity, "top")
            case "back":
                world.give_back(RAW, quantity, "mid")
            case "sell mid":
                world.issue(MID, quantity, "sold")
            case "sell" | "scrap":
                world.issue(TOP, quantity, act)
            case _:
                order = act.removeprefix("make ")
                item = TOP if order == "top" else MID
                weight = money(quantity * STANDARD[item])
                key = world.bring(item, quantity, weight)
                world.receipts.setdefault(order, []).append(
                    Receipt(item=item, key=key, weight=weight)
                )
    return world


class AnyChain(SimpleTestCase):
    """Whatever was bought, made, returned and sold."""

    @given(ACTS, st.lists(st.tuples(st.integers(0, 5), st.integers(-3000, 9000)), min_size=1, max_size=3))  # fmt: skip
    def test_late_costs_end_where_a_replay_of_everything_from_the_beginning_puts_them(
        self, acts: list[tuple[str, Decimal, int]], lates: list[tuple[int, int]]
    ) -> None:
        world = worked(acts)
        provisional = dict.fromkeys((MID, TOP), ZERO)
        for order, own in world.receipts.items():  # what closing them left, over what they made
            issued = [(i, s.value) for (i, cell), s in world.lies.items() if cell == order]
            rest = sum((v for _, v in issued), ZERO) - sum((r.weight for r in own), ZERO)
            parts = allocate(rest, [r.weight for r in own])
            world.late[own[0].item] |= {r.key: p for r, p in zip(own, parts, strict=True)}
            provisional[own[0].item] += rest
        world.carry(provisional)
        bought = [e for e in world.events[RAW] if e.quantity > 0 and e.cell is None]
        for at, cents in lates:
            receipt = bought[at % len(bought)]
            amount = Decimal(cents).scaleb(-2)
            world.late[RAW][receipt.key] = world.late[RAW].get(receipt.key, ZERO) + amount

            chain = world.carry({RAW: amount})

            self.assertEqual(chain.stays(), amount)
        self.assertEqual(world.carry({RAW: ZERO, MID: ZERO, TOP: ZERO}).steps, [])
        exact, cents = world.from_the_beginning(), world.stands()
        most = Fraction(world.keys * 4, 100)  # a cent for each rounding on the way
        for where in {*exact, *cents}:
            difference = abs(exact.get(where, Fraction(0)) - Fraction(cents.get(where, ZERO)))
            self.assertLessEqual(difference, most, where)

    def test_a_step_names_what_it_goes_on_into(self) -> None:
        world = worked([("to mid", Decimal(20), 0), ("make mid", Decimal(10), 0)])
        world.late[RAW][1] = Decimal(10)

        steps: list[Step] = world.carry({RAW: Decimal(10)}).steps

        self.assertEqual([(s.item, s.cell, s.amount, s.onward) for s in steps], [(RAW, None, 6, ()), (RAW, "mid", 4, (MID,)), (MID, None, 4, ())])  # fmt: skip
