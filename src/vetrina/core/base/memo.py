"""One bounded memo: what was worked out once, by what it was worked out of."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

K = TypeVar("K")
V = TypeVar("V")
KEPT = 4096


class Memo(dict[K, V]):
    """The results of a function by its argument; emptied when there are too many, so that a flood costs time, not room.

    Args:
        make: The function; what it raises comes out of the look-up.
        kept: How many results are kept.
        keeps: Tells whether a result of this argument is worth its room.
    """

    def __init__(self, make: Callable[[K], V], kept: int = KEPT, keeps: Callable[[K], bool] | None = None) -> None:
        super().__init__()
        self._make, self._kept, self._keeps = make, kept, keeps

    def __missing__(self, key: K) -> V:
        found = self._make(key)
        if len(self) >= self._kept:
            self.clear()
        if self._keeps is None or self._keeps(key):
            self[key] = found
        return found
