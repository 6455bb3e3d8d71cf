"""Co-products, grades, phantoms, suppliers' work and rates in layers: by hand and by published examples."""

from dataclasses import replace
from datetime import date
from decimal import Decimal

import numpy
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from poietic_core.cost.joint import JointOutput, SharesDontAdd, grade_factors, joint_shares
from poietic_core.cost.model import Base, Element, InputKind
from poietic_core.cost.overhead import OverheadRate, budget_rate
from poietic_core.cost.prices import Form, StockForm, SupplierPrice, mass_of, next_break, price_for
from poietic_core.cost.rates import LayerLoop, Rate, RateLayer, Rates, ShopRates, layered, rate_of
from poietic_core.cost.rollup import ItemFacts, roll_up
from poietic_core.cost.sets import CostSet, reroll
from poietic_core.errors import OutOfRange
from poietic_core.structure.model import (
    Alternate,
    ComponentLine,
    Grade,
    IssueRule,
    Operation,
    OutputKind,
    OutputLine,
    PaymentBasis,
    Per,
    ShareRule,
    Structure,
    Subcontract,
)
from poietic_core.structure.phantom import NoRoomForPhantom, PhantomClash, inline
from poietic_core.structure.requirement import entering, quantity_per_unit
from poietic_core.structure.rules import problems_of
from poietic_core.units import MeasureIncomplete

D = Decimal
RATES = ShopRates({"W": Rates(labour=D(30), machine=Rate.plain(Element.MACHINE, D(40)))}, {"fitter": D(50)})  # fmt: skip


def line(item: str, quantity: str, operation: int = 10, **more: object) -> ComponentLine:
    return ComponentLine(item=item, operation=operation, quantity=D(quantity), **more)  # type: ignore[arg-type]


def step(number: int, **more: object) -> Operation:
    return Operation(number=number, name=f"Step {number}", work_center="W", **more)  # type: ignore[arg-type]


def bought(code: str, price: str) -> ItemFacts:
    return ItemFacts(code=code, unit="pcs", is_made=False, standard_lot=D(1), price=D(price), structure=None)  # fmt: skip


def made(structure: Structure, lot: str = "1") -> ItemFacts:
    return ItemFacts(code=structure.item, unit="pcs", is_made=True, standard_lot=D(lot), price=None, structure=structure)  # fmt: skip


class JointCost(SimpleTestCase):
    """Horngren, Datar & Rajan, Cost Accounting, ch. 16, "Farmers' Dairy" (from memory, recomputed)."""

    def shares(self, rule: ShareRule, cream: str, skim: str) -> list[Decimal]:
        outputs = [
            JointOutput(item="cream", quantity=D(25_000), weight=D(cream)),
            JointOutput(item="skim", quantity=D(75_000), weight=D(skim)),
        ]
        return [D(400_000) * s for s in joint_shares("milk", rule, outputs).values()]

    def test_sales_value_at_split_off_and_physical_measure(self) -> None:
        self.assertEqual(self.shares(ShareRule.SALES_VALUE, "8", "4"), [160_000, 240_000])
        self.assertEqual(self.shares(ShareRule.PHYSICAL, "1", "1"), [100_000, 300_000])

    def test_fixed_shares_that_do_not_add_up_are_refused(self) -> None:
        self.assertEqual(self.shares(ShareRule.FIXED, "0.3", "0.7"), [120_000, 280_000])
        with self.assertRaises(SharesDontAdd):
            self.shares(ShareRule.FIXED, "0.3", "0.6")

    def test_a_roll_up_gives_each_output_its_share_and_later_operations_to_the_main_item(
        self,
    ) -> None:
        """Three litres of skim for each of cream: 16 joint, then bottling the cream at 3."""
        dairy = Structure(
            item="cream",
            operations=(step(10), step(20, run_labour_hours=D("0.1"))),
            components=(line("milk", "4"),),
            outputs=(OutputLine(item="skim", operation=10, quantity=D(3), kind=OutputKind.CO_PRODUCT, weight=D(4)),),
            main_weight=D(8),
        )  # fmt: skip
        skim = replace(made(dairy), code="skim", structure=None)
        items = {i.code: i for i in (bought("milk", "4"), made(dairy), skim)}
        rolled = roll_up(items, RATES)
        self.assertEqual(rolled.missing, [])
        self.assertEqual(rolled.costs["skim"].cost.total(), D("3.2"))  # 16 × 12/20 / 3
        self.assertEqual(rolled.costs["cream"].cost.total(), D("9.4"))  # 16 × 8/20 + 3

    def test_a_joint_cost_is_divided_before_it_is_rounded(self) -> None:
        """Joint cost 1/3, half of it on 0.001 kg: 166.666667 a kilogram (by hand)."""
        third = Structure(
            item="MAIN",
            operations=(step(10),),
            components=(line("SALT", "1"),),
            batch_quantity=D(3),
            outputs=(OutputLine(item="ESSENCE", operation=10, quantity=D("0.003"), kind=OutputKind.CO_PRODUCT, weight=D("0.5")),),
            share_rule=ShareRule.FIXED,
            main_weight=D("0.5"),
        )  # fmt: skip
        essence = replace(made(third), code="ESSENCE", structure=None)
        items = {i.code: i for i in (bought("SALT", "1"), made(third), essence)}
        self.assertEqual(roll_up(items, RATES).costs["ESSENCE"].price, D("166.666667"))

    def test_grades_cost_what_the_process_costs_in_their_mix(self) -> None:
        grades = (
            Grade(item="A", share=D("0.75"), weight=D(2)),
            Grade(item="B", share=D("0.25"), weight=D(1)),
        )
        factors = grade_factors("mirror", grades)
        self.assertEqual(round(factors["A"] / factors["B"], 20), 2)
        self.assertEqual(round(sum(g.share * factors[g.item] for g in grades), 20), 1)
        mirror = Structure(item="mirror", operations=(step(10),), components=(line("blank", "1"),), grades=grades)  # fmt: skip
        empty = replace(made(mirror), structure=None)
        items = [bought("blank", "70"), made(mirror), replace(empty, code="A"), replace(empty, code="B")]  # fmt: skip
        costs = roll_up({i.code: i for i in items}, RATES).costs
        self.assertEqual([costs["A"].cost.total(), costs["B"].cost.total()], [80, 40])


class Prices(SimpleTestCase):
    """What a bought item costs: by quantity and time, and by its mass."""

    def test_quantity_breaks_of_the_first_supplier_that_has_a_price(self) -> None:
        """Heizer & Render, quantity discount: 5.00; 4.80 from 1,000; 4.75 from 2,000."""
        breaks = (("5.00", 0), ("4.80", 1000), ("4.75", 2000))
        prices = [SupplierPrice(supplier="A", price=D(p), from_quantity=D(q)) for p, q in breaks]
        prices.append(SupplierPrice(supplier="B", price=D(1)))
        day = date(2026, 11, 25)
        found = {q: price_for(prices, D(q), day) for q in (1, 999, 1000, 1999, 5000)}
        self.assertEqual(
            [str(p.price) for p in found.values() if p],
            ["5.00", "5.00", "4.80", "4.80", "4.75"],
        )
        ended = [replace(p, effective_until=date(2026, 11, 24)) for p in prices[:3]]
        self.assertEqual(price_for([*ended, prices[3]], D(1), day), prices[3])
        self.assertIsNone(price_for(ended, D(1), day))
        above = {q: next_break(prices, D(q), day) for q in (1, 999, 1000, 1999, 2000)}
        self.assertEqual([p and p.from_quantity for p in above.values()], [1000, 1000, 2000, 2000, None])  # fmt: skip
        self.assertIsNone(next_break(ended, D(1), day))

    def test_the_mass_of_plate_and_bar(self) -> None:
        """Steel 7,850 kg/m³ (EN 1993-1-2, from memory): one inch is 40.84 lb/ft²; bars by cross-section."""
        inch = StockForm(form=Form.PLATE, length=D("304.8"), width=D("304.8"), thickness=D("25.4"), density=D(7850))  # fmt: skip
        pounds = mass_of(inch, "PL", "pcs").value / D("0.45359237")
        self.assertEqual(round(pounds, 2), D("40.84"))
        bar = StockForm(form=Form.ROUND_BAR, thickness=D(6), density=D(7850))
        area = numpy.pi * 0.006**2 / 4
        self.assertAlmostEqual(float(mass_of(bar, "RB", "m").value), area * 7850, places=12)
        with self.assertRaises(MeasureIncomplete):
            mass_of(replace(bar, density=None), "RB", "m")


class OperationCost(SimpleTestCase):
    """What an operation costs beyond its own hours, by hand."""

    def cost_of(self, operation: Operation, rates: ShopRates = RATES) -> dict[Element, Decimal]:
        structure = Structure(item="X", operations=(operation,))
        return roll_up({"X": made(structure)}, rates).costs["X"].cost.by_element()

    def test_a_supplier_is_paid_on_pieces_sent_or_on_good_ones_returned(self) -> None:
        for basis, cost in ((PaymentBasis.SENT, D(15)), (PaymentBasis.RETURNED, D(12))):
            work = Subcontract(supplier="Coater", price=D(12), basis=basis)
            coat = step(10, yield_share=D("0.8"), subcontract=work)
            self.assertEqual(self.cost_of(coat), {Element.SUBCONTRACT: cost})

    def test_a_crew_attends_the_machine_at_its_grade(self) -> None:
        turn = step(10, run_machine_hours=D("0.5"), crew=D(2), labour_grade="fitter")
        self.assertEqual(self.cost_of(turn), {Element.RUN_LABOUR: 50, Element.MACHINE: 20})
        lonely = Structure(item="X", operations=(step(10, crew=D(2)),))
        self.assertIn("no machine time", problems_of(lonely)[0].why)

    def test_rate_layers_name_their_elements_and_may_be_percentages(self) -> None:
        """Depreciation 18, energy 6, maintenance 25 % of depreciation, supervision 9 (common practice)."""
        layers = [
            RateLayer(name="depreciation", element=Element.MACHINE, amount=D(18)),
            RateLayer(name="energy", element=Element.VARIABLE_OVERHEAD, amount=D(6)),
            RateLayer(name="maintenance", element=Element.MACHINE, percent=D("0.25"), of="depreciation"),
            RateLayer(name="supervision", element=Element.FIXED_OVERHEAD, amount=D(9)),
        ]  # fmt: skip
        self.assertEqual(layered(layers)["maintenance"].value, D("4.5"))
        rates = ShopRates({"W": Rates(labour=D(0), machine=rate_of(layers))})
        cost = self.cost_of(step(10, run_machine_hours=D(2)), rates)
        self.assertEqual(
            cost,
            {Element.MACHINE: 45, Element.VARIABLE_OVERHEAD: 12, Element.FIXED_OVERHEAD: 18},
        )
        with self.assertRaises(LayerLoop):
            layered(layers[2:])


class Overhead(SimpleTestCase):
    """Overhead rates from budgets, charged by their bases."""

    def test_a_rate_from_a_budget(self) -> None:
        """ "Webb Company", Horngren, ch. 8 (from memory): 276,000 over 12,000 × 0.4 h is 57.50 an hour."""
        rate = budget_rate(D(276_000), D(12_000) * D("0.4"), Base.MACHINE_HOURS)
        self.assertEqual(rate.value, D("57.5"))
        with self.assertRaises(OutOfRange):
            budget_rate(D(1), D(0), Base.LABOUR_HOURS)

    def test_each_base_by_hand_and_after_a_change(self) -> None:
        rates = replace(
            RATES,
            overheads=[
                OverheadRate(code="VO", element=Element.VARIABLE_OVERHEAD, base=Base.LABOUR_HOURS, rate=D(6)),
                OverheadRate(code="FO", element=Element.FIXED_OVERHEAD, base=Base.MACHINE_HOURS, rate=D(9), work_center="W"),
                OverheadRate(code="LC", element=Element.FIXED_OVERHEAD, base=Base.LABOUR_COST, rate=D("0.5"), work_center="ELSEWHERE"),
                OverheadRate(code="MO", element=Element.MATERIAL_OVERHEAD, base=Base.MATERIAL_COST, rate=D("0.08")),
            ],
        )  # fmt: skip
        part = Structure(
            item="PART",
            operations=(step(10, setup_labour_hours=D(2), run_labour_hours=D("0.5"), run_machine_hours=D("0.25"), yield_share=D("0.8")),),
            components=(line("PLATE", "4"), line("BAG", "1", per=Per.ORDER)),
        )  # fmt: skip
        rolled = roll_up({i.code: i for i in (*BUY, made(part, "10"))}, rates)
        by_element = rolled.costs["PART"].cost.by_element()
        # 0.5 h × 6 over a yield of 0.8, and 2 h × 6 over a lot of 10
        self.assertEqual(by_element[Element.VARIABLE_OVERHEAD], D("3.75") + D("1.2"))
        self.assertEqual(by_element[Element.FIXED_OVERHEAD], D("0.25") * 9 / D("0.8"))
        # 8 % of 40 over the yield, and of the bag's 6 over the lot
        self.assertEqual(by_element[Element.MATERIAL_OVERHEAD], D(4) + D("0.048"))
        prices = {"PLATE": D(20), "BAG": D(6)}
        dearer = reroll(CostSet(rolled.bases, prices)).costs["PART"].by_element()
        self.assertEqual(dearer[Element.MATERIAL_OVERHEAD], D(8) + D("0.048"))


KIT = Structure(
    item="KIT",
    operations=(step(10, run_labour_hours=D("0.5"), setup_labour_hours=D(1)),),
    components=(line("SCREW", "4"), line("BAG", "1", per=Per.ORDER)),
)
STAND = Structure(
    item="STAND",
    operations=(step(10), step(20, yield_share=D("0.5"))),
    components=(line("PLATE", "1"), line("KIT", "2", operation=20, allowance=D("0.5"))),
)
BUY = [bought("SCREW", "1"), bought("BAG", "6"), bought("PLATE", "10")]


class Phantoms(SimpleTestCase):
    """A phantom's content counts as its parent's own."""

    def test_lines_and_operations_go_in_before_the_operation_that_uses_it(self) -> None:
        """2 × 1.5 kits a unit, of which two enter for each good one: 24 screws, 3 hours."""
        put_in = inline(STAND, {"KIT": KIT})
        structure = put_in.structure
        self.assertEqual([o.number for o in structure.operations], [10, 11, 20])
        self.assertEqual([o.after for o in structure.operations], [(), (), (10, 11)])
        self.assertEqual(put_in.numbers, {(20, "KIT"): {0: 20, 10: 11}})
        enter = entering(structure.operations, D(1))
        needs = {c.item: quantity_per_unit(c, D(1)).value * enter[c.operation].value for c in structure.components if c.per is Per.UNIT}  # fmt: skip
        self.assertEqual(needs, {"PLATE": 2, "SCREW": 24})
        rolled = roll_up({i.code: i for i in (*BUY, made(STAND, "10"))}, RATES, phantoms={"KIT": KIT})  # fmt: skip
        cost = rolled.costs["STAND"].cost
        self.assertEqual(cost.lower_levels, {})
        # plates 20, screws 24, the bag and the setup once per lot of 10; run 3 h at 30
        self.assertEqual(cost.total(), D(20 + 24) + D("0.6") + 3 + 90)

    def test_lines_of_one_item_are_put_together_and_a_clash_is_refused(self) -> None:
        bare = replace(KIT, operations=(), components=(line("PLATE", "3", operation=0),))
        self.assertEqual(problems_of(bare, is_phantom=True), [])
        parent = replace(STAND, components=(line("PLATE", "1"), line("KIT", "2")))
        self.assertEqual([c.quantity for c in inline(parent, {"KIT": bare}).structure.components], [7])  # fmt: skip
        once = replace(bare, components=(line("PLATE", "3", operation=0, per=Per.ORDER),))
        with self.assertRaises(PhantomClash):
            inline(parent, {"KIT": once})
        tight = replace(STAND, operations=(step(19), step(20)))
        with self.assertRaises(NoRoomForPhantom):
            inline(tight, {"KIT": KIT})

    def cost_of(self, top: Structure, lot: str = "1", **phantoms: Structure) -> Decimal:
        """Return what one unit costs with phantoms passing through."""
        rolled = roll_up({i.code: i for i in (*BUY, made(top, lot))}, RATES, phantoms=phantoms)
        self.assertEqual(rolled.missing, [])
        return rolled.costs[top.item].price

    def test_a_suppliers_work_is_done_on_every_phantom(self) -> None:
        """A table of 4 phantom legs, each painted at 3.00: 12.00, sent or returned; 15.00 sent at a yield of 0.8."""
        for basis, share, cost in (
            (PaymentBasis.SENT, "1", 12),
            (PaymentBasis.RETURNED, "1", 12),
            (PaymentBasis.SENT, "0.8", 15),
            (PaymentBasis.RETURNED, "0.8", 12),
        ):
            work = Subcontract(supplier="Painter", price=D(3), basis=basis)
            leg = Structure(item="LEG", operations=(step(10, subcontract=work, yield_share=D(share)),))  # fmt: skip
            table = Structure(item="TABLE", operations=(step(20),), components=(line("LEG", "4", 20),))  # fmt: skip
            self.assertEqual(self.cost_of(table, LEG=leg), cost, basis)

    def test_a_phantom_used_once_per_order_does_all_it_brings_once_per_order(self) -> None:
        """2 kits per order, 0.5 h at 30, 4 screws at 1, a lot of 10: (2 × 15 + 2 × 4) / 10 (by hand)."""
        kit = Structure(item="KIT", operations=(step(10, run_labour_hours=D("0.5")),), components=(line("SCREW", "4"),))  # fmt: skip
        stand = Structure(item="STAND", operations=(step(20),), components=(line("KIT", "2", 20, per=Per.ORDER),))  # fmt: skip
        self.assertEqual(self.cost_of(stand, "10", KIT=kit), D("3.8"))
        # each of its pieces of outside work too; its own yield of 0.5 asks for twice as many
        work = Subcontract(supplier="Painter", price=D(1))
        painted = replace(kit, operations=(step(10, yield_share=D("0.5"), run_labour_hours=D("0.5"), subcontract=work),))  # fmt: skip
        self.assertEqual(self.cost_of(stand, "10", KIT=painted), D("3.8") * 2 + D("0.2"))
        credited = replace(kit, outputs=(OutputLine(item="CHIPS", operation=10, quantity=D(5), credit_price=D(1)),))  # fmt: skip
        self.assertEqual(self.cost_of(stand, "10", KIT=credited), D("3.8") - 1)

    def test_a_phantom_without_operations_may_use_one_that_has_some(self) -> None:
        """A set of two kits, at 0.5 h and four screws each: 2 × (15 + 4), with a setup of 30 (by hand)."""
        both = Structure(item="SET", operations=(), components=(line("KIT", "2", 0), line("SCREW", "1", 0)))  # fmt: skip
        kit = replace(KIT, components=(line("SCREW", "4"),))
        stand = Structure(item="STAND", operations=(step(20),), components=(line("SET", "1", 20),))
        self.assertEqual(self.cost_of(stand, "10", SET=both, KIT=kit), 2 * (15 + 4) + 1 + 3)
        put_in = inline(stand, {"SET": both, "KIT": kit}).structure
        self.assertEqual([(o.number, o.after) for o in put_in.operations], [(1, ()), (20, (1,))])

    def test_merged_lines_keep_how_they_are_issued_and_what_may_replace_them(self) -> None:
        """The parent's own plates and the phantom's, at one operation; by hand."""
        hand = {"issue_rule": IssueRule.BY_HAND, "operation": 20}
        own = line("PLATE", "1", **hand, alternates=(Alternate(item="SHEET"),), reference="A1")
        inside = replace(own, operation=0, quantity=D(2), alternates=(Alternate(item="FOIL", ratio=D(2)),), reference="B2")  # fmt: skip
        kit = Structure(item="KIT", operations=(), components=(inside,))
        stand = Structure(item="STAND", operations=(step(20),), components=(own, line("KIT", "3", 20)))  # fmt: skip
        merged = inline(stand, {"KIT": kit}).structure.components[0]
        self.assertEqual((merged.quantity, merged.issue_rule), (7, IssueRule.BY_HAND))
        self.assertEqual([(a.item, a.ratio) for a in merged.alternates], [("SHEET", 1), ("FOIL", 2)])  # fmt: skip
        self.assertEqual(merged.reference, "A1, B2")
        for other, words in (
            (replace(inside, issue_rule=IssueRule.AT_RELEASE), "issued by hand and at release"),
            (replace(inside, alternates=(Alternate(item="SHEET", ratio=D(2)),)), "two ratios"),
        ):
            with self.assertRaisesMessage(PhantomClash, words):
                inline(stand, {"KIT": replace(kit, components=(other,))})

    @given(
        each=st.integers(1, 9),
        hours=st.decimals("0.01", 9, places=2),
        share=st.sampled_from([D(1), D("0.5"), D("0.8")]),
        batch=st.integers(1, 4),
    )
    def test_without_fixed_parts_a_phantom_costs_what_it_costs_stocked(
        self, each: int, hours: Decimal, share: Decimal, batch: int
    ) -> None:
        kit = replace(
            KIT,
            operations=(step(10, run_labour_hours=hours, yield_share=share),),
            components=(line("SCREW", "4"),),
        )
        stand = replace(STAND, batch_quantity=D(batch), components=(line("PLATE", "1"), line("KIT", str(each), operation=20)))  # fmt: skip
        items = {i.code: i for i in (*BUY, made(kit), made(stand))}
        stocked = roll_up(items, RATES).costs["STAND"].cost.total()
        passed_through = roll_up(items, RATES, phantoms={"KIT": kit}).costs["STAND"].cost.total()
        self.assertAlmostEqual(stocked, passed_through, places=4)  # a level rounds to 6 decimals

    def test_inputs_keep_telling_apart_what_they_are(self) -> None:
        rolled = roll_up({i.code: i for i in (*BUY, made(STAND))}, RATES, phantoms={"KIT": KIT})
        keys = {i.key() for i in rolled.bases["STAND"].inputs}
        self.assertIn((11, InputKind.RUN_LABOUR, ""), keys)
        self.assertIn((11, InputKind.COMPONENT, "SCREW"), keys)
