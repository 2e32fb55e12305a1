"""Reads a game profile from TOML: a new game is a new file, not new code.

Whoever writes one is no programmer: everything that is wrong is told at once, each with its field and its line.
`profile_sense` looks for what can be read and still makes no sense. Format: docs/games.md,
docs/schema/game-profile.schema.json.
"""

from __future__ import annotations

import string
import tomllib
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, TypeVar

from ..words.errors import ConvoyError, MalformedInput
from ..words.model import Kind
from ..words.profile import (
    COMMENT_PARTS,
    WORLD,
    Estimate,
    GameChannel,
    GameProfile,
    GameVersion,
    KindLayout,
    Loader,
    LoaderVersion,
    MemoryFigures,
)
from ..words.ranges import Range, parse_range
from ..words.versions import Version, parse_version
from .fields import Fields
from .patterns import checked_patterns
from .profile_sense import Remark, remarks_on
from .profile_start import checked_place, checked_places, read_log_shape, read_name, read_start
from .toml_lines import line_in_message, line_of

MAX_PROFILE = 256 * 1024
"""Characters of a profile: a hundred times an ordinary one."""

MAX_VERSIONS = 1_000
"""Versions of a game, or of one loader."""

MAX_LOADERS, MAX_FOLDERS = 20, 100

MAX_COMMENTS, MAX_COMMENT, MAX_PLACES = 40, 120, 4
"""Patterns for comments, characters of one, and places in braces in it: each is held against every line."""

COMMENTS_HOW = (
    f"It is up to {MAX_COMMENT} characters of plain words, with one to {MAX_PLACES} different places in braces."
)

KNOWN_FIELDS = {
    "": {
        "id", "name", "summary", "managed", "settings", "data", "comments", "worlds", "versions", "loaders", "kinds",
        "memory", "start", "log",
    },
    "versions": {"version", "label", "channel", "runtime"},
    "loaders": {"id", "name", "versions"},
    "loaders.versions": {"version", "games", "recommended"},
    "kinds": {"place", "marker"},
    "memory": {"base", "estimates"},
    "memory.estimates": {"each", "per_mb"},
    "start": {"files", "arguments", "plain", "memory", "window", "server"},
    "log": {
        "place", "line", "main_screen", "closed", "crash", "loaded", "continues", "severities", "reports", "known",
    },
    "log.known": {"id", "line", "says", "mend"},
}  # fmt: skip
"""What a profile may name, by the table it stands in: anything else is a slip of the pen, and told as one."""


class WrongProfile(MalformedInput):
    """A profile that cannot be used. `faults`: every one that was found, in the order of the text."""

    def __init__(self, faults: tuple[Fault, ...]) -> None:
        first = faults[0]
        more = f" {len(faults) - 1} more are wrong." if len(faults) > 1 else ""
        at = f"line {first.line}: " if first.line else ""
        super().__init__("The game profile cannot be used.", f"{at}{first.sentence}{more}", faults=len(faults))
        self.faults = faults


@dataclass(frozen=True, slots=True)
class Fault:
    """What is wrong with a field. `line` counts from 1; 0 where the whole is meant."""

    line: int
    field: str
    sentence: str


@dataclass(frozen=True, slots=True)
class ReadProfile:
    """What a text comes to: the profile, or None with the faults that stand against it; and remarks, which do not."""

    profile: GameProfile | None
    faults: tuple[Fault, ...]
    remarks: tuple[Fault, ...]


def read_profile(text: str) -> GameProfile:
    """A profile from TOML text. Raises WrongProfile with everything that is wrong."""
    read = look_at_profile(text)
    if read.profile is None:
        raise WrongProfile(read.faults)
    return read.profile


def look_at_profile(text: str) -> ReadProfile:
    """The profile with everything that is wrong or odd about it. Never raises."""
    if len(text) > MAX_PROFILE:
        return ReadProfile(None, (Fault(0, "", f"It is longer than {MAX_PROFILE // 1024} kB."),), ())
    try:
        told = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        return ReadProfile(None, (Fault(line_in_message(str(error)), "", f"It is no TOML: {error}."),), ())
    reading = _Reading(told)
    profile = reading.profile()
    # What could not be read would only make the rest look as if it made no sense.
    remarks = [] if reading.faults else remarks_on(profile)
    wrong = reading.faults or [one for one in remarks if one.is_fault]
    return ReadProfile(
        None if wrong else profile,
        _with_lines(wrong, text),
        _with_lines([one for one in remarks if not one.is_fault], text),
    )


def _with_lines(remarks: list[Remark], text: str) -> tuple[Fault, ...]:
    found = (Fault(line_of(text, one.field), one.field, one.sentence) for one in remarks)
    return tuple(sorted(found, key=lambda one: (one.line, one.field)))


Read = TypeVar("Read")
Of = TypeVar("Of")


class _Reading:
    """Goes through a profile part by part; what cannot be read is noted, and the rest is read on."""

    def __init__(self, told: dict[str, Any]) -> None:
        self.faults: list[Remark] = []
        self.top = Fields(told)
        self._known(told, "", "")

    def profile(self) -> GameProfile:
        top = self.top
        versions = self._each(top, "versions", read_game_version, lambda one: one.version)
        return GameProfile(
            id=self._try(lambda: read_name(top, "id"), ""),
            name=self._try(lambda: top.text("name", longest=60), ""),
            summary=self._try(lambda: top.text("summary", "", longest=300), ""),
            versions=tuple(sorted(versions, key=lambda one: one.version, reverse=True)),
            loaders=tuple(self._each(top, "loaders", self._loader, lambda one: one.id, MAX_LOADERS)),
            kinds=self._by_kind(top, "kinds", _layout),
            memory=self._memory(),
            managed=self._try(lambda: _folders(top, "managed"), ()),
            settings=self._try(lambda: checked_patterns(top.strings("settings"), "settings"), ()),
            worlds=self._try(lambda: _folders(top, "worlds"), ()),
            data=self._try(lambda: checked_patterns(top.strings("data"), "data"), ()),
            comments=self._try(lambda: _comments(top), ()),
            start=self._try(lambda: read_start(top.fields("start")), None) if top.has("start") else None,
            log=self._try(lambda: read_log_shape(top.fields("log")), None) if top.has("log") else None,
        )

    def _try(self, read: Callable[[], Read], otherwise: Read) -> Read:
        for found in self._some(lambda _: read(), None):
            return found
        return otherwise

    def _some(self, read: Callable[[Of], Read], of: Of) -> list[Read]:
        """What was read, or nothing, noted."""
        try:
            return [read(of)]
        except ConvoyError as error:
            field = str(error.data.get("field", ""))
            # The field is shown beside it, so that only why it is wrong has to be said.
            told = f"{error.why} {error.now}".strip() if field and error.why else error.sentence()
            self._note(field, told)
            return []

    def _each(
        self,
        fields: Fields,
        name: str,
        read: Callable[[Fields], Read],
        key: Callable[[Read], object],
        most: int = MAX_VERSIONS,
    ) -> list[Read]:
        """Reads a list; entries with one key are told."""
        entries = [one for found in self._some(lambda of: list(of.items(name)), fields) for one in found]
        if len(entries) > most:
            self._note(fields.place(name), f"It has {len(entries)} entries; {most} is the most.")
            return []
        found: dict[object, Read] = {}
        for at, entry in enumerate(entries):
            for one in self._some(read, entry):
                if found.setdefault(key(one), one) is not one:
                    self._note(f"{fields.place(name)}[{at}]", "It is listed twice.")
        return list(found.values())

    def _note(self, field: str, sentence: str) -> None:
        self.faults.append(Remark(field, sentence, is_fault=True))

    def _by_kind(self, fields: Fields, name: str, read: Callable[[Fields], Read]) -> dict[Kind, Read]:
        found: dict[Kind, Read] = {}
        for names in self._some(lambda of: list(of.mapping(name)), fields):
            for kind in names:
                if kind not in list(Kind):
                    told = f"There is no such kind; kinds are {', '.join(Kind)}."
                    self._note(f"{fields.place(name)}.{kind}", told)
                    continue
                for one in self._some(lambda of: read(fields.fields(name).fields(of)), kind):
                    found[Kind(kind)] = one
        return found

    def _loader(self, fields: Fields) -> Loader:
        versions = self._each(fields, "versions", read_loader_version, lambda one: one.version)
        return Loader(read_name(fields, "id"), fields.text("name", longest=60), tuple(versions))

    def _memory(self) -> MemoryFigures:
        if not self.top.has("memory"):
            return MemoryFigures(0, {})
        memory = self._try(lambda: self.top.fields("memory"), Fields({"base": 0}))
        estimates = self._by_kind(memory, "estimates", lambda one: Estimate(one.number("each"), one.number("per_mb")))
        return MemoryFigures(self._try(lambda: memory.whole("base"), 0), estimates)

    def _known(self, told: Any, table: str, place: str) -> None:
        """Notes every field that no profile has. `table` is its name in KNOWN_FIELDS."""
        entries = enumerate(told) if isinstance(told, list) else [(-1, told)]
        for at, entry in entries:
            here = place if at < 0 else f"{place}[{at}]"
            for name, value in entry.items() if isinstance(entry, Mapping) else ():
                below = f"{table}.{name}".lstrip(".")
                where = f"{here}.{name}".lstrip(".")
                if table in ("kinds", "memory.estimates") and place == table:
                    self._known(value, table, where)
                elif name not in KNOWN_FIELDS[table]:
                    self._note(
                        where, f"There is no such field here; there are {', '.join(sorted(KNOWN_FIELDS[table]))}."
                    )
                elif below in KNOWN_FIELDS:
                    self._known(value, below, where)


def _version(fields: Fields, name: str = "version") -> Version:
    found = parse_version(fields.text(name, longest=40).strip())
    if not found.is_version:
        raise MalformedInput(
            f"“{fields.place(name)}” cannot be used.",
            f"“{found.text}” is no version; one begins with a number, as 2.1 or 1.0.0-beta.2.",
            field=fields.place(name),
        )
    return found


def read_game_version(fields: Fields) -> GameVersion:
    version = _version(fields)
    return GameVersion(
        version,
        fields.text("label", version.text, longest=40),
        fields.one_of("channel", GameChannel, GameChannel.STABLE),
        fields.text("runtime", "", longest=40),
    )


def read_loader_version(fields: Fields) -> LoaderVersion:
    return LoaderVersion(_version(fields), _range(fields, "games"), fields.flag("recommended", False))


def _range(fields: Fields, name: str) -> Range:
    text, where = fields.text(name, longest=300), fields.place(name)
    try:
        found = parse_range(text)
    except ConvoyError as error:
        raise MalformedInput(f"“{where}” cannot be used.", error.sentence(), field=where) from error
    odd = [bound.text for all_of in found.any_of for _, bound in all_of if not bound.is_version]
    if odd:
        raise MalformedInput(f"“{where}” cannot be used.", f"“{odd[0]}” is no version.", field=where)
    return found


def _layout(fields: Fields) -> KindLayout:
    """`place`: a folder, in which `{mod}` stands for the mod's id, and `{world}` behind a folder of worlds for each
    world that a member names; empty for the game's own folder.
    """
    place, marker = fields.text("place", longest=120), fields.text("marker", "", longest=120)
    bare = place.replace("{mod}", "{}").replace(WORLD, "{}")
    for name, path in (("place", bare.replace("{}", "mod")), ("marker", marker)):
        if path:
            checked_place(path, fields.place(name))
    if "{" in bare.replace("{}", "") or "}" in bare.replace("{}", ""):
        raise MalformedInput(
            f"“{fields.place('place')}” cannot be used.",
            "Nothing but {mod} and {world} may stand in braces.",
            field=fields.place("place"),
        )
    return KindLayout(place, marker)


def _folders(fields: Fields, name: str) -> tuple[str, ...]:
    found = fields.strings(name)
    if len(found) > MAX_FOLDERS:
        raise MalformedInput(f"“{name}” cannot be used.", f"{MAX_FOLDERS} folders are the most.", field=name)
    return tuple(checked_place(folder, f"{name}[{at}]") for at, folder in enumerate(found))


def _comments(fields: Fields) -> tuple[str, ...]:
    found = fields.strings("comments")
    if len(found) > MAX_COMMENTS:
        raise MalformedInput(f"“comments” has {len(found)} patterns.", f"{MAX_COMMENTS} is the most.", field="comments")
    for at, one in enumerate(found):
        where = f"comments[{at}]"
        checked_places(one, COMMENT_PARTS, where)
        places = [name for _, name, _, _ in string.Formatter().parse(one) if name]
        if len(one) > MAX_COMMENT or not 0 < len(places) <= MAX_PLACES or len(set(places)) < len(places):
            raise MalformedInput(f"The pattern “{one[:60]}” cannot be used.", COMMENTS_HOW, field=where)
    return found
