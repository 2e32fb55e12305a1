"""The part of a game profile that says how the game is started, and what its log says.

Nothing of it names a program to be run: `files` are names by which a member's own is looked for.
"""

from __future__ import annotations

import string

from ..words.errors import ConvoyError, MalformedInput
from ..words.log_shape import KNOWN_PARTS, LOADED_PARTS, LOG_PARTS, EntrySeverity, KnownMessage, LogShape, Mend
from ..words.profile import PLACEHOLDERS, SYSTEMS, StartHints
from .fields import Fields, checked_text
from .paths import checked_path
from .patterns import checked_patterns

ID_LENGTH = 40
_ID = frozenset(string.ascii_lowercase + string.digits + "-")

MAX_KNOWN, MAX_WORDS, MAX_ARGUMENTS = 200, 20, 60
"""Known messages; texts in one list about a log; arguments."""

MAX_PATTERN = 200
"""Characters of what is looked for in a log."""


def read_name(fields: Fields, name: str) -> str:
    """A short name for machines. Raises MalformedInput."""
    found = fields.text(name, longest=ID_LENGTH)
    if not found or not set(found) <= _ID:
        raise _wrong(fields.place(name), "It must be small letters, digits and hyphens.")
    return found


def read_start(fields: Fields) -> StartHints:
    files = fields.texts("files") if fields.has("files") else {}
    for system, name in files.items():
        where = f"{fields.place('files')}.{system}"
        if system not in SYSTEMS:
            raise MalformedInput(f"“{where}” is unknown.", f"Systems are {', '.join(SYSTEMS)}.", field=where)
        checked_place(name, where)
    lists = {name: _arguments(fields, name) for name in ("arguments", "plain", "memory", "window", "server")}
    return StartHints(files, **lists)


def _arguments(fields: Fields, name: str) -> tuple[str, ...]:
    found = fields.strings(name)
    if len(found) > MAX_ARGUMENTS:
        raise _wrong(fields.place(name), f"{MAX_ARGUMENTS} arguments are the most.")
    for argument in found:
        checked_places(checked_text(argument, MAX_PATTERN, fields.place(name)), PLACEHOLDERS, fields.place(name))
    return found


def read_log_shape(fields: Fields) -> LogShape:
    place = checked_place(fields.text("place", longest=200), fields.place("place"))
    line = fields.text("line", "{text}", longest=MAX_PATTERN)
    checked_places(line, LOG_PARTS, fields.place("line"))
    _apart(line, fields.place("line"))
    loaded = fields.text("loaded", "", longest=MAX_PATTERN)
    if loaded:
        checked_places(loaded, LOADED_PARTS, fields.place("loaded"))
        _apart(loaded, fields.place("loaded"))
        if "{mod}" not in loaded:
            raise _wrong(fields.place("loaded"), "It names no {mod}.")
    known = tuple(_known(one) for one in fields.items("known"))
    if len(known) > MAX_KNOWN or len({one.id for one in known}) < len(known):
        raise _wrong(fields.place("known"), f"An id is there twice, or there are more than {MAX_KNOWN}.")
    return LogShape(
        place, line,
        fields.text("main_screen", "", longest=MAX_PATTERN), fields.text("closed", "", longest=MAX_PATTERN),
        _texts(fields, "crash"), loaded, _texts(fields, "continues"), _severities(fields),
        checked_patterns(fields.strings("reports"), fields.place("reports")), known,
    )  # fmt: skip


def _severities(fields: Fields) -> dict[EntrySeverity, tuple[str, ...]]:
    words = fields.fields("severities") if fields.has("severities") else Fields({})
    for name in words.names():
        if name not in list(EntrySeverity):
            raise _wrong(f"{fields.place('severities')}.{name}", f"Severities are {', '.join(EntrySeverity)}.")
    return {EntrySeverity(name): _texts(words, name) for name in words.names()}


def _known(fields: Fields) -> KnownMessage:
    line, says = fields.text("line", longest=MAX_PATTERN), fields.text("says", longest=300)
    for name, text in (("line", line), ("says", says)):
        checked_places(text, KNOWN_PARTS, fields.place(name))
    _apart(line, fields.place("line"))
    if beyond := set(_places(says)) - set(_places(line)):
        raise _wrong(fields.place("says"), f"“{{{min(beyond)}}}” does not stand in “line”.")
    return KnownMessage(read_name(fields, "id"), line, says, fields.one_of("mend", Mend))


def _texts(fields: Fields, name: str) -> tuple[str, ...]:
    found = fields.strings(name)
    where = fields.place(name)
    if len(found) > MAX_WORDS or not all(found):
        raise _wrong(where, f"It is up to {MAX_WORDS} texts, none of them empty.")
    return tuple(checked_text(one, MAX_PATTERN, where) for one in found)


def checked_place(path: str, where: str) -> str:
    """A path within the game's folder. Raises MalformedInput."""
    try:
        return checked_path(path)
    except ConvoyError as error:
        raise _wrong(where, f"“{path[:60]}”: {error.why}") from error


def checked_places(text: str, known: frozenset[str], where: str) -> None:
    """Raises MalformedInput unless all that stands in braces is one of the known words."""
    try:
        parts = [part[1:] for part in string.Formatter().parse(text) if part[1] is not None]
        odd = any(name not in known or form or conversion for name, form, conversion in parts)
    except ValueError:
        odd = True
    if odd:
        raise _wrong(where, f"In braces may stand {', '.join(f'{{{name}}}' for name in sorted(known))}.")


def _apart(text: str, where: str) -> None:
    """Places that touch, or that stand twice: nobody could tell where one ends."""
    parts = list(string.Formatter().parse(text))
    names = _places(text)
    if any(name and not words and at for at, (words, name, _, _) in enumerate(parts)) or len(set(names)) < len(names):
        raise _wrong(where, "Between two places there must be words or signs, and none may stand twice.")
    if not names and not text.strip():
        raise _wrong(where, "It says nothing.")


def _places(text: str) -> list[str]:
    return [name for _, name, _, _ in string.Formatter().parse(text) if name]


def _wrong(where: str, why: str) -> MalformedInput:
    return MalformedInput(f"“{where}” cannot be used.", why, field=where)
