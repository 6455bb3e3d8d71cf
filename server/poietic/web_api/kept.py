"""Answers kept in the process, for questions whose answer never changes."""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")


class Kept(Generic[K, V]):
    """Keeps answers by key; when there are too many the oldest goes."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._answers: OrderedDict[K, V] = OrderedDict()

    def get(self, key: K) -> V | None:
        """Return a kept answer."""
        return self._answers.get(key)

    def keep(self, key: K, answer: V) -> V:
        """Keep an answer and return it."""
        if len(self._answers) >= self._most:
            self._answers.popitem(last=False)
        self._answers[key] = answer
        return answer

    def get_or(self, key: K, make: Callable[[], V]) -> V:
        """Return a kept answer, or make and keep it."""
        found = self._answers.get(key)
        return self.keep(key, make()) if found is None else found
