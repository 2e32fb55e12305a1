"""Milestones of playthroughs: at each, worlds and settings are backed up by its name, once.

The site names them; what it can ask for by that is a copy beside what is there, and so many of them.
"""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass
from typing import Any

from convoy_core.lock.terms import Terms
from convoy_core.words.errors import ConvoyError

from .errors import BackupRefused
from .folder.backups import Backups
from .folder.folder import Folder
from .site.head import Milestone
from .storage import sealed
from .visit import Now

MOST_MILESTONES = 20
"""Of one installation, ever: each keeps a whole copy of worlds as they were."""


@dataclass(frozen=True)
class _Seen:
    """Milestones that are done with: backed up, or of worlds that were not here."""

    done: frozenset[str] = frozenset()
    made: int = 0


def keep_milestones(folder: Folder, milestones: tuple[Milestone, ...], terms: Terms, now: Now) -> bool:
    """Backs up at those that are new; says whether anything was. What cannot be now is tried again at the next visit,
    and told.
    """
    seen = _seen(folder)
    fresh = [one for one in milestones if one.id not in seen.done]
    if not fresh:
        return False
    here = {path.rpartition("/")[2] for path in folder.worlds_there(terms)}
    done, made = set(seen.done), seen.made
    for one in fresh:
        if one.world in here:
            if made >= MOST_MILESTONES:
                folder.remarks.append(f"{one.name} was not backed up: {MOST_MILESTONES} milestones are kept already.")
                continue
            try:
                Backups(folder).make(terms, now(), one.name, folder.record().release, True)
            except BackupRefused as error:
                folder.remarks.append(f"{one.name} is not backed up yet. {error.sentence()}")
                continue
            made += 1
        done.add(one.id)
    sealed.write(folder.own / "milestones.json", {"done": sorted(done), "made": made})
    return made > seen.made


def _seen(folder: Folder) -> _Seen:
    with suppress(FileNotFoundError, sealed.Damaged, ConvoyError, TypeError, ValueError, KeyError):
        told: Any = sealed.read(folder.own / "milestones.json")
        return _Seen(frozenset(map(str, told["done"])), int(told["made"]))
    return _Seen()
