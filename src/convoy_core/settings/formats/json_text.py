"""JSON, with comments and trailing commas as settings files have them. Read with its places, changed in place."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass, field

from .base import Key, Value, stuck

_SPACE = re.compile(r"(?:\s+|//[^\n]*|/\*.*?\*/)*", re.DOTALL)
_STRING = re.compile(r'"(?:\\.|[^"\\\n])*"')
_PLAIN = re.compile(r"[-+.\w]+")
MAX_DEPTH = 200


@dataclass
class _Member:
    """A member of an object: its key's place, and its value's."""

    start: int
    node: _Node


@dataclass
class _Node:
    """A value and its place in the text: `start` to `end`. `members` for objects, in order."""

    start: int
    end: int
    value: Value
    members: dict[str, _Member] | None = field(default=None)


class JsonSettings:
    def __init__(self, text: str) -> None:
        self._text = text
        self._read()

    def _read(self) -> None:
        self._bom = "\ufeff" if self._text.startswith("\ufeff") else ""
        parser = _Parser(self._text, len(self._bom))
        self._top = parser.whole()
        if self._top.members is None:
            raise ValueError("it is no object")

    def values(self) -> dict[Key, Value]:
        return _leaves(self._top, ())

    def set(self, key: Key, value: Value) -> None:
        node = self._top
        for depth, name in enumerate(key):
            if node.members is None:
                raise stuck(key, f"“{key[depth - 1]}” is a value in this file, not an object.")
            member = node.members.get(name)
            if member is None:
                for inner in reversed(key[depth + 1 :]):
                    value = {inner: value}
                return self._insert(node, name, value)
            node = member.node
        self._replace(node.start, node.end, json.dumps(value, ensure_ascii=False))
        return None

    def remove(self, key: Key) -> None:
        node = self._top
        for name in key[:-1]:
            node = (node.members or {})[name].node
        members = node.members or {}
        member = members[key[-1]]
        start, end = member.start, member.node.end
        line = self._text.rfind("\n", 0, start)
        own_line = line >= 0 and not self._text[line + 1 : start].strip()
        following = self._after(end)
        comma = -1
        if self._text[following : following + 1] == ",":
            end = following + 1
        elif before := [one for one in members.values() if one.start < member.start]:
            comma = self._after(before[-1].node.end)
        if own_line and (rest := re.compile(r"[ \t]*\r?\n").match(self._text, end)):
            start, end = line + 1, rest.end()
        self._text = self._text[:start] + self._text[end:]
        if comma >= 0:
            self._text = self._text[:comma] + self._text[comma + 1 :]
        self._read()

    def _after(self, place: int) -> int:
        """The place after blanks and comments."""
        match = _SPACE.match(self._text, place)
        return match.end() if match else place

    def text(self) -> str:
        return self._text

    def _insert(self, node: _Node, name: str, value: Value) -> None:
        members = list((node.members or {}).values())
        written = f"{json.dumps(name, ensure_ascii=False)}: {json.dumps(value, ensure_ascii=False)}"
        if members:
            last = members[-1]
            line = self._text.rfind("\n", 0, last.start)
            indent = self._text[line + 1 : last.start] if line >= 0 else ""
            newline = "\r\n" if self._text[line - 1 : line] == "\r" else "\n"
            own_line = line >= node.start and not indent.strip()
            after = _SPACE.match(self._text, last.node.end)
            trailing = after is not None and self._text[after.end() : after.end() + 1] == ","
            at = after.end() + 1 if trailing and after else last.node.end
            gap = f"{newline}{indent}" if own_line else " "
            self._replace(at, at, f"{'' if trailing else ','}{gap}{written}{',' if trailing else ''}")
        else:
            self._replace(node.start, node.end, f"{{{written}}}")

    def _replace(self, start: int, end: int, by: str) -> None:
        self._text = self._text[:start] + by + self._text[end:]
        self._read()


def _leaves(node: _Node, above: Key) -> dict[Key, Value]:
    found: dict[Key, Value] = {}
    for name, member in (node.members or {}).items():
        key = (*above, name)
        found |= {key: member.node.value} if member.node.members is None else _leaves(member.node, key)
    return found


class _Parser:
    def __init__(self, text: str, at: int) -> None:
        self._text, self._at = text, at

    def whole(self) -> _Node:
        self._space()
        node = self._value(0)
        self._space()
        if self._at < len(self._text):
            raise self._wrong("there is more after the end")
        return node

    def _space(self) -> None:
        match = _SPACE.match(self._text, self._at)
        self._at = match.end() if match else self._at

    def _value(self, depth: int) -> _Node:
        if depth > MAX_DEPTH:
            raise self._wrong("it is nested too deeply")
        start, char = self._at, self._text[self._at : self._at + 1]
        if char == "{":
            return self._object(start, depth)
        if char == "[":
            return self._list(start, depth)
        match = _STRING.match(self._text, start) or _PLAIN.match(self._text, start)
        if match is None:
            raise self._wrong("a value is missing")
        self._at = match.end()
        return _Node(start, self._at, json.loads(match[0]))

    def _object(self, start: int, depth: int) -> _Node:
        members: dict[str, _Member] = {}
        self._at += 1
        while not self._closes("}"):
            key = _STRING.match(self._text, self._at)
            if key is None:
                raise self._wrong("a key is missing")
            name, at, self._at = json.loads(key[0]), self._at, key.end()
            self._space()
            self._take(":")
            self._space()
            if name in members:
                raise self._wrong(f"“{name}” stands twice")
            members[name] = _Member(at, self._value(depth + 1))
            self._comma("}")
        value = {name: member.node.value for name, member in members.items()}
        return _Node(start, self._at, value, members)

    def _list(self, start: int, depth: int) -> _Node:
        items = []
        self._at += 1
        while not self._closes("]"):
            items.append(self._value(depth + 1).value)
            self._comma("]")
        return _Node(start, self._at, items)

    def _closes(self, bracket: str) -> bool:
        self._space()
        if self._text[self._at : self._at + 1] != bracket:
            return False
        self._at += 1
        return True

    def _comma(self, bracket: str) -> None:
        self._space()
        if self._text[self._at : self._at + 1] != bracket:
            self._take(",")

    def _take(self, char: str) -> None:
        if self._text[self._at : self._at + 1] != char:
            raise self._wrong(f"“{char}” is missing")
        self._at += 1

    def _wrong(self, what: str) -> ValueError:
        return ValueError(f"line {self._text.count(chr(10), 0, self._at) + 1}: {what}")
