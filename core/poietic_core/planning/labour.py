"""What an operation takes of its work center, as planning reckons: rough, by the hours of one machine."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import ROUND_CEILING, Decimal

from ..quantity import ONE, ZERO
from ..structure.model import Operation, Per


@dataclass(frozen=True, slots=True, kw_only=True)
class Labour:
    """What an operation takes of its work center [h of one machine at the standard pace]."""

    center: str
    name: str
    setup: Decimal = ZERO
    #: of a run, and how many runs one good unit takes
    run: Decimal = ZERO
    runs_each: Decimal = ONE
    #: a run that is begun is run to its end
    is_whole: bool = False

    def hours(self, quantity: Decimal) -> Decimal:
        """Return what a lot takes."""
        runs = quantity * self.runs_each
        if self.is_whole:
            runs = runs.to_integral_value(ROUND_CEILING)
        return self.setup + runs * self.run


def labour_of(operation: Operation, entering: Decimal, efficiency: Decimal = ONE) -> Labour:
    """Return what an operation that is done here takes.

    Parameters
    ----------
    operation : Operation
    entering : units entering it for one good unit of the item
    efficiency : share of the standard pace that its work center reaches: setting up takes its time at any

    Source
    ------
    As the rough load of a plan: bills of capacity (Vollmann, Berry & Whybark, *Manufacturing Planning and
    Control Systems*).

    Examples
    --------
    >>> mill = Operation(number=10, name="Mill", work_center="MILL", setup_machine_hours=Decimal(1),
    ...                  run_machine_hours=Decimal("0.25"))
    >>> str(labour_of(mill, Decimal("1.25")).hours(Decimal(20)))
    '7.2500'
    """
    setup, run = operation.clock_hours()
    setup *= efficiency * operation.machines
    runs = entering / operation.run_quantity
    many = operation.multiple
    if many and many.per is not Per.UNIT:
        # of a phantom that an order takes once, however many it makes
        setup += run * many.value() / operation.run_quantity
        runs = ZERO
    elif many:
        runs *= many.value()
    return Labour(
        center=operation.work_center,
        name=operation.name,
        setup=setup,
        run=run,
        runs_each=runs,
        is_whole=operation.runs_whole_batches,
    )
