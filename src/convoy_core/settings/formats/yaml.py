"""YAML. The events of a kept parser say what stands where; what is changed is changed in the text, at that place.

Scalars are taken as YAML 1.2's core schema has them; what is written is read alike by programs that still follow 1.1.
What an alias stands for is read, and not changed; one document is read, not several.
"""

from __future__ import annotations

import json
import math
import re
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import yaml

from .base import (
    MAX_DEPTH,
    Key,
    Span,
    Splice,
    Value,
    after_line,
    flattened,
    line_end,
    line_start,
    newline_at,
    same,
    stuck,
)

MOST_EXPANDED = 300_000
"""Values that aliases may come to: a file of a few lines can stand for more than any memory holds."""

_LOADER = getattr(yaml, "CSafeLoader", yaml.SafeLoader)
_PROPERTIES = re.compile(r"(?:[&!][^\s]*[ \t]+|[&!][^\s]*(?=[\r\n])\s+)*")
_INTEGER = re.compile(r"[-+]?[0-9]+|0o[0-7]+|0x[0-9a-fA-F]+")
_FLOAT = re.compile(r"[-+]?(?:\.[0-9]+|[0-9]+(?:\.[0-9]*)?)(?:[eE][-+]?[0-9]+)?")
_INFINITE = re.compile(r"[-+]?\.(?:inf|Inf|INF)")
_NOT_A_NUMBER = (".nan", ".NaN", ".NAN")
_NOTHING = ("", "~", "null", "Null", "NULL")
_TRUTHS = {"true": True, "True": True, "TRUE": True, "false": False, "False": False, "FALSE": False}
_OLD_TRUTHS = frozenset(
    ["y", "Y", "yes", "Yes", "YES", "n", "N", "no", "No", "NO", "on", "On", "ON", "off", "Off", "OFF"]
)
"""Words that are truths to programs which follow YAML 1.1, and text to others."""

_NUMBER_LIKE = re.compile(r"[-+.]?[0-9][0-9_:.,xobeE+-]*[a-fA-F0-9]*|[-+]?\.(?:inf|nan)", re.IGNORECASE)
LONGEST_NUMBER = 60
"""Characters: what is longer is text to everybody."""

_DATE_LIKE = re.compile(r"[0-9]{4}-[0-9]{1,2}-[0-9]{1,2}.*")
_PLAIN = re.compile(
    r"[^\s\-?:,\[\]{}#&*!|>'\"%@`=<](?:[^:#\x00-\x1f\x7f-\xa0\u2028\u2029\ufeff,\[\]{}]|:(?=[^\s,\[\]{}])|(?<=\S)#)*"
)
_UNPRINTED = re.compile(r"[^\t\x20-\x7e\xa0-\ud7ff\ue000-\ufefe\uff00-\ufffd\U00010000-\U0010ffff]|[\u2028\u2029]")
_COMMENT = re.compile(r"(?:^|(?<=\s))#[^\r\n]*", re.MULTILINE)
_TAG = "tag:yaml.org,2002:"


class _Tagged(str):
    """A value with a tag of the file's own: it is shown, and not set."""

    __slots__ = ()


@dataclass(slots=True)
class _Node:
    """`start` to `end`: the value's own text, without tags and anchors before it. `pairs`: of a mapping, its keys with
    where each begins and ends; `is_flow`: written in brackets.
    """

    start: int
    end: int
    value: Value = None
    pairs: dict[str, tuple[Span, _Node]] | None = None
    items: list[_Node] | None = None
    is_flow: bool = False
    is_alias: bool = False
    merged: list[_Node] = field(default_factory=list)
    """What a mapping takes over from others (`<<`)."""


class YamlSettings:
    def __init__(self, text: str) -> None:
        self._text = text
        composer = _Composer(text)
        self._root = composer.document()
        self._scalars = composer.scalars
        if self._root.pairs is None and self._root.value is not None:
            raise ValueError("it is no mapping")
        if self._root.items is not None:
            raise ValueError("it is no mapping")
        self._left = MOST_EXPANDED
        self.values: dict[Key, Value] = flattened(self._told(self._root) or {})

    def _told(self, node: _Node) -> Any:
        self._left -= 1
        if self._left < 0:
            raise ValueError("its aliases stand for more than anybody reads")
        if node.items is not None:
            return [self._told(one) for one in node.items]
        if node.pairs is None:
            return node.value
        found: dict[str, Any] = {}
        for other in reversed(node.merged):
            found |= self._told(other)
        return found | {name: self._told(one) for name, (_, one) in node.pairs.items()}

    @cached_property
    def places(self) -> dict[Key, Span]:
        return {key: (node.start, node.end) for key, node in self._own(self._root, ())}

    def _own(self, node: _Node, above: Key) -> Iterator[tuple[Key, _Node]]:
        """Keys that stand in the text itself, each with its value."""
        for name, (_, below) in (node.pairs or {}).items():
            if below.pairs is not None and not below.is_alias:
                yield from self._own(below, (*above, name))
            elif below.pairs is None:
                yield (*above, name), below

    @cached_property
    def comments(self) -> list[Span]:
        found, at = [], 0
        for start, end in [*self._scalars, (len(self._text), 0)]:
            found += [one.span() for one in _COMMENT.finditer(self._text, at, start)]
            at = max(at, end)
        return found

    def splices(self, sets: Mapping[Key, Value], removes: Collection[Key]) -> list[Splice]:
        found: list[Splice] = []
        gone: dict[Key, set[str]] = {}
        for key in removes:
            self._node(key)
            gone.setdefault(key[:-1], set()).add(key[-1])
        added: dict[Key, dict[str, Any]] = {}
        for key, value in sets.items():
            depth = self._depth(key, gone)
            name, below = key[depth], key[depth + 1 :]
            node = self._mapping(key[:depth]).pairs or {}
            if name in node and name not in gone.get(key[:depth], ()) and not below:
                found.append(self._set(key, node[name][1], value))
                continue
            tree = added.setdefault(key[:depth], {})
            for one in (name, *below)[:-1]:
                tree = tree.setdefault(one, {})
            tree[key[-1]] = value
        for holder in {**gone, **added}:
            found += self._changed(holder, gone.get(holder, set()), added.get(holder, {}))
        return found

    def _depth(self, key: Key, gone: Mapping[Key, set[str]]) -> int:
        """How many of a key's names are there already as mappings."""
        depth, node = 0, self._root
        while depth < len(key) - 1:
            found = (node.pairs or {}).get(key[depth])
            if found is None or key[depth] in gone.get(key[:depth], ()):
                break
            if found[1].is_alias:
                raise stuck(key, f"“{key[depth]}” stands for what is written elsewhere in this file.")
            if found[1].pairs is None:
                if found[1].value is not None or found[1].items is not None:
                    raise stuck(key, f"“{key[depth]}” is a value in this file, not a mapping.")
                break
            node, depth = found[1], depth + 1
        return depth

    def _mapping(self, path: Key) -> _Node:
        node = self._root
        for name in path:
            node = (node.pairs or {})[name][1]
        return node

    def _node(self, key: Key) -> _Node:
        node = self._root
        for name in key:
            found = (node.pairs or {}).get(name) if not node.is_alias else None
            if found is None:
                raise stuck(key, "It stands for what is written elsewhere in this file.")
            node = found[1]
        return node

    def _set(self, key: Key, node: _Node, value: Value) -> Splice:
        if isinstance(node.value, _Tagged):
            raise stuck(key, "Its value has a meaning that only the program knows.")
        if node.items is not None and not node.is_flow and not node.is_alias:
            return self._block_list(key, node, value)
        if node.pairs is not None and not node.is_alias:
            raise stuck(key, "It is a mapping in this file, not a value.")
        written = _spelled(value, key, self._text[node.start : node.end])
        is_apart = self._text[node.start - 1 : node.start].isspace()
        return Splice(node.start, node.end, written if is_apart else f" {written}")

    def _block_list(self, key: Key, node: _Node, value: Value) -> Splice:
        """A list on lines of its own stays one, and what is only longer gets more lines."""
        newline = newline_at(self._text, node.start)
        indent = newline + self._text[line_start(self._text, node.start) : node.start]
        if not isinstance(value, list) or not value or indent.strip():
            return Splice(self._after_colon(key), node.end, f" {_spelled(value, key, '')}")
        lines = [f"- {_spelled(one, key, '')}" for one in value]
        old = self._told(node)
        if same(old, value[: len(old)]):
            end = line_end(self._text, node.end)
            return Splice(end, end, "".join(indent + line for line in lines[len(old) :]))
        return Splice(node.start, node.end, indent.join(lines))

    def _after_colon(self, key: Key) -> int:
        """The place behind the colon of a key."""
        pairs = self._mapping(key[:-1]).pairs or {}
        return self._text.index(":", pairs[key[-1]][0][1]) + 1

    def _changed(self, holder: Key, gone: set[str], added: Mapping[str, Any]) -> list[Splice]:
        node = self._mapping(holder)
        pairs = node.pairs if node.pairs is not None else {}
        if node.is_flow:
            return self._flow_changed(node, gone, added)
        found = [self._lines_of((*holder, name), pairs[name]) for name in gone]
        # A key whose value is nothing may become a mapping: then its lines come under it.
        under = {name for name in added if name in pairs and name not in gone}
        found += [self._under((*holder, name), pairs[name], added[name]) for name in under]
        fresh = {name: tree for name, tree in added.items() if name not in under}
        if fresh:
            found.append(self._after(holder, pairs, fresh))
        elif len(gone) == len(pairs) and holder and not node.merged:
            found.append(Splice(self._after_colon(holder), self._after_colon(holder), " {}"))
        return found

    def _lines_of(self, key: Key, pair: tuple[Span, _Node]) -> Splice:
        (start, end), value = pair
        line = line_start(self._text, start)
        if self._text[line:start].strip():
            raise stuck(key, "Something else stands on its line.")
        return Splice(line, after_line(self._text, max(end, value.end)), "")

    def _under(self, key: Key, pair: tuple[Span, _Node], tree: Mapping[str, Any]) -> Splice:
        (start, end), value = pair
        line = line_start(self._text, start)
        indent = self._text[line:start]
        if indent.strip():
            raise stuck(key, "Something else stands on its line.")
        newline = newline_at(self._text, start)
        lines = "".join(newline + one for one in _lines(tree, f"{indent}  "))
        if value.end > value.start:
            return Splice(value.start, value.end, lines)
        at = line_end(self._text, end)
        return Splice(at, at, lines)

    def _after(self, holder: Key, pairs: Mapping[str, tuple[Span, _Node]], tree: Mapping[str, Any]) -> Splice:
        """New lines after the last of a mapping."""
        text, at, indent = self._text, len(self._text), ""
        if pairs:
            (start, end), value = list(pairs.values())[-1]
            indent = text[line_start(text, start) : start]
            at = after_line(text, max(end, value.end))
            if indent.strip():
                raise stuck(holder, "Its neighbours do not stand on lines of their own.")
        newline = newline_at(text, max(at - 1, 0))
        lead = newline if at and text[at - 1] != "\n" else ""
        return Splice(at, at, lead + "".join(line + newline for line in _lines(tree, indent)))

    def _flow_changed(self, node: _Node, gone: set[str], added: Mapping[str, Any]) -> list[Splice]:
        pairs = node.pairs or {}
        written = [f"{_spelled(name, (name,), '')}: {_flow(value, (name,))}" for name, value in added.items()]
        if not pairs:
            return [Splice(node.start + 1, node.start + 1, ", ".join(written))]
        places = {name: (start, max(end, value.end)) for name, ((start, end), value) in pairs.items()}
        first, last = min(places.values()), max(places.values())
        if gone:
            # From its first to its last member; each that stays as it stands.
            kept = [self._text[start:end] for name, (start, end) in places.items() if name not in gone]
            return [Splice(first[0], last[1], ", ".join([*kept, *written]))]
        return [Splice(last[1], last[1], "".join(f", {one}" for one in written))]


class _Composer:
    """Makes nodes of the parser's events; each event is looked at once."""

    def __init__(self, text: str) -> None:
        self._text = text
        self._anchors: dict[str, _Node | None] = {}
        """None: still open, so that an alias to it would hold itself."""
        self.scalars: list[Span] = []
        self._events = yaml.parse(text, Loader=_LOADER)

    def document(self) -> _Node:
        root: _Node | None = None
        for event in self._events:
            if isinstance(event, yaml.DocumentStartEvent):
                if root is not None:
                    raise ValueError("it holds several documents")
                root = self._node(self._next(), 0)
        return root or _Node(0, 0)

    def _next(self) -> Any:
        return next(self._events)

    def _node(self, event: Any, depth: int) -> _Node:
        if depth > MAX_DEPTH:
            raise ValueError("it is nested too deeply")
        start, end = _place(event.start_mark), _place(event.end_mark)
        if isinstance(event, yaml.AliasEvent):
            name = event.anchor or ""
            known = self._anchors.get(name)
            if known is None:
                raise ValueError(f"“*{name[:60]}” stands for itself, or for nothing")
            self.scalars.append((start, end))
            return replace(known, start=start, end=end, is_alias=True)
        if event.anchor:
            self._anchors[event.anchor] = None
        if (event.anchor or event.tag) and (properties := _PROPERTIES.match(self._text, start, end)):
            start = properties.end()
        if isinstance(event, yaml.ScalarEvent):
            node = self._scalar(event, start, end)
        elif isinstance(event, yaml.SequenceStartEvent):
            node = self._list(_Node(start, end, items=[], is_flow=bool(event.flow_style)), depth)
        else:
            node = self._mapping(_Node(start, end, pairs={}, is_flow=bool(event.flow_style)), depth)
        if event.anchor:
            self._anchors[event.anchor] = node
        return node

    def _scalar(self, event: Any, start: int, end: int) -> _Node:
        if event.style in ("|", ">"):
            # The blank lines behind it are none of it, unless its head says so; its last line end never is.
            told = self._text[start:end]
            keeps = "+" in told.split("\n", 1)[0].split("#", 1)[0]
            end = start + len(told.removesuffix("\n").removesuffix("\r") if keeps else told.rstrip())
        self.scalars.append((start, end))
        return _Node(start, end, _meant(event))

    def _list(self, node: _Node, depth: int) -> _Node:
        assert node.items is not None
        while not isinstance(event := self._next(), yaml.SequenceEndEvent):
            node.items.append(self._node(event, depth + 1))
        node.end = _place(event.end_mark) if node.is_flow else node.items[-1].end
        return node

    def _mapping(self, node: _Node, depth: int) -> _Node:
        assert node.pairs is not None
        value = node
        while not isinstance(event := self._next(), yaml.MappingEndEvent):
            if not isinstance(event, yaml.ScalarEvent):
                raise ValueError("one of its keys is no name")
            place = (_place(event.start_mark), _place(event.end_mark))
            self.scalars.append(place)
            value = self._node(self._next(), depth + 1)
            if event.value == "<<" and event.implicit[0]:
                self._merge(node, value)
            elif event.value in node.pairs:
                raise ValueError(f"“{event.value[:60]}” stands twice")
            else:
                node.pairs[event.value] = (place, value)
        node.end = _place(event.end_mark) if node.is_flow else value.end
        return node

    def _merge(self, node: _Node, value: _Node) -> None:
        others = value.items if value.items is not None else [value]
        if any(one.pairs is None for one in others):
            raise ValueError("“<<” takes over what is no mapping")
        node.merged += others


def _place(mark: Any) -> int:
    return int(mark.index)


def _meant(event: Any) -> Value:
    """What a scalar stands for. Source: YAML 1.2.2, 10.3, core schema."""
    text = str(event.value)
    tag = (event.tag or "").removeprefix(_TAG)
    if event.tag and tag not in ("str", "int", "float", "bool", "null"):
        return _Tagged(f"{event.tag} {text}")
    if tag == "str" or not (event.implicit[0] or tag):
        return text
    if text in _NOTHING:
        return None
    if text in _TRUTHS:
        return _TRUTHS[text]
    if _INTEGER.fullmatch(text):
        return int(text) if text.lstrip("+-").isdigit() else int(text, 0)
    if _FLOAT.fullmatch(text):
        return float(text)
    if _INFINITE.fullmatch(text):
        return float(text.replace(".", ""))
    return math.nan if text in _NOT_A_NUMBER else text


def _lines(tree: Mapping[str, Any], indent: str) -> Iterator[str]:
    for name, value in tree.items():
        written = _spelled(name, (name,), "")
        if isinstance(value, dict):
            yield f"{indent}{written}:"
            yield from _lines(value, f"{indent}  ")
        else:
            yield f"{indent}{written}: {_flow(value, (name,))}"


def _flow(value: Value, key: Key) -> str:
    if isinstance(value, dict):
        return "{" + ", ".join(f"{_flow(name, key)}: {_flow(one, key)}" for name, one in value.items()) + "}"
    if isinstance(value, list):
        return f"[{', '.join(_flow(one, key) for one in value)}]"
    return _spelled(value, key, "")


def _spelled(value: Value, key: Key, old: str) -> str:
    """`old`: what stands there now, whose quotes are kept where they can hold the new one."""
    if isinstance(value, list | dict):
        return _flow(value, key)
    if value is None:
        return "null"
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, int):
        return str(value)
    if isinstance(value, float):
        return _number(value)
    if isinstance(value, str):
        return _text(value, old)
    raise stuck(key, "This format has no such value.")


def _number(value: float) -> str:
    if math.isnan(value):
        return ".nan"
    if math.isinf(value):
        return ".inf" if value > 0 else "-.inf"
    text = repr(value)
    # Programs that follow YAML 1.1 want the point.
    return text if "." in text else text.replace("e", ".0e")


def _text(value: str, old: str) -> str:
    if old in _OLD_TRUTHS and value in _OLD_TRUTHS:
        return value
    is_printed = not _UNPRINTED.search(value) and "\n" not in value and "\r" not in value
    if old[:1] not in ("'", '"') and _is_plain(value):
        return value
    if is_printed and old[:1] != '"' and "\t" not in value:
        return "'" + value.replace("'", "''") + "'"
    return _UNPRINTED.sub(_coded, json.dumps(value, ensure_ascii=False))


def _is_plain(value: str) -> bool:
    """Whether a text can stand without quotes and is a text to everybody."""
    if value in _OLD_TRUTHS or value in _NOTHING or value in _TRUTHS or value != value.strip():
        return False
    is_number = len(value) <= LONGEST_NUMBER and _NUMBER_LIKE.fullmatch(value)
    return bool(_PLAIN.fullmatch(value)) and not is_number and not _DATE_LIKE.fullmatch(value)


def _coded(found: re.Match[str]) -> str:
    code = ord(found[0])
    return f"\\u{code:04x}" if code < 0x10000 else f"\\U{code:08x}"
