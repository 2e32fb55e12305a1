"""TOML. What it says is read by tomli, the standard library's parser compiled; where it says it, by a walk of ours over
what is valid.

Tables within a list (`[[post]]`) are one value, which is not changed in place.
"""

from __future__ import annotations

import json
import math
import re
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date, datetime, time
from functools import cached_property
from typing import Any

import tomli

from .base import (
    Key,
    Span,
    Splice,
    Value,
    after_line,
    flattened,
    gap_at_end,
    line_end,
    line_start,
    newline_at,
    past,
    stuck,
)

_BARE = re.compile(r"[A-Za-z0-9_-]+")
_NAME = re.compile(r"""[ \t]*([A-Za-z0-9_-]+|"(?:\\.|[^"\\\r\n])*"|'[^'\r\n]*')[ \t]*""")
_TOKEN = re.compile(
    r'''"""(?:\\.|[^\\])*?"{3,5}|\'\'\'.*?'{3,5}|"(?:\\.|[^"\\\r\n])*"|'[^'\r\n]*'|#[^\r\n]*|[\[\]{},]|[^\s\[\]{},"'#]+|\s+''',
    re.DOTALL,
)
_BLANK = re.compile(r"[ \t]*")
_VOID = re.compile(r"[ \t\r\n]*")


@dataclass(slots=True)
class _Entry:
    """`start` to `end`: from its key to the end of its value. `comma`: within an inline table, the place of the one
    behind it; -1 where none is.
    """

    start: int
    value: Span
    comma: int = -1

    @property
    def end(self) -> int:
        return self.value[1]


@dataclass(slots=True)
class _Table:
    """What keys are written into: the lines under one header, those before any, or an inline table.

    `at`: where the first entry goes: the line after the header, or after the opening brace. `closing`: of an inline
    table, where its brace is.
    """

    path: Key
    at: int
    entries: dict[Key, _Entry] = field(default_factory=dict)
    closing: int = -1


class TomlSettings:
    def __init__(self, text: str) -> None:
        self._text = text
        self._tree = tomli.loads(text)
        self._tables: dict[Key, _Table] = {(): _Table((), 0)}
        self._holders: dict[Key, _Table] = {}
        """Of each key that can be set in place: the table that it is written in."""
        self._dotted: dict[Key, _Table] = {}
        """Tables that are only named by keys with dots, and where those are written."""
        self._lists: set[Key] = set()
        self.comments: list[Span] = []
        self._walk()

    @cached_property
    def values(self) -> dict[Key, Value]:
        return flattened(self._tree)

    @cached_property
    def places(self) -> dict[Key, Span]:
        return {key: table.entries[key].value for key, table in self._holders.items() if key in self.values}

    def _walk(self) -> None:
        text, at, table = self._text, 0, self._tables[()]
        while at < len(text):
            at = past(_VOID, text, at)
            if at == len(text):
                break
            if text[at] == "#":
                at = self._comment(at)
            elif text[at] == "[":
                table, at = self._header(at)
            else:
                at = self._entry(table, at)

    def _comment(self, at: int) -> int:
        self.comments.append((at, line_end(self._text, at)))
        return self.comments[-1][1]

    def _header(self, at: int) -> tuple[_Table, int]:
        is_list = self._text.startswith("[[", at)
        path, at = _dotted(self._text, at + 1 + is_list)
        at += 1 + is_list
        table = _Table(path, after_line(self._text, at))
        if is_list:
            self._lists.add(path)
        if not any(path[:depth] in self._lists for depth in range(1, len(path) + 1)):
            self._tables[path] = table
        return table, at

    def _entry(self, table: _Table, at: int) -> int:
        """One key with its value, on lines of its own or in an inline table; gives where the value ends."""
        start = at
        name, at = _dotted(self._text, at)
        at = past(_BLANK, self._text, at + 1)
        key = (*table.path, *name)
        entry = _Entry(start, (at, at))
        table.entries[key] = entry
        is_own = self._tables.get(table.path) is table
        if is_own:
            self._holders[key] = table
            for depth in range(len(table.path) + 1, len(key)):
                self._dotted[key[:depth]] = table
        end = self._inline(key, at, is_own) if self._text[at] == "{" else self._past_value(at)
        entry.value = (at, end)
        return end

    def _inline(self, path: Key, at: int, is_own: bool) -> int:
        table = _Table(path, at + 1)
        if is_own:
            self._tables[path] = table
        at = self._past_void(at + 1)
        last: _Entry | None = None
        while self._text[at] != "}":
            if self._text[at] == ",":
                if last:
                    last.comma = at
                at = self._past_void(at + 1)
                continue
            at = self._past_void(self._entry(table, at))
            last = next(reversed(table.entries.values()))
        table.closing = at
        return at + 1

    def _past_void(self, at: int) -> int:
        at = past(_VOID, self._text, at)
        while self._text[at : at + 1] == "#":
            at = past(_VOID, self._text, self._comment(at))
        return at

    def _past_value(self, at: int) -> int:
        """Where a value ends that is no table: brackets are followed to their counterpart."""
        depth = 0
        while True:
            token = _TOKEN.match(self._text, at)
            if token is None:
                raise ValueError("a value is not understood")
            told = token[0]
            if told[0] == "#":
                self.comments.append(token.span())
            at = token.end()
            depth += (told in ("[", "{")) - (told in ("]", "}"))
            if depth == 0 and told not in ("[", "{"):
                return self._past_time(at, told)

    def _past_time(self, at: int, told: str) -> int:
        """A date and a time may have one blank between them."""
        if _DATE.fullmatch(told) and (rest := _TIME.match(self._text, at)):
            return rest.end()
        return at

    def splices(self, sets: Mapping[Key, Value], removes: Collection[Key]) -> list[Splice]:
        found: list[Splice] = []
        gone: dict[int, tuple[_Table, set[Key]]] = {}
        for key in removes:
            table = self._holders.get(key)
            if table is None:
                raise stuck(key, "It is written as several tables.")
            gone.setdefault(id(table), (table, set()))[1].add(key)
        added: dict[int, tuple[_Table, dict[Key, Value]]] = {}
        fresh: dict[Key, dict[Key, Value]] = {}
        removed = set(removes)
        for key, value in sets.items():
            table = self._holders.get(key)
            if table and key not in removed:
                found.append(Splice(*table.entries[key].value, self._like(table.entries[key], value)))
                continue
            if key in self.values and key not in removed:
                raise stuck(key, "It is written as several tables.")
            for depth in range(1, len(key)):
                if key[:depth] in self.values and key[:depth] not in removed:
                    raise stuck(key, f"“{key[depth - 1]}” is a value in this file, not a table.")
            home = self._home(key)
            if home is None:
                fresh.setdefault(key[:-1], {})[key] = value
            else:
                added.setdefault(id(home), (home, {}))[1][key] = value
        for at in {**gone, **added}:
            table = (gone.get(at) or added[at])[0]
            change = self._inline_changed if table.closing >= 0 else self._lines_changed
            found += change(table, gone.get(at, (table, set()))[1], added.get(at, (table, {}))[1])
        return [*found, self._new_tables(fresh)] if fresh else found

    def _home(self, key: Key) -> _Table | None:
        """The table that a new key is written into: its own, an inline one around it, or one in which its neighbours
        are written with dots. None where it needs a header of its own.
        """
        for depth in range(len(key) - 1, -1, -1):
            table = self._tables.get(key[:depth])
            if table and (depth == len(key) - 1 or table.closing >= 0):
                return table
            if key[:depth] in self._dotted:
                return self._dotted[key[:depth]]
        return None

    def _lines_changed(self, table: _Table, gone: set[Key], added: Mapping[Key, Value]) -> list[Splice]:
        text = self._text
        found = []
        for key in gone:
            entry = table.entries[key]
            found.append(Splice(line_start(text, entry.start), after_line(text, entry.end), ""))
        if added:
            last = next(reversed(table.entries.values()), None)
            at = after_line(text, last.end) if last else table.at if table.path else self._top()
            indent = text[line_start(text, last.start) : last.start] if last else ""
            newline = newline_at(text, max(at - 1, 0))
            lines = "".join(
                f"{indent}{_name(key[len(table.path) :])} = {_spelled(value, key)}{newline}"
                for key, value in added.items()
            )
            open_end = newline if at and text[at - 1] != "\n" else ""
            found.append(Splice(at, at, open_end + lines))
        return found

    def _top(self) -> int:
        """Where the first key before any header goes: under the words that open the file, where a blank line sets
        them off.
        """
        at = 0
        while self._text[at : at + 1] == "#":
            at = after_line(self._text, at)
        blank = past(_BLANK, self._text, at)
        if blank == len(self._text):
            return blank
        return after_line(self._text, blank) if at and self._text[blank] in "\r\n" else 0

    def _inline_changed(self, table: _Table, gone: set[Key], added: Mapping[Key, Value]) -> list[Splice]:
        left = [entry for key, entry in table.entries.items() if key not in gone]
        lines = [f"{_name(key[len(table.path) :])} = {_spelled(value, key)}" for key, value in added.items()]
        if gone and not left:
            text = f" {', '.join(lines)} " if lines else ""
            return [Splice(table.at, table.closing, text)]
        found = []
        for key in gone:
            entry = table.entries[key]
            end = entry.comma + 1 if entry.comma >= 0 else entry.end
            found.append(Splice(entry.start, past(_BLANK, self._text, end) if entry.comma >= 0 else end, ""))
        last = left[-1] if left else None
        is_last = last is not None and last is list(table.entries.values())[-1]
        if last and not is_last and last.comma >= 0:
            found.append(Splice(last.comma, last.comma + 1, "," if lines else ""))
        if lines:
            at = last.comma + 1 if last and last.comma >= 0 else last.end if last else table.at
            lead = " " if last and last.comma >= 0 else ", " if last else " "
            found.append(Splice(at, at, lead + ", ".join(lines) + ("" if last else " ")))
        return found

    def _new_tables(self, fresh: Mapping[Key, Mapping[Key, Value]]) -> Splice:
        text = self._text
        newline = newline_at(text, max(len(text) - 1, 0))
        parts = []
        for path, keys in fresh.items():
            lines = "".join(f"{_name(key[-1:])} = {_spelled(value, key)}{newline}" for key, value in keys.items())
            parts.append(f"[{_name(path)}]{newline}{lines}")
        return Splice(len(text), len(text), gap_at_end(text, newline) + newline.join(parts))

    def _like(self, entry: _Entry, value: Value) -> str:
        """A value in the quotes that stand there now, where they can hold it."""
        old = self._text[slice(*entry.value)]
        if (
            isinstance(value, str)
            and old[:1] == "'"
            and old[:3] != "'''"
            and not re.search(r"['\x00-\x08\x0a-\x1f\x7f]", value)
        ):
            return f"'{value}'"
        return _spelled(value, ())


_DATE = re.compile(r"\d{4}-\d\d-\d\d")
_TIME = re.compile(r" \d\d:\d\d(?::\d\d(?:\.\d+)?)?(?:[Zz]|[+-]\d\d:\d\d)?")


def _dotted(text: str, at: int) -> tuple[Key, int]:
    names = []
    while True:
        match = _NAME.match(text, at)
        if match is None:
            raise ValueError("a key is not understood")
        told, at = match[1], match.end()
        names.append(str(tomli.loads(f"name = {told}")["name"]) if told[0] in "\"'" else told)
        if text[at : at + 1] != ".":
            return tuple(names), at
        at += 1


def _name(key: Iterable[str]) -> str:
    return ".".join(one if _BARE.fullmatch(one) else _text(one) for one in key)


def _text(value: str) -> str:
    # JSON's escapes are TOML's but for the one character that JSON leaves plain.
    return json.dumps(value, ensure_ascii=False).replace("\x7f", "\\u007f")


def _spelled(value: Value, key: Key) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, str):
        return _text(value)
    if isinstance(value, int):
        return str(value)
    if isinstance(value, float):
        return repr(value) if math.isfinite(value) else str(value)
    if isinstance(value, datetime | date | time):
        return value.isoformat()
    if isinstance(value, list):
        return f"[{', '.join(_spelled(one, key) for one in value)}]"
    if isinstance(value, dict):
        inside: dict[str, Any] = value
        return "{" + ", ".join(f"{_name((name,))} = {_spelled(one, key)}" for name, one in inside.items()) + "}"
    raise stuck(key, "This format has no such value.")
