"""What was worked out for somebody, in memory for as long as nothing changed that it rests on."""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock, RLock
from typing import Generic, TypeVar

Key = TypeVar("Key", bound=Hashable)
Value = TypeVar("Value")


class Remembered(Generic[Key, Value]):
    """By key the newest that was made, with its mark: equal marks, equal answers. At most so many, those that were
    asked for last. Of those who ask for one thing at once the first works it out, and the others wait for it.
    """

    def __init__(self, most: int) -> None:
        self._most = most
        self._found: OrderedDict[Key, tuple[object, Value]] = OrderedDict()
        self._making: dict[Key, RLock] = {}
        self._lock = Lock()

    def get(self, key: Key, mark: object, make: Callable[[], Value]) -> Value:
        with self._lock:
            making = self._making.setdefault(key, RLock())
        with making:
            with self._lock:
                known = self._found.get(key)
            value = known[1] if known is not None and known[0] == mark else make()
            with self._lock:
                self._found[key] = mark, value
                self._found.move_to_end(key)
                while len(self._found) > self._most:
                    gone, _ = self._found.popitem(last=False)
                    self._making.pop(gone, None)
            return value

    def forget(self, key: Key) -> None:
        with self._lock:
            self._found.pop(key, None)
