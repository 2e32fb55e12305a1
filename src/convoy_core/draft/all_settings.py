"""Every setting of a draft as one table: searched in words, narrowed, each with what is known of it and what is set.

Rows are made once for the files that are laid down; what the pack sets is looked up, so that setting a key makes no
row anew. Source: docs/rules.md, "Settings".
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property

from ..lock.terms import How, Tweak
from ..settings.formats import TEXT_ONLY, Key, Value, format_of, spelled
from ..settings.formats.base import same
from ..settings.knowledge import Known, SettingKind, as_words, known_of
from ..settings.limits import Limit, Noted
from ..settings.readings import Reading

Place = tuple[str, Key]
"""A setting: its file's path, and its key."""


class Only(StrEnum):
    """What a table is narrowed to."""

    SET = "set by the pack"
    DIFFERS = "differs from default"
    NEW = "new since the last release"
    ENFORCED = "enforced"
    OTHERWISE = "players set otherwise"
    OFF = "off by default"
    WRONG = "value not allowed"


@dataclass(frozen=True, slots=True)
class SettingsFile:
    """A settings file that is laid down. `limits` and `notes`: what its mod's schema says."""

    mod: str
    name: str
    """The mod's, for people."""
    path: str
    reading: Reading
    limits: Mapping[Key, Limit]
    notes: Mapping[Key, Noted]


@dataclass(frozen=True, slots=True)
class Setting:
    """One key as it comes. `words`: all that it can be found by, in small letters."""

    mod: str
    path: str
    key: Key
    value: Value
    known: Known
    words: str

    @property
    def place(self) -> Place:
        return self.path, self.key

    @property
    def is_off(self) -> bool:
        return _is_off(self.value, self.known)


@dataclass(frozen=True)
class Table:
    """`rows`: in the order of the files, and of the keys in each."""

    rows: tuple[Setting, ...]

    @cached_property
    def by_place(self) -> Mapping[Place, Setting]:
        return {row.place: row for row in self.rows}

    @cached_property
    def all_off(self) -> frozenset[str]:
        """Mods whose switches all come off: as they come, they do nothing."""
        switches = [row for row in self.rows if row.known.kind is SettingKind.SWITCH]
        return frozenset({row.mod for row in switches} - {row.mod for row in switches if not row.is_off})

    def found(
        self,
        words: str = "",
        mod: str = "",
        path: str = "",
        only: Only | None = None,
        tweaks: Mapping[Place, Tweak] = {},
        known_before: Collection[Place] | None = None,
        otherwise: Collection[Place] = (),
    ) -> list[Setting]:
        """The rows in which every word stands, in what is said of the key or in the value that the pack sets.

        `known_before`: settings of the last release; None where there is none, and nothing is new. `otherwise`: those
        that somebody who plays the pack set otherwise.
        """
        # Word by word over what is left: the first one leaves little for the others.
        rows: Sequence[Setting] = self.rows
        if mod or path:
            rows = [row for row in rows if (not mod or row.mod == mod) and (not path or row.path == path)]
        set_words = {place: as_words(tweak.value).lower() for place, tweak in tweaks.items()} if words else {}
        for word in words.lower().split():
            also = {place for place, said in set_words.items() if word in said}
            rows = [row for row in rows if word in row.words or (also and row.place in also)]
        if only is Only.OTHERWISE:
            return [row for row in rows if row.place in otherwise]
        return [row for row in rows if _is(only, row, tweaks, known_before)] if only else list(rows)


def table_of(files: Iterable[SettingsFile], patterns: tuple[str, ...] = ()) -> Table:
    """`patterns`: how the game's comments say what a setting is. Files that could not be read have no rows."""
    rows = []
    for file in files:
        is_text = format_of(file.path) in TEXT_ONLY
        read = file.reading
        known = known_of(read.keys, read.comments, file.limits, file.notes, patterns, is_text)
        about = f"{file.name} {file.path}"
        rows += [
            Setting(file.mod, file.path, key, value, known[key], _words(about, key, value, known[key]))
            for key, value in read.keys.items()
        ]
    return Table(tuple(rows))


def wrong(row: Setting, tweak: Tweak) -> str:
    """Why a value that the pack sets is none for its key; empty where it is one, or nobody says."""
    return row.known.limit.wrong(tweak.value, format_of(row.path) in TEXT_ONLY)


def _is_off(value: Value, known: Known) -> bool:
    return known.kind is SettingKind.SWITCH and as_words(value).lower() in ("false", "off", "no")


def _words(about: str, key: Key, value: Value, known: Known) -> str:
    is_switch = known.kind is SettingKind.SWITCH
    state = "" if not is_switch else "off by default" if _is_off(value, known) else "on by default"
    parts = (about, ".".join(key), known.title, known.description, as_words(value), known.unit, known.kind, state)
    return " ".join(parts).lower()


def _is(only: Only, row: Setting, tweaks: Mapping[Place, Tweak], known_before: Collection[Place] | None) -> bool:
    if only is Only.NEW:
        return known_before is not None and row.place not in known_before
    if only is Only.OFF:
        return row.is_off
    tweak = tweaks.get(row.place)
    if tweak is None:
        return False
    if only is Only.ENFORCED:
        return tweak.how is How.ENFORCED
    if only is Only.WRONG:
        return bool(wrong(row, tweak))
    return only is Only.SET or not same(spelled(row.path, tweak.value), row.value)
