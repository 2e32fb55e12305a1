"""A folder in which nothing has happened since it was last in step is known by one walk, without reading its release.

The walk's sum (paths, sizes and times of every file) is kept when a sync ends with nothing left to do. The same sum,
the same release and the same choices mean: nothing to do. Anything else goes the long way.
"""

from __future__ import annotations

import os
import zlib
from dataclasses import dataclass
from typing import Any

from convoy_core.sync.plan import Plan
from convoy_core.trust.statement import Named

from .folder.folder import Folder
from .folder.machine import facts
from .site.head import Head
from .storage import disk, sealed
from .visit import Reported

_MASK = (1 << 64) - 1


@dataclass(frozen=True)
class Stillness:
    """What was told of the folder when it came to rest."""

    files: int
    fingerprint: str
    about: dict[str, Any]

    def plan(self) -> Plan:
        return Plan((), self.files, (), (), (), ())


class Calm:
    def __init__(self, folder: Folder) -> None:
        self._folder = folder
        self._place = folder.own / "calm.json"

    def keep(self, release: Named, head: Head, outcome: Reported) -> None:
        """Remembers a folder in which nothing is left to do; forgets one in which something is."""
        taken = {(one.taken.id, one.taken.sha256) for one in outcome.prospect.laid}
        # One of which the site says nothing stays as it lies: there is nothing to wait for.
        is_all_taken = taken >= {(one.pack, one.sha256) for one in head.beside if one.number}
        left = outcome.plan.moves or outcome.look.deviations or outcome.look.own or outcome.plan.extras
        if left or not is_all_taken:
            self.forget()
            return
        try:
            seen = _sum(self._folder)
        except FileNotFoundError:
            # A game that is running takes files away: this folder does not rest.
            self.forget()
            return
        told = {
            "of": self._of(release, head),
            "sum": seen,
            "files": outcome.plan.left_alone,
            "fingerprint": outcome.fingerprint,
            "about": outcome.about,
        }
        sealed.write(self._place, told)

    def forget(self) -> None:
        """Something was done that the folder's files do not show: backups, steps."""
        disk.remove(self._place)

    def still(self, release: Named, head: Head) -> Stillness | None:
        """What was told last time, when nothing has happened since; otherwise None."""
        try:
            kept: Any = sealed.read(self._place)
            if kept["of"] != self._of(release, head) or kept["sum"] != _sum(self._folder):
                return None
            about = {**kept["about"], "machine": facts(self._folder.root)}
            return Stillness(int(kept["files"]), str(kept["fingerprint"]), about)
        except (OSError, sealed.Damaged, ValueError, KeyError, TypeError):
            # A sum that was spoilt is only worth the long way round.
            return None

    def _of(self, release: Named, head: Head) -> list[Any]:
        worlds = {mod: sorted(names) for mod, names in head.worlds.items()}
        pinned = sorted([path, list(key)] for path, key in head.pinned)
        return [
            release.number,
            release.sha256,
            sorted(head.left_out),
            worlds,
            sorted(head.sets),
            pinned,
            head.tells_settings,
            [
                [one.pack, one.number, one.sha256, one.mark, [list(row) for row in sorted(one.refused.items())]]
                for one in head.beside
            ],
        ]


def _sum(folder: Folder) -> list[int]:
    """Number of files, and a sum of what each looks like that does not depend on their order."""
    count = total = 0
    pending = [("", str(folder.root))]
    own = folder.own.name
    crc32 = zlib.crc32
    while pending:
        prefix, place = pending.pop()
        seed = crc32(os.fsencode(prefix))
        try:
            entries = os.scandir(place)
        except PermissionError:
            continue  # somebody else's, as in `files.walk`
        with entries:
            for entry in entries:
                if disk.entry_is_folder(entry):
                    if prefix or entry.name != own:
                        pending.append((f"{prefix}{entry.name}/", entry.path))
                    continue
                stat = entry.stat(follow_symlinks=False)
                count += 1
                # Hashes of numbers are the same in every run of Python; hashes of texts are not.
                total += hash((crc32(os.fsencode(entry.name), seed), stat.st_size, stat.st_mtime_ns, stat.st_ctime_ns))
    return [count, total & _MASK]
