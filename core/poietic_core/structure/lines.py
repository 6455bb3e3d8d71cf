"""Component lines of many structures in columns: a plant has a million, and few are looked at one by one."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from typing import overload

import numpy as np
from numpy.typing import NDArray

from .model import ComponentLine

Positions = NDArray[np.int32]


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Columns:
    """Component lines, each as the item and the operation that it names and the kind of line it is.

    Three columns of shape (n_lines,), and what they count in; told from others by being itself.
    """

    item: Positions
    operation: Positions
    kind: Positions
    #: items by position
    codes: Sequence[str]
    #: a line of each kind: it says what all of them say beside their item and operation
    kinds: Sequence[ComponentLine]

    @classmethod
    def of(cls, lines: Sequence[ComponentLine]) -> Columns:
        """Return lines in columns, each as a kind of its own."""
        places = np.arange(len(lines), dtype=np.int32)
        operations = np.array([line.operation for line in lines], dtype=np.int32)
        codes = [line.item for line in lines]
        return cls(item=places, operation=operations, kind=places, codes=codes, kinds=lines)


@dataclass(slots=True, eq=False)
class Lines(Sequence[ComponentLine]):
    """The lines of one structure out of columns; they are made when somebody asks for one."""

    columns: Columns
    begin: int
    end: int
    _made: tuple[ComponentLine, ...] | None = field(default=None, init=False, repr=False)

    def __len__(self) -> int:
        return self.end - self.begin

    @overload
    def __getitem__(self, at: int) -> ComponentLine: ...
    @overload
    def __getitem__(self, at: slice) -> Sequence[ComponentLine]: ...
    def __getitem__(self, at: int | slice) -> ComponentLine | Sequence[ComponentLine]:
        return self._lines()[at]

    def __iter__(self) -> Iterator[ComponentLine]:
        return iter(self._lines())

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Sequence) and self._lines() == tuple(other)

    def __hash__(self) -> int:
        return hash(self._lines())

    def codes(self) -> list[str]:
        """Return the item of each line."""
        return [self.columns.codes[n] for n in self.columns.item[self.begin : self.end].tolist()]

    def _lines(self) -> tuple[ComponentLine, ...]:
        if self._made is None:
            columns, own = self.columns, slice(self.begin, self.end)
            self._made = tuple(
                replace(columns.kinds[kind], item=code, operation=operation)
                for code, operation, kind in zip(
                    self.codes(),
                    columns.operation[own].tolist(),
                    columns.kind[own].tolist(),
                    strict=True,
                )
            )
        return self._made


def as_lines(components: Sequence[ComponentLine]) -> Lines:
    """Return the components of a structure as lines out of columns; they may be that already."""
    if isinstance(components, Lines):
        return components
    return Lines(Columns.of(components), 0, len(components))


def codes_of(components: Iterable[ComponentLine]) -> list[str]:
    """Return the item of each component, without making lines for it."""
    if isinstance(components, Lines):
        return components.codes()
    return [line.item for line in components]
