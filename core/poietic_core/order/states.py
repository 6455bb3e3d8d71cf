"""The states of a production order and what may be done in each."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import ClassVar

from ..errors import DomainError


class OrderState(StrEnum):
    """Where an order stands in its life."""

    PLANNED = "planned"
    #: planning leaves it as it is
    FIRM = "firm"
    RELEASED = "released"
    STARTED = "started"
    COMPLETED = "completed"
    CLOSED = "closed"
    CANCELLED = "cancelled"


#: states of an order that is being made
RUNNING = (OrderState.RELEASED, OrderState.STARTED)


class Act(StrEnum):
    """What is done to an order."""

    CHANGE = "change"
    FIRM = "make firm"
    LEAVE = "leave to planning"
    REDERIVE = "re-derive"
    RELEASE = "release"
    WITHDRAW = "take back the release of"
    POST = "post to"
    COMPLETE = "complete"
    FINISH = "finish short"
    CLOSE = "close"
    CANCEL = "cancel"
    HOLD = "hold"
    RESUME = "resume"
    UNWIND = "unwind"
    DEVIATE = "change the making of"
    SPLIT = "split"


#: The states in which each act is possible.
ALLOWED: dict[Act, tuple[OrderState, ...]] = {
    Act.CHANGE: (OrderState.PLANNED, OrderState.FIRM, OrderState.RELEASED, OrderState.STARTED),
    Act.FIRM: (OrderState.PLANNED,),
    Act.LEAVE: (OrderState.FIRM,),
    Act.REDERIVE: (OrderState.FIRM,),
    Act.RELEASE: (OrderState.PLANNED, OrderState.FIRM),
    Act.WITHDRAW: (OrderState.RELEASED,),
    Act.POST: (OrderState.RELEASED, OrderState.STARTED),
    Act.COMPLETE: (OrderState.STARTED,),
    Act.FINISH: (OrderState.STARTED,),
    Act.CLOSE: (OrderState.COMPLETED,),
    Act.CANCEL: (OrderState.PLANNED, OrderState.FIRM, OrderState.RELEASED),
    Act.HOLD: (OrderState.PLANNED, OrderState.FIRM, OrderState.RELEASED, OrderState.STARTED),
    Act.RESUME: (OrderState.PLANNED, OrderState.FIRM, OrderState.RELEASED, OrderState.STARTED),
    Act.UNWIND: (
        OrderState.RELEASED,
        OrderState.STARTED,
        OrderState.COMPLETED,
        OrderState.CLOSED,
    ),
    Act.DEVIATE: (OrderState.RELEASED, OrderState.STARTED),
    Act.SPLIT: (OrderState.PLANNED, OrderState.FIRM, OrderState.RELEASED, OrderState.STARTED),
}
#: what an order on hold waits for: everything else may be done to it
STOPPED_BY_HOLD = (Act.RELEASE, Act.POST, Act.COMPLETE, Act.FINISH, Act.CLOSE, Act.HOLD)


def acts_in(state: OrderState, *, is_held: bool = False) -> list[Act]:
    """Return what may be done to an order in a state; on hold, what does not move it on."""
    stopped = STOPPED_BY_HOLD if is_held else (Act.RESUME,)
    return [act for act, states in ALLOWED.items() if state in states and act not in stopped]


_HINTS: dict[tuple[Act, OrderState], str] = {
    (Act.POST, OrderState.PLANNED): "Release the order first.",
    (Act.POST, OrderState.FIRM): "Release the order first.",
    (Act.REDERIVE, OrderState.PLANNED): "A planned order follows the structure in force by itself.",
    (Act.WITHDRAW, OrderState.STARTED): "Take back what was posted to it first.",
    (Act.POST, OrderState.COMPLETED): "Take back its completion first.",
    (Act.POST, OrderState.CLOSED): "Take back its closing and its completion first.",
    (Act.COMPLETE, OrderState.RELEASED): "Report and receive what was made, or cancel the order.",
    (Act.CLOSE, OrderState.STARTED): "Complete the order first.",
    (Act.CLOSE, OrderState.RELEASED): "Report and complete the order, or cancel it.",
    (Act.CLOSE, OrderState.CLOSED): "Nothing is left to do; its causes stand on its page.",
    (Act.CANCEL, OrderState.STARTED): "Unwind it, or finish it short.",
    (Act.CHANGE, OrderState.COMPLETED): "Take back its completion first.",
    (Act.DEVIATE, OrderState.PLANNED): "Change the structure, or release the order first.",
    (Act.DEVIATE, OrderState.FIRM): "Change the structure, or release the order first.",
    (Act.DEVIATE, OrderState.COMPLETED): "Take back its completion first.",
    (Act.SPLIT, OrderState.COMPLETED): "Take back its completion first.",
    (Act.FINISH, OrderState.RELEASED): "Nothing was made of it: cancel it.",
}


@dataclass(eq=False)
class WrongState(DomainError):
    """The order's state does not allow the act."""

    order: str
    state: str
    act: str
    possible: list[str]
    hint: str
    code: ClassVar[str] = "order.wrong_state"
    what: ClassVar[str] = "Order {order} is {state}."
    why: ClassVar[str] = "To {act} an order it has to be {possible}."
    fix: ClassVar[str] = "{hint}"


def require_state(order: str, state: OrderState, act: Act) -> None:
    """Refuse an act that the order's state does not allow: WrongState (order.wrong_state)."""
    if state not in ALLOWED[act]:
        hint = _HINTS.get((act, state), "Choose another order.")
        raise WrongState(order, state.value, act.value, [s.value for s in ALLOWED[act]], hint)


@dataclass(eq=False)
class OnHold(DomainError):
    """The order stands still until somebody lets it go on."""

    order: str
    act: str
    reason: str
    since: str
    code: ClassVar[str] = "order.on_hold"
    what: ClassVar[str] = "Order {order} is on hold: {reason}."
    why: ClassVar[str] = "To {act} it would move it on; it stands still since {since}."
    fix: ClassVar[str] = (
        "A controller resumes it when the reason is gone; what was posted can be taken back meanwhile."
    )


@dataclass(eq=False)
class NotOnHold(DomainError):
    """An order that is resumed and was not on hold."""

    order: str
    code: ClassVar[str] = "order.not_on_hold"
    what: ClassVar[str] = "Order {order} can't be resumed."
    why: ClassVar[str] = "It is not on hold."
    fix: ClassVar[str] = "Go on with it."
