"""Answers kept in the process, for questions whose answer never changes."""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from contextlib import suppress
from typing import Generic, TypeVar

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")


class Kept(Generic[K, V]):
    """Keeps answers by key; when there are too many, the one that was longest not asked for goes."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._answers: OrderedDict[K, V] = OrderedDict()

    def get(self, key: K) -> V | None:
        """Return a kept answer."""
        found = self._answers.get(key)
        if found is not None:
            with suppress(KeyError):  # another thread has just let it go
                self._answers.move_to_end(key)
        return found

    def keep(self, key: K, answer: V) -> V:
        """Keep an answer and return it."""
        if len(self._answers) >= self._most:
            self._answers.popitem(last=False)
        self._answers[key] = answer
        return answer

    def get_or(self, key: K, make: Callable[[], V]) -> V:
        """Return a kept answer, or make and keep it."""
        found = self.get(key)
        return self.keep(key, make()) if found is None else found
