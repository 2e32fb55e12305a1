"""Where a machine is not as its release has it: missing, altered and extra files, settings that must match.

Source: docs/rules.md, "Roll call".
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum

from ..lock.in_worlds import as_any_world
from ..lock.lock import Lock, PlacedFile
from ..lock.terms import Terms
from .plan import NOT_PLAIN, is_extra


class Deviation(StrEnum):
    MISSING = "missing"
    ALTERED = "altered"
    EXTRA = "extra"
    SETTING = "setting"
    """An enforced setting of the file says something else. Other settings are the member's."""


def is_right(file: PlacedFile, sha256: str, terms: Terms) -> bool:
    """Whether what lies in a file's place is as it should be. A member's settings are theirs, and so is a file that
    a step by hand changes; a link or device (NOT_PLAIN) never is right.
    """
    if sha256 == file.sha256:
        return True
    return sha256 != NOT_PLAIN and (terms.is_settings(file.path) or file.path in terms.by_hand)


def deviations_of(share: Lock, there: Mapping[str, str]) -> dict[str, Deviation]:
    """Missing, altered and extra paths of a folder. `there`: path to sha256 of what lies in it. What settings files say
    is not looked at.
    """
    found = {
        file.path: Deviation.ALTERED if file.path in there else Deviation.MISSING
        for file in share.files
        if file.path not in there or not is_right(file, there[file.path], share.terms)
    }
    return found | {path: Deviation.EXTRA for path in there if is_extra(path, share)}


@dataclass(frozen=True, slots=True)
class Strayed:
    """One enforced setting: what it must say, and what it says there. As texts, for people."""

    path: str
    key: str
    wanted: str
    there: str


@dataclass(frozen=True, slots=True)
class Report:
    """What a machine says of itself: the release its record follows (empty: none yet) and every deviating path."""

    release: str
    heard_at: datetime
    deviations: Mapping[str, Deviation] = field(default_factory=dict)
    fingerprint: str = ""
    strayed: tuple[Strayed, ...] = ()
    has: Mapping[str, str] = field(default_factory=dict)
    """For altered files, and extra ones: the other build that they are of, where the site knows it, by path."""
    harmless: Collection[str] = ()
    sha256: str = ""
    """Of the release's document: what it is, whatever its number. Empty where the machine did not say."""
    """Extra files that are known to be of builds with reach *own*: they touch nobody else, and never count."""


@dataclass(frozen=True, slots=True)
class Difference:
    """One mod (or extra file) that is not as the release has it. `counts` is false where only its owner is touched."""

    mod: str
    name: str
    what: Deviation
    paths: tuple[str, ...]
    counts: bool
    version: str = ""
    """Of the build as the release has it."""
    has: str = ""
    """The build that lies there instead, where it is known."""
    strayed: tuple[Strayed, ...] = ()

    def sentence(self) -> str:
        files = self.paths[0] if len(self.paths) == 1 else f"{len(self.paths)} files"
        if self.has and self.what is Deviation.ALTERED:
            return f"{self.name}: {self.has} in place of {self.version}"
        if self.has and self.what is Deviation.EXTRA:
            return f"not of the pack: {self.has}"
        if self.strayed:
            one = self.strayed[0]
            more = f", and {len(self.strayed) - 1} more" if len(self.strayed) > 1 else ""
            return f"{self.name}: {one.key} is {one.there}, must be {one.wanted}{more}"
        return {
            Deviation.MISSING: f"{self.name}: {files} missing",
            Deviation.ALTERED: f"{self.name}: {files} altered",
            Deviation.EXTRA: f"not of the pack: {files}",
            Deviation.SETTING: f"{self.name}: a setting that must match differs in {files}",
        }[self.what]


def differences_of(report: Report, share: Lock | None) -> tuple[Difference, ...]:
    """Deviating paths gathered by mod and by what is wrong with them, in the order of the lock; extras last."""
    gathered: dict[tuple[str, Deviation, str], list[str]] = {}
    for path in sorted(report.deviations):
        # Of what lies in a world, the site knows only what every world is to have.
        file = share.by_path.get(as_any_world(path, share.terms)) if share else None
        key = (file.mod if file else "", report.deviations[path], report.has.get(path, ""))
        gathered.setdefault(key, []).append(path)
    found = []
    for (mod, what, has), paths in gathered.items():
        build = share.by_mod[mod] if share and mod else None
        # An enforced setting counts whatever the mod's reach: the curator said that it must match.
        own = not build and what is Deviation.EXTRA and all(path in report.harmless for path in paths)
        counts = what is Deviation.SETTING or (build.must_match if build else not own)
        strayed = tuple(one for one in report.strayed if one.path in paths) if what is Deviation.SETTING else ()
        # Of a settings file that the game wrote, the path is all there is to name.
        name, version = (build.name, build.version) if build else (paths[0] if strayed else "", "")
        found.append(Difference(mod, name, what, tuple(paths), counts, version, has, strayed))
    return tuple(sorted(found, key=lambda one: (not one.counts, one.what is Deviation.EXTRA, one.name, one.what)))
