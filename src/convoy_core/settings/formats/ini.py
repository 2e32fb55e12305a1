"""INI and CFG: sections in brackets, a key and a value a line, `;` and `#` comments on lines of their own.

Keys before any section stand at the top. A key that stands twice in its section has no one value: such a file is not
read. An equals sign separates key and value; a colon does where no equals sign is, or where a blank follows it and the
equals sign has none before it: `url: http://a?b=c` is a `url`, `iron:ore = 5` an `iron:ore`.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from functools import cached_property

from .base import Key, Span, Splice, Value, gap_at_end, newline_at, stuck

_LINES = re.compile(r"[^\r\n]*(?:\r\n|\r|\n)|[^\r\n]+")
_BLANK = " \t\f\v"
_COMMENT = (";", "#")


@dataclass(slots=True)
class _Entry:
    """`start` to `end`: its line, with the line end."""

    section: str
    name: str
    start: int
    end: int
    sign: str
    """What stands between key and value."""
    value: Span

    @property
    def key(self) -> Key:
        return (self.section, self.name) if self.section else (self.name,)


class IniSettings:
    def __init__(self, text: str) -> None:
        self._text = text
        self._entries: dict[Key, _Entry] = {}
        self._headers: dict[str, int] = {}
        """Of each section: where the line after its last header begins."""
        self._last: dict[str, _Entry] = {}
        self.comments: list[Span] = []
        section, at = "", 0
        for raw in _LINES.findall(text):
            start, at = at, at + len(raw)
            body = raw.strip(_BLANK + "\r\n")
            if not body:
                continue
            if body.startswith(_COMMENT):
                begin = start + raw.index(body[0])
                self.comments.append((begin, begin + len(body)))
            elif body.startswith("["):
                section = _header(body)
                self._headers[section] = at
            else:
                self._add(_entry(section, raw, start))

    def _add(self, entry: _Entry) -> None:
        if entry.key in self._entries:
            raise ValueError(f"“{entry.name}” stands twice in its section")
        self._entries[entry.key] = self._last[entry.section] = entry

    @cached_property
    def values(self) -> dict[Key, Value]:
        return {key: self._text[slice(*entry.value)] for key, entry in self._entries.items()}

    @cached_property
    def places(self) -> dict[Key, Span]:
        return {key: entry.value for key, entry in self._entries.items()}

    def splices(self, sets: Mapping[Key, Value], removes: Collection[Key]) -> list[Splice]:
        gone = [self._entries[key] for key in removes]
        found = [Splice(entry.start, entry.end, "") for entry in gone]
        added: dict[str, dict[str, str]] = {}
        for key, value in sets.items():
            _refuse_odd(key, value)
            if key in self._entries:
                found.append(Splice(*self._entries[key].value, value))
            else:
                added.setdefault(key[0] if len(key) == 2 else "", {})[key[-1]] = value
        fresh = {section: keys for section, keys in added.items() if section and section not in self._headers}
        found += [self._within(section, keys) for section, keys in added.items() if section not in fresh]
        return [*found, self._at_the_end(fresh)] if fresh else found

    def _within(self, section: str, keys: Mapping[str, str]) -> Splice:
        """After the last key of the section, before whatever is said about the next one."""
        last = self._last.get(section)
        at = last.end if last else self._headers[section] if section else self._top()
        newline = newline_at(self._text, max(at - 1, 0))
        open_end = newline if at and self._text[at - 1] not in "\r\n" else ""
        return Splice(at, at, open_end + self._lines(section, keys, newline))

    def _at_the_end(self, sections: Mapping[str, Mapping[str, str]]) -> Splice:
        at = len(self._text)
        newline = newline_at(self._text, max(at - 1, 0))
        parts = [f"[{section}]{newline}{self._lines(section, keys, newline)}" for section, keys in sections.items()]
        return Splice(at, at, gap_at_end(self._text, newline) + newline.join(parts))

    def _lines(self, section: str, keys: Mapping[str, str], newline: str) -> str:
        sample = self._last.get(section) or next(reversed(self._entries.values()), None)
        sign = sample.sign if sample else " = "
        return "".join(f"{name}{sign}{value}{newline}" for name, value in keys.items())

    def _top(self) -> int:
        """Where the first key before any section goes: under the words that open the file, where a blank line sets
        them off.
        """
        at = 0
        for raw in _LINES.findall(self._text):
            body = raw.strip(_BLANK + "\r\n")
            at += len(raw)
            if not body:
                return at
            if not body.startswith(_COMMENT):
                return 0
        return at


def _header(body: str) -> str:
    name, closing, rest = body[1:].partition("]")
    rest = rest.lstrip(_BLANK)
    if rest and not rest.startswith(_COMMENT):
        # A name with brackets of its own: then they reach to the end of the line.
        name, closing = body[1:-1], body[-1]
    if closing != "]" or not name.strip():
        raise ValueError(f"this line is neither a section nor a key: {body[:60]}")
    return name


def _entry(section: str, raw: str, start: int) -> _Entry:
    body = raw.rstrip("\r\n")
    at = _separator(body)
    name = body[:at].strip(_BLANK)
    if at < 0 or not name:
        raise ValueError(f"this line is neither a section nor a key: {body.strip()[:60]}")
    value = body[at + 1 :].strip(_BLANK)
    begin = at + 1 + (len(body) - at - 1 - len(body[at + 1 :].lstrip(_BLANK))) if value else len(body)
    sign = body[len(body[:at].rstrip(_BLANK)) : begin]
    place = (start + begin, start + begin + len(value))
    return _Entry(section, name, start, start + len(raw), sign, place)


def _separator(body: str) -> int:
    equals, colon = body.find("="), body.find(":")
    if equals < 0 or colon < 0:
        return max(equals, colon)
    is_spaced = body[colon + 1 : colon + 2] in _BLANK and body[equals - 1 : equals] not in _BLANK
    return colon if colon < equals and is_spaced else equals


def _refuse_odd(key: Key, value: Value) -> None:
    told = value if isinstance(value, str) else ""
    if not isinstance(value, str) or len(key) not in (1, 2) or told != told.strip(_BLANK) or {"\n", "\r"} & set(told):
        raise stuck(key, "This format has sections and keys with a line of text, and nothing deeper.")
    if any(not name or name != name.strip(_BLANK) or {"\n", "\r"} & set(name) for name in key):
        raise stuck(key, "A name here is one line, without blanks at its ends.")
