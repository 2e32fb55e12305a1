"""While something on the bench runs, a worker tells how far it is, and notices that somebody stopped it."""

import time

from convoy_io.games import Stopped

from ..releases.models import Making

LOOK_SECONDS = 0.5
"""Between two looks at whether somebody stopped it, and two tellings of how far it is."""


class Ended(Exception):
    """Somebody stopped it: nobody has to be told."""


class Follow:
    """Of one row of a making. `stays`: seconds that a game has to stay up after its main screen."""

    def __init__(self, one: Making, stays: float) -> None:
        self._rows, self._total = type(one)._default_manager.filter(pk=one.pk), one.total
        self._stays, self._done, self._at = stays, 0, time.monotonic()

    def moved(self, size: int) -> None:
        """Raises Ended."""
        self._done += size
        if self._is_due():
            self._rows.update(done=min(self._done, self._total))
            if self.is_stopped():
                raise Ended

    def passed(self, size: int) -> None:
        """As `moved`, for what is no part of how far it is. Raises Ended."""
        if self._is_due() and self.is_stopped():
            raise Ended

    def wanted(self, up: float | None) -> Stopped | None:
        """Asked while the game runs."""
        if up is not None and up >= self._stays:
            return Stopped.DONE
        return Stopped.ASKED if self._is_due() and self.is_stopped() else None

    def is_stopped(self) -> bool:
        return self._rows.values_list("stop", flat=True).first() is not False

    def _is_due(self) -> bool:
        due = time.monotonic() - self._at >= LOOK_SECONDS
        if due:
            self._at = time.monotonic()
        return due
