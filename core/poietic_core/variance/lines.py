"""One input of an order: what it cost more or less than its standard, cause by cause."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal

from ..cost.model import OUTPUT_KINDS, InputKind
from ..derivation import Derivation, difference, given, larger, negative, product, quotient, total
from ..quantity import ONE, ZERO
from ..structure.basis import Basis
from .causes import Cause, CauseKind, named_cause
from .facts import MADE_ONCE, InputFacts, OperationFacts, OrderFacts, StandIn
from .units import Flow


@dataclass(frozen=True, slots=True)
class Line:
    """An input of an order with the units that it is measured by."""

    i: InputFacts
    facts: OrderFacts
    flow: Flow
    #: what was used in its place, and what each unit of that stands for
    stand_ins: Sequence[tuple[InputFacts, StandIn]] = ()
    #: all components that may be exchanged for each other, itself among them
    mixed_with: Sequence[Line] = ()

    def causes(self) -> list[Cause]:
        """Return what the input cost more or less than its standard, by cause."""
        i = self.i
        price = given("standard price", i.price, unit=f"EUR/{i.unit}")
        used = given(f"{i.code} used", i.used, unit=i.unit)
        charged = given("credited" if i.kind in OUTPUT_KINDS else "charged", i.amount, unit="EUR")
        at_standard = product("at standard price", (used, price), unit="EUR")
        kinds = {CauseKind.PRICE: difference("price", charged, at_standard, unit="EUR")}
        if i.stands_for:
            kinds[CauseKind.SUBSTITUTION] = difference(
                "substitution", at_standard, self._replaced(), unit="EUR"
            )
        else:
            for kind, quantity in self._quantities().items():
                kinds[kind] = product(str(kind), (quantity, price), unit="EUR")
        return [
            Cause(
                kind=named_cause(kind, i),
                operation=i.operation,
                code=i.code,
                input=i.kind,
                amount=negative(amount) if i.kind in OUTPUT_KINDS else amount,
            )
            for kind, amount in kinds.items()
        ]

    def held(self) -> Derivation:
        """Return how much of the input the standard grants for what is still in the order."""
        standing, out = self._standing(), self._required()
        open_part = given("none is made ahead", ZERO, unit=self.i.unit)
        if self.i.basis is Basis.ORDER:
            open_part = difference(
                "made for what is still to come", self._allowed(), self._due(), unit=self.i.unit
            )
        in_work = difference("in what stands", standing, out, unit=self.i.unit)
        return total("held", (open_part, in_work, self._unworked()), unit=self.i.unit)

    def times_made(self) -> Decimal:
        """Return how often what is allowed once per order was made."""
        return self._done().value

    def covered(self) -> Decimal:
        """Return A: what was used of it, with what was used in its place [unit]."""
        return self._covered().value

    def unworked(self) -> Decimal:
        """Return U: issued and not yet worked in [unit]."""
        return self._unworked().value

    def _quantities(self) -> dict[CauseKind, Derivation]:
        i = self.i
        used = self._covered()
        standard = self._standard_required()
        if i.kind is InputKind.CO_PRODUCT:  # more or less of it is one cause, whatever it is due to
            expected = total("expected", (self.held(), standard), unit=i.unit)
            return {CauseKind.OUTPUT_MIX: difference("beyond", used, expected, unit=i.unit)}
        allowed, standing = self._allowed(), self._standing()
        found = {
            **self._beyond(used, allowed),
            CauseKind.METHOD: difference(
                "structure against standard", self._required(), standard, unit=i.unit
            ),
        }
        if i.basis is Basis.ORDER:
            found[CauseKind.ORDER_SIZE] = difference(
                "made once, absorbed per piece", self._due(), standing, unit=i.unit
            )
        else:
            found[CauseKind.YIELD] = difference(
                "for units beyond the yield", allowed, standing, unit=i.unit
            )
        return found

    def _beyond(self, used: Derivation, allowed: Derivation) -> dict[CauseKind, Derivation]:
        """Return what was used beyond what is allowed, of one of a mix by its share and by the total."""
        unit = self.i.unit
        worked = (used, negative(self._unworked()))
        if not self.mixed_with:
            beyond = total("used beyond allowed", (*worked, negative(allowed)), unit=unit)
            return {CauseKind.USAGE: beyond}
        shares = [line._q() for line in self.mixed_with]
        share = quotient("standard share", self._q(), total("of all", shares, unit=unit))
        of_all = total(
            "worked in of all", (line._worked_in() for line in self.mixed_with), unit=unit
        )
        granted = total("allowed of all", (line._allowed() for line in self.mixed_with), unit=unit)
        at_share = product("at the standard share", (share, of_all), unit=unit)
        return {
            CauseKind.MIX: difference("another share", self._worked_in(), at_share, unit=unit),
            CauseKind.MIX_YIELD: product(
                "its share of the total beyond allowed",
                (share, difference("beyond", of_all, granted, unit=unit)),
                unit=unit,
            ),
        }

    def _worked_in(self) -> Derivation:
        """Return what was used without what is not yet worked in."""
        return difference("worked in", self._covered(), self._unworked(), unit=self.i.unit)

    def _replaced(self) -> Derivation:
        """Return what the inputs would have cost that this one was used in the place of."""
        parts = []
        for s in self.i.stands_for:
            other = self.facts.inputs[s.input]
            price = given(f"standard price of {other.code}", other.price, unit=f"EUR/{other.unit}")
            worth = product(f"{other.code} replaced", (equivalent(self.i, s, other), price), unit="EUR")  # fmt: skip
            parts.append(negative(worth) if other.kind in OUTPUT_KINDS else worth)
        return total("in the place of", parts, unit="EUR")

    def _covered(self) -> Derivation:
        """Return what was used of the input, with what was used in its place."""
        used = given("used", self.i.used, unit=self.i.unit)
        if not self.stand_ins:
            return used
        others = (equivalent(other, s, self.i) for other, s in self.stand_ins)
        return total("used, with what stood in for it", (used, *others), unit=self.i.unit)

    def _operation(self) -> OperationFacts:
        for o in self.facts.operations:
            if o.number == self.i.operation:
                return o
        share = self.flow.standard_yields[self.i.operation]  # of the costing structure alone
        return OperationFacts(number=self.i.operation, yield_share=share, is_finished=True)

    def _q(self) -> Derivation:
        return given(f"{self.i.code} allowed per {self.i.basis}", self.i.allowed, unit=self.i.unit)

    def _done(self) -> Derivation:
        """Return what was done of what the input is stated for: units, good units, times made."""
        o = self._operation()
        if self.i.basis is Basis.GOOD:
            return given("good units", o.good)
        if self.i.basis is Basis.ENTERING:
            return given("units processed", o.processed())
        if o.times_set_up is not None:
            return given("times set up", o.times_set_up)
        began = o.processed() > 0 or any(
            i.operation == o.number and i.kind in MADE_ONCE and i.used > 0
            for i in self.facts.inputs
        )
        return given("times made", ONE if began else ZERO)

    def _allowed(self) -> Derivation:
        """Return what the order's structure grants for what was done."""
        return product("allowed for it", (self._q(), self._done()), unit=self.i.unit)

    def _due(self) -> Derivation:
        """Return what of a per-order input is due for the part of the order that is done."""
        part = self.flow.part_done[self.i.operation]
        return product("due so far", (part, self._allowed()), unit=self.i.unit)

    def _standing(self) -> Derivation:
        """Return what the order's structure grants for what was received and what stands."""
        k, enter = self.i.operation, self.flow.enter[self.i.operation]
        if self.i.basis is Basis.ENTERING:
            units = enter
        elif self.i.basis is Basis.GOOD:
            o = self._operation()
            good = product(
                "good ones for what stands", (enter, given(f"yield of {k}", o.yield_share))
            )
            # those waiting for rework are not paid for yet
            units = difference("good ones", good, given("waiting for rework", o.rework_pending))
        else:
            done = quotient("good units done", enter, self.flow.per_good[k])
            lot = given("standard lot", self.facts.standard_lot)
            units = quotient("lots done", done, lot)
        return product("allowed for what stands", (self._q(), units), unit=self.i.unit)

    def _required(self) -> Derivation:
        """Return what the order's structure requires for what was received."""
        share = self._operation().yield_share
        units = self._units(self.i.basis, self.flow.out, share)
        return product("by the order's structure", (self._q(), units), unit=self.i.unit)

    def _standard_required(self) -> Derivation:
        """Return what the costing structure requires for what was received."""
        basis = self.i.standard_basis
        q_star = given(
            f"{self.i.code} in the standard, per {basis}", self.i.standard, unit=self.i.unit
        )
        share = self.flow.standard_yields.get(self.i.operation, ONE)
        units = self._units(basis, self.flow.standard_out, share)
        return product("by the standard's", (q_star, units), unit=self.i.unit)

    def _units(self, basis: Basis, out: Mapping[int, Derivation], share: Decimal) -> Derivation:
        if basis is Basis.ORDER:
            return self.flow.lots
        entering = out[self.i.operation]
        if basis is Basis.ENTERING:
            return entering
        good = given(f"yield of {self.i.operation}", share)
        return product("good ones required", (entering, good))

    def _unworked(self) -> Derivation:
        """Return U: issued and not yet worked in."""
        i = self.i
        if self._operation().is_finished or self.facts.is_completed or i.kind is not InputKind.COMPONENT:  # fmt: skip
            return given("not yet worked in", ZERO, unit=i.unit)
        if i.unworked is not None:
            return given("stated as not yet worked in", i.unworked, unit=i.unit)
        whole = i.required
        if whole is None:
            units = self.facts.ordered * self.flow.per_good[i.operation].value
            whole = i.allowed * (ONE if i.basis is Basis.ORDER else units)
        surplus = min(self._covered().value, whole) - self._allowed().value
        return larger(
            "not yet worked in",
            given("none", ZERO),
            given("issued beyond the work", surplus, unit=i.unit),
        )


def mixes_of(lines: Iterable[Line]) -> dict[int, list[Line]]:
    """Return, by the place of a line, all that may be exchanged for each other with it.

    Those of one mark at one operation, stated for the same, of which the order still allows any;
    where something else was used in the place of one, that is substitution, and none is mixed.
    """
    found: dict[tuple[int, str, Basis], dict[int, Line]] = {}
    for at, line in enumerate(lines):
        i = line.i
        if i.mix and i.allowed and not i.is_rework and not i.stands_for:
            found.setdefault((i.operation, i.mix, i.basis), {})[at] = line
    return {
        at: list(mix.values())
        for mix in found.values()
        if len(mix) > 1 and not any(line.stand_ins for line in mix.values())
        for at in mix
    }


def equivalent(i: InputFacts, stands: StandIn, other: InputFacts) -> Derivation:
    """Return how much of another input is covered by what was used of one that stands for it.

    Parameters
    ----------
    i : what was used [its unit], standing for `stands.times` / `stands.per` of the other
    other : the input that it stands for

    Source
    ------
    Substitution at a stated ratio: common practice.
    """
    used = given(f"{i.code} used", i.used, unit=i.unit)
    times = product("times", (used, given("stands for", stands.times)), unit=other.unit)
    return quotient(f"{i.code} as {other.code}", times, given("of", stands.per), unit=other.unit)
