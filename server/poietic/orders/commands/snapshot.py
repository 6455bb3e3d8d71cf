"""What an order takes over at its release: operations, inputs and grades, as they stand that day."""

from collections.abc import Iterable
from datetime import date
from fractions import Fraction

from poietic_core.cost.inputs import cost_structure
from poietic_core.cost.joint import grade_factors
from poietic_core.cost.model import ITEM_KINDS, TIME_ELEMENT, CostInput, InputKey, InputKind
from poietic_core.derivation import fraction_of
from poietic_core.quantity import UNIT_COST_STEP, ZERO, decimal_of, round_to
from poietic_core.structure.model import (
    ComponentLine,
    InstructionStep,
    OutputLine,
    Per,
    Structure,
)
from poietic_core.structure.requirement import entering, quantity_per_unit

from ...catalog.models import Partner
from ...catalog.queries import items_by_code
from ...costing.basis import split_to_json
from ...costing.frozen import costed
from ...costing.models import Standard
from ...engineering.models import LabourGrade, WorkCenter
from ...engineering.rates import shop_rates
from ...web_api.fields import plain
from ..dates import passing_times
from ..models import Order, OrderGrade, OrderInput, OrderOperation
from ..needs import need_of


def operations_of(order: Order, structure: Structure) -> list[OrderOperation]:
    """Return the operations of an order, with the units that enter each for its quantity."""
    enter = entering(structure.operations, order.quantity)
    centers = _centers(o.work_center for o in structure.operations)
    named = {o.labour_grade for o in structure.operations if o.labour_grade}
    grades = {g.code: g for g in LabourGrade.objects.filter(code__in=named)}
    outside = {o.subcontract.supplier for o in structure.operations if o.subcontract}
    suppliers = {p.code: p for p in Partner.objects.filter(code__in=outside)} if outside else {}
    return [
        OrderOperation(
            order=order,
            number=o.number,
            name=o.name,
            work_center=centers[o.work_center],
            yield_share=o.yield_share,
            is_report_point=o.is_report_point,
            steps=[kept_step(s) for s in o.steps],
            labour_grade=grades.get(o.labour_grade),
            alternate_centers=list(o.alternate_centers),
            after=None if o.after is None else list(o.after),
            setup_hours=o.clock_hours()[0],
            run_hours=o.clock_hours()[1],
            each=str(o.multiple.exactly()) if o.multiple else "1",
            each_per=(o.multiple.per if o.multiple else Per.UNIT).value,
            **passing_times(o),
            supplier=suppliers[o.subcontract.supplier] if o.subcontract else None,
            days_out=o.subcontract.days_out if o.subcontract else ZERO,
            entering=round_to(enter[o.number].value, UNIT_COST_STEP),
        )
        for o in structure.operations
    ]


def grades_of(
    order: Order, structure: Structure, standards: dict[str, Standard]
) -> list[OrderGrade]:
    """Return what the output is sorted into, each grade at its part of the frozen standard."""
    if not structure.grades or order.standard is None:
        return []
    items = items_by_code(g.item for g in structure.grades)
    factors = grade_factors(structure.item, structure.grades)
    return [
        OrderGrade(
            order=order,
            item=items[g.item],
            share=g.share,
            price=round_to(order.standard.total * factors[g.item], UNIT_COST_STEP),
        )
        for g in structure.grades
    ]


def inputs_of(
    order: Order, structure: Structure, standards: dict[str, Standard], day: date
) -> list[OrderInput]:
    """Return the costed inputs of the order's structure and of its standard's, matched by key.

    Where both have an input it is valued at the standard's price, so that the standard of
    what is received is the sum of its inputs.
    """
    assert order.standard is not None
    outputs = items_by_code(o.item for o in structure.outputs)
    own = cost_structure(
        structure,
        standard_lot=order.item.standard_lot,
        items={c: s.as_item_cost() for c, s in standards.items()},
        rates=shop_rates(day),
        units={code: item.unit for code, item in outputs.items()},
    )
    ours: dict[InputKey, CostInput] = {i.key(): i for i in own.inputs}
    theirs: dict[InputKey, CostInput] = {i.key(): i for i in costed(order.standard).inputs}
    both = (*ours.values(), *theirs.values())
    codes = {i.code for i in both if i.kind in ITEM_KINDS}
    suppliers = {p.code: p for p in Partner.objects.filter(code__in={i.code for i in both})}
    items = items_by_code(codes)
    centers = _centers(i.code for i in both if i.kind in TIME_ELEMENT)
    enter = entering(structure.operations, order.quantity)
    yields = {o.number: o.yield_share for o in structure.operations}
    lines: dict[InputKey, ComponentLine | OutputLine] = {
        (c.operation, InputKind.COMPONENT, c.item): c for c in structure.components
    }
    lines |= {(o.operation, InputKind(o.kind.value), o.item): o for o in structure.outputs}
    rows: list[OrderInput] = []
    for key in [*ours, *(k for k in theirs if k not in ours)]:
        here, there = ours.get(key), theirs.get(key)
        priced = there or here
        assert priced is not None
        item = items[priced.code] if priced.kind in ITEM_KINDS else None
        line = lines.get(key)
        component = line if isinstance(line, ComponentLine) else None
        allowed = Fraction(here.quantity if here else ZERO)
        if line:
            allowed = fraction_of(quantity_per_unit(line, structure.batch_quantity))
        basis = (here or priced).basis()
        row = OrderInput(
            order=order,
            operation=key[0],
            kind=priced.kind.value,
            item=item,
            work_center=centers[(here or priced).code] if priced.kind in TIME_ELEMENT else None,
            supplier=suppliers[(here or priced).code]
            if priced.kind is InputKind.SUBCONTRACT
            else None,
            unit=order.item.unit if priced.kind is InputKind.SUBCONTRACT else priced.unit,
            basis=basis.value,
            standard_basis=(there or priced).basis().value,
            issue_rule=component.issue_rule.value if component else "",
            mix=component.mix if component else "",
            alternates=[
                {"item": a.item, "ratio": plain(a.ratio)}
                for a in (component.alternates if component else ())
            ],
            overhead=priced.code if priced.base else "",
            base=priced.base.value if priced.base else "",
            agreed_price=here.price if here and here.kind is InputKind.SUBCONTRACT else None,
            allowed=decimal_of(allowed),
            allowed_exactly=str(allowed),
            standard=there.quantity if there else ZERO,
            price=priced.price,
            split=split_to_json(dict(priced.split)),
        )
        row.need = need_of(row, enter, yields).value
        rows.append(row)
    return rows


def _centers(codes: Iterable[str]) -> dict[str, WorkCenter]:
    return {w.code: w for w in WorkCenter.objects.filter(code__in=set(codes))}


def kept_step(step: InstructionStep) -> dict[str, str]:
    """Return an instruction step as it is kept: what it does not say is left out."""
    kept = {"kind": step.kind.value, "text": step.text, "unit": step.unit}
    kept |= {"picture": step.picture, "item": step.item}
    kept |= {k: plain(v) for k in ("lower", "upper") if (v := getattr(step, k)) is not None}
    return {k: v for k, v in kept.items() if v}
