"""What a command did, gathered while it runs: the same for a preview and for a posting."""

import hashlib
import re
from collections.abc import Iterable
from decimal import Decimal
from typing import TypeVar

from poietic_core.quantity import ZERO

from ..web_api.fields import Answer, DecimalText

K = TypeVar("K")
V = TypeVar("V")


class FieldChange(Answer):
    """One field of one thing, before and after."""

    thing: str
    field: str
    before: str
    after: str


class StockChange(Answer):
    """Stock of an item at a place, of a lot where it has one, before and after."""

    item: str
    name: str
    place: str
    lot: str
    unit: str
    before: DecimalText
    after: DecimalText


class WipChange(Answer):
    """Work in process of an order by element, before and after."""

    order: int
    element: str
    before: DecimalText
    after: DecimalText


class JournalChange(Answer):
    """What an account is debited and credited."""

    account: str
    debit: DecimalText
    credit: DecimalText


class VarianceChange(Answer):
    """An order's variance to date, before and after; unfavourable is positive."""

    order: int
    before: DecimalText
    after: DecimalText


class Remark(Answer):
    """A thing to know before posting that does not stop it."""

    thing: str
    text: str


class Consequences(Answer):
    """What a command would do, or did."""

    fields: list[FieldChange]
    stock: list[StockChange]
    wip: list[WipChange]
    variance: list[VarianceChange]
    journal: list[JournalChange]
    remarks: list[Remark]

    def digest(self, made: Iterable[str] = ()) -> str:
        """Return a fingerprint: equal consequences have equal ones.

        Parameters
        ----------
        made : numbers of what the act makes; they come from a sequence, so a preview's are others
        """
        told = self.model_dump_json()
        for number in (n for value in made for n in value.split(",")):
            # a short one may be a quantity too: only where it is named, such as "order 7"
            named = "" if len(number) > 3 else "(?<=[a-z] )"
            told = re.sub(rf"{named}(?<![\d.]){re.escape(number)}(?![\d.])", "new", told)
        return hashlib.sha256(told.encode()).hexdigest()


class Effects:
    """Collects before and after; what ends as it began is left out."""

    def __init__(self) -> None:
        self._fields: dict[tuple[str, str], tuple[str, str]] = {}
        self._stock: dict[tuple[str, str, str, str, str], tuple[Decimal, Decimal]] = {}
        self._wip: dict[tuple[int, str], tuple[Decimal, Decimal]] = {}
        self._variance: dict[int, tuple[Decimal, Decimal]] = {}
        self._accounts: dict[str, list[Decimal]] = {}
        self._remarks: list[Remark] = []

    def field(self, thing: str, field: str, before: object, after: object) -> None:
        """Note a change of a field; `before` of the first note and `after` of the last count."""
        first = self._fields.get((thing, field), (_words(before), ""))[0]
        self._fields[thing, field] = (first, _words(after))

    def changes(self, field: str) -> bool:
        """Tell whether a field of that name was changed of anything."""
        return any(name == field for _, name in self._fields)

    def stock(
        self,
        *,
        item: str,
        name: str,
        place: str,
        lot: str,
        unit: str,
        before: Decimal,
        after: Decimal,
    ) -> None:
        """Note a change of stock at a place."""
        key = (item, name, place, lot, unit)
        self._stock[key] = (self._stock.get(key, (before, after))[0], after)

    def wip(self, *, order: int, element: str, before: Decimal, after: Decimal) -> None:
        """Note a change of an order's work in process."""
        key = (order, element)
        self._wip[key] = (self._wip.get(key, (before, after))[0], after)

    def variance(self, *, order: int, before: Decimal, after: Decimal) -> None:
        """Note a change of an order's variance to date."""
        self._variance[order] = (self._variance.get(order, (before, after))[0], after)

    def journal(self, account: str, amount: Decimal) -> None:
        """Note money on an account: debit above zero, credit below."""
        sides = self._accounts.setdefault(account, [ZERO, ZERO])
        sides[0 if amount > 0 else 1] += abs(amount)

    def remark(self, thing: str, text: str) -> None:
        """Note something to know before posting."""
        self._remarks.append(Remark(thing=thing, text=text))

    def absorb(self, other: "Effects") -> None:
        """Take in what another part of the same act did, after what was noted before."""
        _join(self._fields, other._fields)
        _join(self._stock, other._stock)
        _join(self._wip, other._wip)
        _join(self._variance, other._variance)
        for account, (debit, credit) in other._accounts.items():
            sides = self._accounts.setdefault(account, [ZERO, ZERO])
            sides[0], sides[1] = sides[0] + debit, sides[1] + credit
        self._remarks += other._remarks

    def consequences(self) -> Consequences:
        """Return what was gathered, in a fixed order."""
        return Consequences(
            fields=[
                FieldChange(thing=t, field=f, before=b, after=a)
                for (t, f), (b, a) in self._fields.items()
                if b != a
            ],
            stock=[
                StockChange(item=i, name=n, place=p, lot=t, unit=u, before=b, after=a)
                for (i, n, p, t, u), (b, a) in self._stock.items()
                if b != a
            ],
            wip=[
                WipChange(order=o, element=e, before=b, after=a)
                for (o, e), (b, a) in self._wip.items()
                if b != a
            ],
            variance=[
                VarianceChange(order=o, before=b, after=a)
                for o, (b, a) in self._variance.items()
                if b != a
            ],
            journal=[
                JournalChange(account=n, debit=d, credit=c)
                for n, (d, c) in self._accounts.items()
                if d or c
            ],
            remarks=self._remarks,
        )


def _join(mine: dict[K, tuple[V, V]], later: dict[K, tuple[V, V]]) -> None:
    """Take in later changes: what was before the first stays what was before."""
    for key, (before, after) in later.items():
        mine[key] = (mine.get(key, (before, after))[0], after)


def _words(value: object) -> str:
    if isinstance(value, Decimal):
        return format(value.normalize() + 0, "f")
    return "" if value is None else str(value)
