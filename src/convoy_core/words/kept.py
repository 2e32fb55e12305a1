"""What was worked out once, for whoever asks again after every edit."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from typing import Any, TypeVar

T = TypeVar("T")


class Kept:
    """An answer holds while what it was made of is the same. Forgets everything when it holds more than `most`."""

    def __init__(self, most: int = 20_000) -> None:
        self._found: dict[Hashable, tuple[object, Sequence[object], Any]] = {}
        self._most = most

    def get(self, key: Hashable, equal: object, very: Sequence[object], make: Callable[[], T]) -> T:
        """`equal`: what has to be equal to what it was; `very`: what has to be the very thing, as values of files that
        Python calls equal (1 and true) are not the same ones.
        """
        was, were, found = self._found.get(key, (None, (), None))
        if found is not None and was == equal and len(were) == len(very) and all(map(_is, were, very)):
            answer: T = found
            return answer
        if len(self._found) >= self._most:
            self._found.clear()
        made = make()
        self._found[key] = equal, very, made
        return made


def _is(one: object, other: object) -> bool:
    return one is other
