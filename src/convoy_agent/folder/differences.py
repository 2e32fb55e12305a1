"""What lies in a folder against its share of a release: what the site is told, and what a sync would mend."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from convoy_core.lock.lock import Lock
from convoy_core.lock.rendering import broken
from convoy_core.lock.terms import Tweak
from convoy_core.settings.formats import Key, UnreadableSettings, Value
from convoy_core.sync.deviations import Deviation, Strayed, deviations_of
from convoy_core.sync.plan import NOT_PLAIN

from .folder import Folder
from .record import Record
from .settings_files import bytes_at


@dataclass(frozen=True)
class Look:
    """What lies in a folder, against its share of a release: what the site is told."""

    hashes: dict[str, str]
    deviations: dict[str, Deviation]
    strayed: tuple[Strayed, ...]
    values: dict[str, dict[Key, Value]]
    """Enforced keys with what they say, by path."""
    to_mend: frozenset[str]
    """Settings files with strayed keys that can be set right."""
    own: Mapping[str, Deviation] = field(default_factory=dict)
    """What deviates of collections that its member took up beside the pack: nobody else's business."""

    def apart(self, own: Collection[str]) -> Look:
        """With what is its member's own told by itself."""
        theirs = {path: what for path, what in self.deviations.items() if path in own}
        if not theirs:
            return self
        deviations = {path: what for path, what in self.deviations.items() if path not in own}
        return replace(self, deviations=deviations, own=theirs)


def look_at(folder: Folder, share: Lock, hashes: dict[str, str]) -> Look:
    """Compares, and reads the settings files in which something is enforced. All other settings are the member's."""
    found = deviations_of(share, hashes)
    strayed: list[Strayed] = []
    values: dict[str, dict[Key, Value]] = {}
    to_mend: set[str] = set()
    # One that the game writes itself is right as long as it is not there.
    written = (path for path in share.adjusted if hashes.get(path, NOT_PLAIN) != NOT_PLAIN)
    for path in (*(file.path for file in share.files), *written):
        if path not in found and (enforced := share.terms.enforced(path)):
            off, values[path] = _strayed(folder, path, enforced)
            if off:
                found[path] = Deviation.SETTING
                strayed += off
            if off and values[path]:
                to_mend.add(path)
    return Look(hashes, found, tuple(strayed), values, frozenset(to_mend))


def look_at_record(record: Record, hashes: dict[str, str]) -> Look:
    """Where nobody has the installed release any more: what was placed, against what lies there."""
    found = {}
    for path, (sha256, _) in record.files.items():
        if path not in hashes:
            found[path] = Deviation.MISSING
        elif hashes[path] != sha256 and path not in record.renderings:
            found[path] = Deviation.ALTERED
    return Look(hashes, found, (), {}, frozenset())


def _strayed(folder: Folder, path: str, enforced: Sequence[Tweak]) -> tuple[list[Strayed], dict[Key, Value]]:
    wanted = {tweak.key: tweak.value for tweak in enforced}
    try:
        off = dict(broken(path, bytes_at(folder.root, path), enforced))
    except (UnreadableSettings, OSError):
        told = [Strayed(path, ".".join(key), as_text(value), "cannot be read") for key, value in wanted.items()]
        return told, {}
    told = [Strayed(path, ".".join(key), as_text(wanted[key]), as_text(there)) for key, there in off.items()]
    return told, {key: off.get(key, value) for key, value in wanted.items()}


def as_text(value: Any) -> str:
    """A setting's value for people."""
    if value is None:
        return "not there"
    if isinstance(value, bool):
        return "true" if value else "false"
    return str(value)[:200]
