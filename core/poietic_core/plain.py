"""Value objects of which a plant has millions."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeVar, dataclass_transform

C = TypeVar("C")


@dataclass_transform(kw_only_default=True, frozen_default=True)
def made_by_the_million(cls: type[C]) -> type[C]:
    """Return `cls` as a keyword-only dataclass that the type checker holds to be frozen.

    At run time it isn't, because a frozen one takes three times as long to make.
    """
    return dataclass(slots=True, kw_only=True, unsafe_hash=True)(cls)
