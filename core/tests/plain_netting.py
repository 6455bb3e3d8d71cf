"""Netting item by item in plain Python: slow, plain to see, and what the arrays have to equal."""

from math import ceil, sqrt

import numpy as np
from poietic_core.planning.lot_sizing import LotRule
from poietic_core.planning.netting import RULES, TINY, Policy, Works


def up(quantity: float, step: float) -> float:
    """Return a quantity rounded up to whole steps."""
    return ceil(quantity / step - TINY) * step if step > 0 else quantity


def plain_net(works: Works) -> tuple[list[list[float]], list[list[float]]]:
    """Return what is due, and what is wanted in all, by item and period."""
    items, periods = works.demand.shape
    uses = works.uses.tocsr()
    lines = [
        list(zip(uses.indices[a:b].tolist(), uses.data[a:b].tolist(), strict=True))
        for a, b in zip(uses.indptr[:-1].tolist(), uses.indptr[1:].tolist(), strict=True)
    ]
    gross = works.demand.tolist()
    supply, start = works.supply.tolist(), works.on_hand.tolist()
    gives = np.zeros((items, items)) if works.gives is None else works.gives.toarray()
    due = [[0.0] * periods for _ in range(items)]
    policies = _as_lists(works.policy)
    for item in range(items):
        own = {name: column[item] for name, column in policies.items()}
        if own["is_left_out"]:
            continue
        lots = due[item]
        if RULES[own["rule"]] is LotRule.REORDER_POINT:
            _reorder(lots, start[item], supply[item], gross[item], own, works.frozen)
        else:
            _by_period(lots, start[item], supply[item], gross[item], own, works.frozen)
        for t, quantity in enumerate(lots):
            if quantity:
                ordered = max(0, t - own["lead"])
                for component, each in lines[item]:
                    gross[component][ordered] += quantity * each
                for given in np.flatnonzero(gives[item]).tolist():
                    supply[given][t] += quantity * gives[item, given]
    return due, gross


def _as_lists(policy: Policy) -> dict[str, list]:  # type: ignore[type-arg]
    names = ("rule", "step", "lot", "least", "multiple", "lead", "safety", "periods", "setup", "holding", "is_left_out")  # fmt: skip
    return {name: np.asarray(getattr(policy, name)).tolist() for name in names}


def _by_period(lots, left, supply, gross, own, frozen):  # type: ignore[no-untyped-def]
    rule = RULES[own["rule"]]
    if rule is LotRule.ECONOMIC:
        held = own["holding"] * len(gross[frozen:])
        own["lot"] = up(sqrt(2 * own["setup"] * sum(gross[frozen:]) / held), own["step"]) if held else 0  # fmt: skip
    for t in range(len(gross)):
        left += supply[t] - gross[t]
        short = own["safety"] - left
        if t < frozen or short <= TINY * own["step"]:
            continue
        if rule in (LotRule.FIXED, LotRule.ECONOMIC):
            quantity = up(short, own["lot"] or own["step"])
        else:
            if rule is LotRule.PERIODS:
                ahead = lowest = 0.0
                for s in range(t + 1, min(len(gross), t + max(1, own["periods"]))):
                    ahead += supply[s] - gross[s]
                    lowest = min(lowest, ahead)
                short -= lowest
            quantity = up(up(max(short, own["least"]), own["step"]), own["multiple"])
        lots[t] = quantity
        left += quantity


def _reorder(lots, left, supply, gross, own, frozen):  # type: ignore[no-untyped-def]
    position = left + sum(supply)
    for t in range(len(gross)):
        position -= gross[t]
        short = own["safety"] - position
        if t < frozen or short <= TINY * own["step"]:
            continue
        quantity = up(short, own["lot"] or own["step"])
        position += quantity
        if t + own["lead"] < len(gross):
            lots[t + own["lead"]] += quantity
