"""A structure with the price of each of its inputs: materials, times, subcontract, outputs, overhead."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from decimal import Decimal

from ..errors import OutOfRange
from ..quantity import ONE, exact, require_positive
from ..structure.model import (
    Multiple,
    Operation,
    OutputKind,
    OutputLine,
    PaymentBasis,
    Per,
    Structure,
    Subcontract,
)
from ..structure.requirement import per_unit
from .joint import grade_factors
from .model import (
    CostedOperation,
    CostedStructure,
    CostInput,
    Element,
    InputKind,
    ItemCost,
)
from .overhead import overhead_inputs
from .rates import ShopRates


@exact
def cost_structure(
    structure: Structure,
    *,
    standard_lot: Decimal,
    items: Mapping[str, ItemCost],
    rates: ShopRates,
    units: Mapping[str, str],
    materials: Mapping[int, Sequence[CostInput]] | None = None,
) -> CostedStructure:
    """Return the structure with the price of each input.

    Parameters
    ----------
    standard_lot : Decimal [unit], > 0
    structure : with its phantoms put in
    items : unit costs of its components and co-products
    rates : of work centers and labour grades
    units : stock unit of each by-product
    materials : its components by operation, where they are not to be told one by one

    Raises
    ------
    OutOfRange (input.out_of_range)
        If the standard lot is not above 0.
    """
    require_positive(f"The standard lot of {structure.item}", standard_lot)
    if materials is None:
        materials = components(structure, items)
    inputs: list[CostInput] = []
    overheads: list[CostInput] = []
    inputs += materials.get(0, ())  # of a phantom without operations
    for operation in structure.operations:
        own = [*materials.get(operation.number, ()), *_times(operation, rates)]
        if operation.subcontract:
            own.append(_subcontract(operation, operation.subcontract))
        own += [
            _by_product(structure, line, units[line.item])
            if line.kind is OutputKind.BY_PRODUCT
            else _co_product(structure, line, items[line.item])
            for line in structure.outputs
            if line.operation == operation.number
        ]
        inputs += own
        if rates.overheads:
            overheads += overhead_inputs(
                operation.number, operation.work_center, own, rates.overheads
            )
    return CostedStructure(
        item=structure.item,
        standard_lot=standard_lot,
        operations=tuple(
            CostedOperation(
                number=o.number,
                name=o.name,
                work_center=o.work_center,
                yield_share=o.yield_share,
                after=o.after,
            )
            for o in structure.operations
        ),
        inputs=(*inputs, *overheads),
        grades=grade_factors(structure.item, structure.grades) if structure.grades else {},
    )


@exact
def components(structure: Structure, items: Mapping[str, ItemCost]) -> dict[int, list[CostInput]]:
    """Return the components of a structure by operation, each at its unit cost."""
    found: dict[int, list[CostInput]] = {}
    for line in structure.components:
        quantity = per_unit(line, structure.batch_quantity)
        is_per_order = line.per is Per.ORDER
        material = component(line.operation, line.item, quantity, items[line.item], is_per_order)
        found.setdefault(line.operation, []).append(material)
    return found


def component(
    operation: int, code: str, quantity: Decimal, item: ItemCost, is_per_order: bool
) -> CostInput:
    """Return a component at the unit cost of its item."""
    return CostInput(
        operation=operation,
        kind=InputKind.COMPONENT,
        code=code,
        quantity=quantity,
        unit=item.unit,
        price=item.price,
        split=item.split,
        is_per_order=is_per_order,
        is_made=item.is_made,
    )


def _times(operation: Operation, rates: ShopRates) -> list[CostInput]:
    """Return the hours of an operation, at their rates.

    Raises OutOfRange (input.out_of_range) where hours are negative or run for nothing.
    """
    center, grade, per = operation.work_center, operation.labour_grade, operation.run_quantity
    if per <= 0:
        raise OutOfRange(f"The run quantity of operation {operation.number}", per, "above 0")
    setup_labour, run_labour = operation.labour_hours()
    run_machine, runs_once = operation.run_machine_hours, False
    if operation.multiple:
        runs_once = operation.multiple.per is Per.ORDER
        run_labour, run_machine = (h * operation.multiple.number for h in (run_labour, run_machine))
        per = per * operation.multiple.of
    hours = (
        (InputKind.SETUP_LABOUR, setup_labour, True),
        (InputKind.SETUP_MACHINE, operation.setup_machine_hours, True),
        (InputKind.RUN_LABOUR, run_labour / per, runs_once),
        (InputKind.RUN_MACHINE, run_machine / per, runs_once),
    )
    found = []
    for kind, quantity, is_per_order in hours:
        if quantity < 0:
            raise OutOfRange(f"The {kind} hours of operation {operation.number}", quantity, "at least 0")  # fmt: skip
        if quantity:
            rate = rates.hour(kind, center, grade)
            found.append(
                CostInput(
                    operation=operation.number,
                    kind=kind,
                    code=center,
                    quantity=quantity,
                    unit="h",
                    price=rate.per_hour,
                    split=rate.split,
                    is_per_order=is_per_order,
                )
            )
    return found


def _subcontract(operation: Operation, work: Subcontract) -> CostInput:
    """Return a supplier's work: a piece per unit, or those of a phantom that a unit or an order takes."""
    multiple = operation.multiple or Multiple(number=ONE)
    pieces, is_per_order = multiple.value(), multiple.per is Per.ORDER
    is_returned = work.basis is PaymentBasis.RETURNED
    if is_per_order and is_returned:
        pieces *= operation.yield_share
    return CostInput(
        operation=operation.number,
        kind=InputKind.SUBCONTRACT,
        code=work.supplier,
        quantity=pieces,
        unit="pcs",
        price=work.price,
        split={Element.SUBCONTRACT: work.price},
        is_per_order=is_per_order,
        is_per_good=is_returned and not is_per_order,
    )


def _co_product(structure: Structure, line: OutputLine, cost: ItemCost) -> CostInput:
    return CostInput(
        operation=line.operation,
        kind=InputKind.CO_PRODUCT,
        code=line.item,
        quantity=per_unit(line, structure.batch_quantity),
        is_per_order=line.per is Per.ORDER,
        unit=cost.unit,
        price=cost.price,
        split=cost.split,
        lower=cost.cost.lower_levels,
    )


def _by_product(structure: Structure, line: OutputLine, unit: str) -> CostInput:
    return CostInput(
        operation=line.operation,
        kind=InputKind.BY_PRODUCT,
        code=line.item,
        quantity=per_unit(line, structure.batch_quantity),
        is_per_order=line.per is Per.ORDER,
        unit=unit,
        price=line.credit_price,
        split={Element.BY_PRODUCT: line.credit_price},
    )
