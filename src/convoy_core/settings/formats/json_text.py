"""JSON, with comments and trailing commas as settings files have them. Read with its places, changed in place.

What strict JSON does not have is blanked out first, in a copy of the same length. Objects are walked in that copy for
their places; everything else the standard library's scanner reads, which is quicker than anything written in Python.
"""

from __future__ import annotations

import json
import math
import re
from bisect import bisect_left
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from .base import MAX_DEPTH, Key, Span, Splice, Value, after_line, line_end, line_start, newline_at, past, stuck

_STRING = r'"(?:\\.|[^"\\])*(?:"|\\?\Z)'
"""To its end; one that has none reaches to the end of the text, so that nothing is looked at twice."""
_COMMENTS = re.compile(rf"{_STRING}|(//[^\r\n]*|/\*.*?(?:\*/|\Z))", re.DOTALL)
_TRAILING = re.compile(rf"{_STRING}|(,)[ \t\r\n]*[}}\]]", re.DOTALL)
_SPACE = re.compile(r"[ \t\r\n]*")
_KEY = re.compile(r'("(?:\\.|[^"\\\r\n])*")[ \t\r\n]*:[ \t\r\n]*')
_AFTER = re.compile(r"[ \t\r\n]*(?:,[ \t\r\n]*)?")
_LETTERS = re.compile(r"[^\r\n]")
_DECODER = json.JSONDecoder()


@dataclass(slots=True)
class _Member:
    """`start`: its key's. `value`: the value's place. `comma`: where the comma behind it is; -1 where none is."""

    start: int
    value: Span
    comma: int


@dataclass(slots=True)
class _Object:
    start: int
    end: int = 0
    members: dict[str, _Member] = field(default_factory=dict)


class JsonSettings:
    def __init__(self, text: str) -> None:
        self._text = text
        self.comments = [found.span(1) for found in _COMMENTS.finditer(text) if found[1]]
        self._plain = _blanked(text, self.comments)
        trailing = [found.span(1) for found in _TRAILING.finditer(self._plain) if found[1]]
        self._plain, self._trailing = _blanked(self._plain, trailing), [at for at, _ in trailing]
        self.values: dict[Key, Value] = {}
        self._objects: dict[Key, _Object] = {}
        at = _space(self._plain, 0)
        if self._plain[at : at + 1] != "{":
            raise ValueError("it is no object")
        end = self._object((), at)
        if _space(self._plain, end) < len(text):
            raise _wrong(text, end, "there is more after the end")

    @cached_property
    def places(self) -> dict[Key, Span]:
        return {key: self._objects[key[:-1]].members[key[-1]].value for key in self.values}

    def _object(self, above: Key, at: int) -> int:
        """Reads an object and those in it; gives where it ends."""
        if len(above) > MAX_DEPTH:
            raise _wrong(self._plain, at, "it is nested too deeply")
        text, found = self._plain, _Object(at)
        self._objects[above] = found
        at = _space(text, at + 1)
        while text[at : at + 1] != "}":
            name, value = self._name(at, found)
            key = (*above, name)
            if text[value : value + 1] == "{":
                end = self._object(key, value)
            else:
                self.values[key], end = _DECODER.raw_decode(text, value)
            after = past(_AFTER, text, end)
            comma = text.find(",", end, after)
            if comma < 0 and text[after : after + 1] != "}":
                raise _wrong(text, after, "“,” is missing")
            if comma < 0 and self._trailing:
                comma = self._trailing_between(end, after)
            found.members[name] = _Member(at, (value, end), comma)
            at = after
        found.end = at + 1
        return at + 1

    def _trailing_between(self, start: int, end: int) -> int:
        place = bisect_left(self._trailing, start)
        return self._trailing[place] if place < len(self._trailing) and self._trailing[place] < end else -1

    def _name(self, at: int, within: _Object) -> tuple[str, int]:
        """A key, and where its value begins."""
        told = _KEY.match(self._plain, at)
        if told is None:
            raise _wrong(self._plain, at, "a key with its “:” is missing")
        name = json.loads(told[1]) if "\\" in told[1] else told[1][1:-1]
        if name in within.members:
            raise _wrong(self._plain, at, f"“{name}” stands twice")
        return name, told.end()

    def splices(self, sets: Mapping[Key, Value], removes: Collection[Key]) -> list[Splice]:
        found: list[Splice] = []
        gone: dict[Key, set[str]] = {}
        for key in removes:
            gone.setdefault(key[:-1], set()).add(key[-1])
        added: dict[Key, dict[str, Any]] = {}
        for key, value in sets.items():
            holder, name, written = self._holder(key, value, gone)
            member = self._objects[holder].members.get(name)
            if member and name not in gone.get(holder, ()):
                found.append(Splice(*member.value, _spelled(value)))
            else:
                _lay_into(added.setdefault(holder, {}), name, written)
        for holder in {**gone, **added}:
            found += self._changed(self._objects[holder], gone.get(holder, set()), added.get(holder, {}))
        return found

    def _holder(self, key: Key, value: Value, gone: Mapping[Key, set[str]]) -> tuple[Key, str, Value]:
        """The object that a key goes into, its name there, and the value with whatever must come around it."""
        depth = 0
        while depth < len(key) - 1 and key[: depth + 1] in self._objects:
            depth += 1
        if key in self._objects:
            raise stuck(key, "It is an object in this file, not a value.")
        name = key[depth]
        if depth < len(key) - 1 and key[: depth + 1] in self.values and name not in gone.get(key[:depth], ()):
            raise stuck(key, f"“{name}” is a value in this file, not an object.")
        for inner in reversed(key[depth + 1 :]):
            value = {inner: value}
        return key[:depth], name, value

    def _changed(self, holder: _Object, gone: set[str], added: Mapping[str, Any]) -> list[Splice]:
        """Members that go from one object, and those that come to its end, with the commas between them."""
        members = list(holder.members.items())
        left = [member for name, member in members if name not in gone]
        has_trailing = bool(members) and members[-1][1].comma >= 0
        found = [Splice(*self._extent(member), "") for name, member in members if name in gone]
        written = [f"{_spelled(name)}: {_spelled(value)}" for name, value in added.items()]
        last = left[-1] if left else None
        if written and last:
            gap = self._gap(holder, last)
            lines = f",{gap}".join(written) + ("," if has_trailing else "")
            at = last.comma + 1 if last.comma >= 0 else last.value[1]
            found.append(Splice(at, at, ("" if last.comma >= 0 else ",") + gap + lines))
        elif written:
            found.append(self._first(holder, written))
        elif last and last.comma >= 0 and not has_trailing:
            found.append(Splice(last.comma, last.comma + 1, ""))
        return found

    def _extent(self, member: _Member) -> Span:
        """What goes with a member: its comma, and the whole of its lines where nothing else stands on them."""
        text, end = self._text, member.comma + 1 if member.comma >= 0 else member.value[1]
        line = line_start(text, member.start)
        rest = text[end : line_end(text, end)].strip(" \t")
        is_said_behind = rest.startswith("//") or (rest.startswith("/*") and rest.find("*/") == len(rest) - 2)
        before = text[line : member.start]
        if not before.strip(" \t") and (not rest or is_said_behind):
            return line, after_line(text, end)
        if before.rstrip(" \t").endswith(","):
            return line + len(before.rstrip(" \t")), end
        return member.start, _space(text, end) if rest else end

    def _gap(self, holder: _Object, last: _Member) -> str:
        line = line_start(self._text, last.start)
        indent = self._text[line : last.start]
        if line <= holder.start or indent.strip(" \t"):
            return " "
        return newline_at(self._text, line - 1) + indent

    def _first(self, holder: _Object, written: list[str]) -> Splice:
        """The first members of an object that holds none, or none any more; comments in it stay."""
        end = holder.end - 1
        inside = self._text[holder.start + 1 : end]
        if "\n" not in inside and "\r" not in inside:
            lines = ", ".join(written)
            return Splice(end, end, f" {lines} " if inside.strip() and not holder.members else lines)
        line = line_start(self._text, end)
        closing = self._text[line:end]
        if closing.strip(" \t"):
            return Splice(end, end, f" {', '.join(written)} ")
        newline = newline_at(self._text, line - 1)
        return Splice(
            line,
            line,
            "".join(f"{closing}  {one}{newline}" for one in [f"{line}," for line in written[:-1]] + written[-1:]),
        )


def _lay_into(tree: dict[str, Any], name: str, value: Any) -> None:
    """Several new keys may share a new object."""
    while isinstance(value, dict) and isinstance(tree.get(name), dict):
        tree = tree[name]
        name, value = next(iter(value.items()))
    tree[name] = value


def _spelled(value: Value) -> str:
    if isinstance(value, float) and math.isinf(value):
        # As JSON has it; the word for it is none there.
        return "1e999" if value > 0 else "-1e999"
    text = json.dumps(value, ensure_ascii=False)
    try:
        text.encode()
    except UnicodeEncodeError:
        return json.dumps(value)
    return text


def _blanked(text: str, spans: list[Span]) -> str:
    """The text with spaces in these places; line ends stay."""
    if not spans:
        return text
    parts, at = [], 0
    for start, end in spans:
        parts += [text[at:start], _LETTERS.sub(" ", text[start:end])]
        at = end
    return "".join([*parts, text[at:]])


def _space(text: str, at: int) -> int:
    """The place after blanks."""
    return past(_SPACE, text, at)


def _wrong(text: str, at: int, what: str) -> ValueError:
    return ValueError(f"line {text.count(chr(10), 0, at) + 1}: {what}")
