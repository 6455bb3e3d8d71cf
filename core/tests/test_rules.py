"""What a structure must be before it is approved: each rule broken alone, and told by its place."""

from dataclasses import replace
from decimal import Decimal
from typing import Any

from django.test import SimpleTestCase
from poietic_core.structure.model import (
    Alternate,
    ComponentLine,
    Grade,
    InstructionStep,
    Operation,
    OutputKind,
    OutputLine,
    Per,
    ShareRule,
    StepKind,
    Structure,
    Subcontract,
)
from poietic_core.structure.rules import problems_of

D = Decimal
MILL = Operation(number=10, name="Mill", work_center="MILL", yield_share=D("0.95"))
COAT = Operation(
    number=20, name="Coat", work_center="OUT", subcontract=Subcontract(supplier="COAT", price=D(3))
)
FIT = Operation(number=30, name="Fit", work_center="ASSY")
PLATE = ComponentLine(item="PLATE", operation=10, quantity=D("2.4"))
PAD = ComponentLine(item="PAD", operation=30, quantity=D(9), alternates=(Alternate(item="PAD-B"),))
SWARF = OutputLine(item="SWARF", operation=10, quantity=D(1), credit_price=D("1.2"))
RING = OutputLine(
    item="RING", operation=10, quantity=D(1), kind=OutputKind.CO_PRODUCT, weight=D("0.25")
)
GOOD = Structure(
    item="CELL",
    operations=(MILL, COAT, FIT),
    components=(PLATE, PAD),
    outputs=(SWARF, RING),
    share_rule=ShareRule.FIXED,
    main_weight=D("0.75"),
    grades=(
        Grade(item="CELL-A", share=D("0.7"), weight=D(3)),
        Grade(item="CELL-B", share=D("0.3"), weight=D(1)),
    ),
)


def with_first(**changes: Any) -> tuple[Operation, ...]:
    """Return the operations, the first of them changed."""
    return (replace(MILL, **changes), COAT, FIT)


def measured(**limits: Any) -> InstructionStep:
    """Return a measurement with limits."""
    return InstructionStep(kind=StepKind.MEASUREMENT, text="Bore", unit="mm", **limits)


#: of what goes in at the first operation
NOTED = InstructionStep(kind=StepKind.LOT, text="Lot of the plate", item="PLATE")


class Rules(SimpleTestCase):
    """One thing wrong at a time."""

    def test_a_sound_structure_has_no_problem(self) -> None:
        self.assertEqual(problems_of(GOOD), [])
        self.assertEqual(problems_of(replace(GOOD, operations=with_first(steps=(NOTED,)))), [])

    def test_each_rule_tells_its_place_and_its_reason(self) -> None:
        head, kept = GOOD.grades
        for place, words, changes in (
            ("structure", "no operation", {"operations": ()}),
            ("structure", "batch quantity", {"batch_quantity": D(0)}),
            ("structure", "repeat or fall", {"operations": (MILL, replace(COAT, number=40), FIT)}),
            ("operation:10", "yield is not above 0", {"operations": with_first(yield_share=D(0))}),
            ("operation:10", "at most 1", {"operations": with_first(yield_share=D("1.01"))}),
            ("operation:10", "no report point but has a yield", {"operations": with_first(is_report_point=False)}),
            ("operation:10", "setup labour hours", {"operations": with_first(setup_labour_hours=D(-1))}),
            ("operation:10", "run machine hours", {"operations": with_first(run_machine_hours=D(10_001))}),
            ("operation:10", "wait hours", {"operations": with_first(wait_hours=D("2e7"))}),
            ("operation:10", "stated for no unit", {"operations": with_first(run_quantity=D(0))}),
            ("operation:10", "transfer quantity", {"operations": with_first(transfer_quantity=D(0))}),
            ("operation:10", "No machine", {"operations": with_first(machines=0)}),
            ("operation:10", "crew is below 0", {"operations": with_first(run_machine_hours=D(1), crew=D(-1))}),
            ("operation:20", "days out", {"operations": (MILL, replace(COAT, subcontract=Subcontract(supplier="COAT", price=D(3), days_out=D(-1))), FIT)}),
            ("component:PAD", "allowance is below 0", {"components": (PLATE, replace(PAD, allowance=D(-1)))}),
            ("component:PAD", "unit box is of size 0", {"components": (PLATE, replace(PAD, unit="box", unit_factor=D(0)))}),
            ("operation:10", "no machine time", {"operations": with_first(crew=D(2))}),
            ("operation:10", "has no limit", {"operations": with_first(steps=(measured(),))}),
            ("operation:10", "cross", {"operations": with_first(steps=(measured(lower=D(3), upper=D(2)),))}),
            ("operation:10", "names no component that went in by then", {"operations": with_first(steps=(replace(NOTED, item="PAD"),))}),
            ("operation:10", "names no component", {"operations": with_first(steps=(replace(NOTED, item=""),))}),
            ("operation:20", "price is not above 0", {"operations": (MILL, replace(COAT, subcontract=Subcontract(supplier="COAT", price=D(0))), FIT)}),
            ("operation:20", "no earlier operation", {"operations": (MILL, replace(COAT, after=(10, 30)), FIT)}),
            ("structure", "several operations: 10, 30", {"operations": (MILL, replace(COAT, after=()), FIT)}),
            ("operation:30", "last operation is no report point", {"operations": (MILL, COAT, replace(FIT, is_report_point=False))}),
            ("component:PAD", "operation 40, which does not exist", {"components": (PLATE, replace(PAD, operation=40))}),
            ("component:PAD", "not above 0", {"components": (PLATE, replace(PAD, quantity=D(0)))}),
            ("component:CELL", "the item itself", {"components": (PLATE, PAD, replace(PLATE, item="CELL"))}),
            ("component:PLATE", "twice at operation 10", {"components": (PLATE, PAD, PLATE)}),
            ("component:PAD", "alternate", {"components": (PLATE, replace(PAD, alternates=(Alternate(item="PAD"),)))}),
            ("component:PAD", "alone in the mix M", {"components": (PLATE, replace(PAD, mix="M", alternates=()))}),
            ("component:PAD", "per unit and per order", {"components": (PLATE, replace(PAD, mix="M", alternates=()), replace(PAD, item="PAD-2", per=Per.ORDER, mix="M", alternates=()))}),
            ("component:PAD", "has alternates", {"components": (PLATE, replace(PAD, mix="M"), replace(PAD, item="PAD-2", mix="M", alternates=()))}),
            ("output:SWARF", "not above 0", {"outputs": (replace(SWARF, quantity=D(-1)), RING)}),
            ("structure", "leave at several operations", {"outputs": (SWARF, replace(RING, weight=D("0.1")), replace(RING, item="CAP", operation=20, weight=D("0.15")))}),
            ("structure", "joint cost add up to 0.95", {"main_weight": D("0.70")}),
            ("structure", "nothing to divide", {"share_rule": ShareRule.PHYSICAL, "main_weight": D(0)}),
            ("structure", "grades add up to 0.9", {"grades": (replace(head, share=D("0.6")), kept)}),
            ("structure", "no weight", {"grades": (head, replace(kept, weight=D(0)))}),
        ):  # fmt: skip
            with self.subTest(words):
                found = problems_of(replace(GOOD, **changes))
                self.assertEqual([p.place for p in found], [place], found)
                self.assertIn(words, found[0].why)
                self.assertTrue(found[0].fix)

    def test_a_phantom_may_do_without_operations_but_not_without_its_place(self) -> None:
        bare = Structure(item="KIT", operations=(), components=(replace(PAD, operation=0),))
        self.assertEqual(problems_of(bare, is_phantom=True), [])
        self.assertEqual([p.place for p in problems_of(bare)], ["structure"])
