"""Standard cost: by hand, and against the gozinto matrix."""

from dataclasses import replace
from datetime import date
from decimal import Decimal

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from poietic_core.cost.clearing import receipt_credit
from poietic_core.cost.model import Element
from poietic_core.cost.rates import Rate, Rates, ShopRates
from poietic_core.cost.rollup import ItemFacts, roll_up
from poietic_core.cost.unit import standard_cells
from poietic_core.quantity import money
from poietic_core.structure.model import (
    ComponentLine,
    Operation,
    OutputKind,
    OutputLine,
    Per,
    ShareRule,
    Structure,
)
from poietic_core.units import NoConversion
from scipy.linalg import solve


def hourly(labour: str, machine: str) -> Rates:
    """Return a work center's rates, the machine's in one layer."""
    return Rates(labour=Decimal(labour), machine=Rate.plain(Element.MACHINE, Decimal(machine)))


RATES = ShopRates({"MILL": hourly("24", "40"), "ASSY": hourly("32", "0")})


def facts(
    code: str, structure: Structure | None = None, price: str | None = None, lot: str = "1"
) -> ItemFacts:
    """Return what the roll-up knows of an item."""
    return ItemFacts(
        code=code,
        unit="pcs",
        is_made=price is None,
        standard_lot=Decimal(lot),
        price=None if price is None else Decimal(price),
        structure=structure,
    )


def mirror_cell() -> Structure:
    """Return the structure of the handbook's constructed order."""
    return Structure(
        item="CELL",
        operations=(
            Operation(
                number=10,
                name="Mill",
                work_center="MILL",
                setup_labour_hours=Decimal(1),
                setup_machine_hours=Decimal(1),
                run_labour_hours=Decimal("0.25"),
                run_machine_hours=Decimal("0.25"),
                yield_share=Decimal("0.95"),
            ),
            Operation(
                number=20, name="Assemble", work_center="ASSY", run_labour_hours=Decimal("0.2")
            ),
        ),
        components=(
            ComponentLine(item="PLATE", operation=10, quantity=Decimal("2.40")),
            ComponentLine(item="PAD", operation=20, quantity=Decimal(9)),
            ComponentLine(item="SET", operation=20, quantity=Decimal(1)),
        ),
        outputs=(
            OutputLine(
                item="SWARF", operation=10, quantity=Decimal("1.10"), credit_price=Decimal("1.20")
            ),
        ),
    )


class RollUp(SimpleTestCase):
    """From prices, rates and structures to unit costs."""

    def items(self) -> dict[str, ItemFacts]:
        """Return the items of the constructed order."""
        bought = {"PLATE": "6.50", "PAD": "0.42", "SET": "8.15", "SWARF": "1.20"}
        return {c: facts(c, price=p) for c, p in bought.items()} | {
            "CELL": facts("CELL", mirror_cell(), lot="20")
        }

    def test_constructed_standard(self) -> None:
        """53.403684, worked out by hand in the handbook (check values, one order, all causes)."""
        rolled = roll_up(self.items(), RATES)

        cost = rolled.costs["CELL"].cost
        self.assertEqual(cost.total(), Decimal("53.403684"))
        by_hand = {  # 6.5 × 2.4 / .95 + 9 × .42 + 8.15; 24/20; .25 × 24/.95 + 6.4; 40/20 + 10/.95; 1.32/.95
            Element.MATERIAL: "28.351053",
            Element.SETUP_LABOUR: "1.200000",
            Element.RUN_LABOUR: "12.715789",
            Element.MACHINE: "12.526316",
            Element.BY_PRODUCT: "-1.389474",
        }
        self.assertEqual(cost.by_element(), {e: Decimal(v) for e, v in by_hand.items()})

    def test_what_is_missing_is_listed_upwards_and_never_zero(self) -> None:
        items = self.items()
        items["PAD"] = ItemFacts(
            code="PAD",
            unit="pcs",
            is_made=False,
            standard_lot=Decimal(1),
            price=None,
            structure=None,
        )

        rolled = roll_up(items, ShopRates({"ASSY": RATES.centers["ASSY"]}))

        self.assertEqual([m.item for m in rolled.missing], ["PAD", "CELL"])
        self.assertNotIn("CELL", rolled.costs)

    def test_what_can_t_be_costed_is_told_with_its_reason_and_stops_nothing_else(self) -> None:
        cell = mirror_cell()
        ring = OutputLine(item="RING", operation=10, quantity=Decimal(1), kind=OutputKind.CO_PRODUCT, weight=Decimal("0.5"))  # fmt: skip
        dear = replace(cell.outputs[0], credit_price=Decimal(200))
        looped = ComponentLine(item="HOUSE", operation=10, quantity=Decimal(1))
        ended = replace(RATES, ended={"FAC": ("MILL", date(2026, 6, 30))})
        joint = replace(cell, outputs=(ring,), share_rule=ShareRule.FIXED, main_weight=Decimal(1))
        unrated = ShopRates({"ASSY": RATES.centers["ASSY"]})
        kilograms = NoConversion("kg", "pcs", "CELL")
        for reason, changed, rates in (
            ("lot of CELL is 0", replace(facts("CELL", cell), standard_lot=Decimal(0)), RATES),
            ("add up to 1.5", facts("CELL", joint), RATES),
            ("credit more than it costs", facts("CELL", replace(cell, outputs=(dear,))), RATES),
            ("CELL → HOUSE → CELL", facts("CELL", replace(cell, components=(looped,))), RATES),
            ("FAC, whose budget ended on 2026-06-30", facts("CELL", cell), ended),
            ("MILL, which has no rate", facts("CELL", cell), unrated),
            ("kg", replace(facts("CELL"), fault=kilograms), RATES),
            *(
                (
                    words,
                    facts(
                        "CELL",
                        replace(
                            cell,
                            **{
                                part: (
                                    replace(getattr(cell, part)[0], **wrong),
                                    *getattr(cell, part)[1:],
                                )
                            },
                        ),
                    ),
                    RATES,
                )
                for words, part, wrong in (
                    (
                        "run quantity of operation 10 is 0",
                        "operations",
                        {"run_quantity": Decimal(0)},
                    ),
                    (
                        "run labour hours of operation 10",
                        "operations",
                        {"run_labour_hours": Decimal(-1)},
                    ),
                    ("yield of operation 10 is 0", "operations", {"yield_share": Decimal(0)}),
                    ("allowance of a component line", "components", {"allowance": Decimal(-1)}),
                    ("unit of a component line", "components", {"unit_factor": Decimal(0)}),
                    ("more than 34 digits", "components", {"quantity": Decimal("1e30")}),
                )
            ),
        ):
            with self.subTest(reason):
                # the others are rolled up all the same
                house = Structure(
                    item="HOUSE",
                    operations=(Operation(number=10, name="Fit", work_center="ASSY"),),
                    components=(ComponentLine(item="CELL", operation=10, quantity=Decimal(1)),),
                )
                beside = {"RING": facts("RING"), "HOUSE": facts("HOUSE", house)}

                rolled = roll_up(self.items() | beside | {"CELL": changed}, rates)

                why = {m.item: m.why for m in rolled.missing}
                self.assertIn(reason, why["CELL"])
                self.assertIn("HOUSE", why)
                self.assertFalse({"CELL", "HOUSE"} & rolled.costs.keys())
                self.assertEqual(rolled.costs["PAD"].price, Decimal("0.42"))

    def test_a_price_beyond_all_digits_is_a_lack_of_its_item(self) -> None:
        rolled = roll_up(self.items() | {"PAD": facts("PAD", price="1e30")}, RATES)

        why = {m.item: m.why for m in rolled.missing}
        self.assertIn("more than 34 digits", why["PAD"])
        self.assertIn("uses PAD, which has no cost", why["CELL"])
        self.assertEqual(rolled.costs["SET"].price, Decimal("8.15"))

    @given(st.integers(2, 7).flatmap(lambda n: st.tuples(
        st.just(n),
        st.lists(st.tuples(st.integers(0, n - 1), st.integers(0, n - 1), st.integers(1, 5)), max_size=15),
        st.lists(st.integers(1, 900), min_size=n, max_size=n),
        st.lists(st.sampled_from(["1", "0.9", "0.95"]), min_size=n, max_size=n),
    )))  # fmt: skip
    def test_roll_up_equals_the_inverse_matrix_applied_to_direct_costs(
        self, drawn: tuple[int, list[tuple[int, int, int]], list[int], list[str]]
    ) -> None:
        """(I − Nᵀ)⁻¹ applied to direct costs, yields included: Vazsonyi (1954)."""
        size, lines, direct, yields = drawn
        needs = np.zeros((size, size))
        components: list[dict[int, int]] = [{} for _ in range(size)]
        for a, b, quantity in lines:
            if a < b:
                components[a][b] = quantity
                needs[a, b] = quantity / float(yields[a])
        own = np.array([d / 100 / float(y) for d, y in zip(direct, yields, strict=True)])
        reference = solve(np.eye(size) - needs, own)
        items = {
            str(i): facts(
                str(i),
                Structure(
                    item=str(i),
                    operations=(
                        Operation(
                            number=10,
                            name="",
                            work_center="W",
                            run_labour_hours=Decimal(direct[i]) / 100,
                            yield_share=Decimal(yields[i]),
                        ),
                    ),
                    components=tuple(
                        ComponentLine(item=str(c), operation=10, quantity=Decimal(q))
                        for c, q in components[i].items()
                    ),
                ),
            )
            for i in range(size)
        }

        # each item is rounded to 6 decimals: half a step of it, and of all that lies below it
        most = solve(np.eye(size) - needs, np.full(size, 0.5e-6)) + 1e-9

        rolled = roll_up(items, ShopRates({"W": hourly("1", "0")}))

        for i in range(size):
            total = float(rolled.costs[str(i)].cost.total())
            self.assertAlmostEqual(total, reference[i], delta=most[i])

    @given(st.lists(st.integers(1, 30), min_size=1, max_size=12), st.booleans())
    def test_receipts_credit_quantity_times_standard_however_they_are_split(
        self, quantities: list[int], with_fixture: bool
    ) -> None:
        structure = mirror_cell()
        if with_fixture:
            line = ComponentLine(item="PAD", operation=10, quantity=Decimal(1), per=Per.ORDER)
            structure = Structure(
                item="CELL",
                operations=structure.operations,
                components=(*structure.components, line),
                outputs=structure.outputs,
            )
        rolled = roll_up(self.items() | {"CELL": facts("CELL", structure, lot="7")}, RATES)
        cells = standard_cells(rolled.bases["CELL"])
        standard = rolled.costs["CELL"].cost.total()
        self.assertEqual(sum(cells.values()), standard)

        credited: dict[tuple[int, Element], Decimal] = {}
        received = Decimal(0)
        for quantity in quantities:
            received += quantity
            for cell, amount in receipt_credit(
                worth_to_date=money(standard * received), cells=cells, credited=credited
            ).items():
                credited[cell] = credited.get(cell, Decimal(0)) + amount
            self.assertEqual(sum(credited.values()), money(standard * received))
