"""Counts tries at what may be guessed, so that guessing comes to nothing and nobody honest is kept out.

A try is counted before it is judged, in a transaction of its own: one that is refused stays counted, and a hundred at
once are a hundred. A right one is taken back. The same wrong code again is no new guess. Counted is by account where
there is one, and by address with room for a crew behind one proxy.
"""

import hashlib
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db import connection, transaction
from django.utils import timezone

from convoy_core.words.errors import ConvoyError

from .models import Tries

WINDOW = timedelta(minutes=10)


class TooMany(ConvoyError):
    code = "too-many"


@dataclass(frozen=True)
class Tried:
    """A try that was counted, under these names."""

    names: tuple[str, ...]
    mark: str

    def was_right(self) -> None:
        with transaction.atomic(), connection.cursor() as cursor:
            for name in self.names:
                Tries.objects.filter(key=f"{name}:{self.mark}").delete()
                cursor.execute("update people_tries set count = greatest(count - 1, 0) where key = %s", [name])


def begin(what: str, most: Mapping[str, int], code: str) -> Tried:
    """Counts a try at `what` with a code. `most`: wrong tries within ten minutes by who tries (`user:7`, `address:…`).

    Raises TooMany, and then the try is not to be judged.
    """
    names = {f"{what}:{who}": limit for who, limit in most.items()}
    mark = hashlib.sha256(code.encode("utf-8", "replace")).hexdigest()[:16]
    with transaction.atomic(durable=True):
        fresh = tuple(name for name in names if _bump(f"{name}:{mark}") == 1)
        counts = {name: _bump(name) if name in fresh else _count(name) for name in names}
    if any(counts[name] > limit for name, limit in names.items()):
        minutes = int(WINDOW.total_seconds() // 60)
        raise TooMany("Too many wrong tries.", "Nothing here is to be guessed.", f"Wait {minutes} minutes.")
    return Tried(fresh, mark)


@contextmanager
def guarded(what: str, most: Mapping[str, int], code: str) -> Iterator[None]:
    """What is done with a code: a body that raises was a wrong try. Raises TooMany without running it."""
    tried = begin(what, most, code)
    yield
    tried.was_right()


def count_use(what: str, who: str, most: int, seconds: int) -> None:
    """Counts a use of something that costs, right or wrong. Raises TooMany above `most` within `seconds`."""
    with transaction.atomic(durable=True):
        count = _bump(f"{what}:{who}", timedelta(seconds=seconds))
    if count > most:
        raise TooMany("That was asked too often.", now=f"Wait {max(1, seconds // 60)} minutes.")


def forget_old(now: datetime | None = None) -> None:
    Tries.objects.filter(until__lt=now or timezone.now()).delete()


# One statement, so that two at once are two: the ORM has no way to say that a row counts up or begins again.
BUMP = """
insert into people_tries (key, count, until) values (%(key)s, 1, now() + %(window)s::interval)
on conflict (key) do update set
    count = case when people_tries.until < now() then 1 else people_tries.count + 1 end,
    until = case when people_tries.until < now() then excluded.until else people_tries.until end
returning count
"""


def _bump(key: str, window: timedelta = WINDOW) -> int:
    with connection.cursor() as cursor:
        cursor.execute(BUMP, {"key": key[:200], "window": f"{window.total_seconds()} seconds"})
        return int(cursor.fetchone()[0])


def _count(key: str) -> int:
    row = Tries.objects.filter(key=key[:200], until__gte=timezone.now()).first()
    return row.count if row else 0
