"""A disk that takes nothing more from some moment on, by an audit hook: for every kind of writing."""

import errno
import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any


class Fault:
    """Makes writing below a folder fail from the nth time on, as a full or read-only disk does."""

    armed: "Fault | None" = None
    hooked = False

    def __init__(self, root: Path, number: int, code: int) -> None:
        self.root, self.left, self.code = str(root), number, code
        self.hit = False

    @classmethod
    def hook(cls) -> None:
        """An audit hook cannot be taken out again: there is one, and it does nothing while no fault is armed."""
        if not cls.hooked:
            cls.hooked = True
            sys.addaudithook(lambda event, given: cls.armed.hear(event, given) if cls.armed else None)

    def hear(self, event: str, given: tuple[Any, ...]) -> None:
        if not self._writes(event, given):
            return
        self.left -= 1
        if self.left <= 0:
            self.hit = True
            raise OSError(self.code, os.strerror(self.code), str(given[0]))

    def _writes(self, event: str, given: tuple[Any, ...]) -> bool:
        if event == "open":
            path, mode, flags = given
            writing = isinstance(mode, str) and set(mode) & set("wax+")
            writing = writing or (isinstance(flags, int) and flags & (os.O_WRONLY | os.O_RDWR | os.O_CREAT))
        elif event in ("os.mkdir", "os.rename") or (event in ("os.remove", "os.rmdir") and self.code != errno.ENOSPC):
            path, writing = given[1] if event == "os.rename" else given[0], True
        else:
            return False
        return bool(writing) and str(path).startswith(self.root)


@contextmanager
def faulty(root: Path, number: int, code: int) -> Iterator[Fault]:
    Fault.hook()
    Fault.armed = Fault(root, number, code)
    try:
        yield Fault.armed
    finally:
        Fault.armed = None
