"""A YAML document as nodes, each with its place in the text: made of a kept parser's events.

Scalars are taken as YAML 1.2's core schema has them.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, field, replace
from typing import Any

import yaml

from .base import MAX_DEPTH, Span, Value

_LOADER = getattr(yaml, "CSafeLoader", yaml.SafeLoader)
_PROPERTIES = re.compile(r"(?:[&!][^\s]*[ \t]+|[&!][^\s]*(?=[\r\n])\s+)*")
_INTEGER = re.compile(r"[-+]?[0-9]+|0o[0-7]+|0x[0-9a-fA-F]+")
_FLOAT = re.compile(r"[-+]?(?:\.[0-9]+|[0-9]+(?:\.[0-9]*)?)(?:[eE][-+]?[0-9]+)?")
_INFINITE = re.compile(r"[-+]?\.(?:inf|Inf|INF)")
_NOT_A_NUMBER = (".nan", ".NaN", ".NAN")
NOTHING = ("", "~", "null", "Null", "NULL")
TRUTHS = {"true": True, "True": True, "TRUE": True, "false": False, "False": False, "FALSE": False}
_TAG = "tag:yaml.org,2002:"


class Tagged(str):
    """A value with a tag of the file's own: it is shown, and not set."""

    __slots__ = ()


@dataclass(slots=True)
class Node:
    """`start` to `end`: the value's own text, without tags and anchors before it. `pairs`: of a mapping, its keys with
    where each begins and ends; `is_flow`: written in brackets.
    """

    start: int
    end: int
    value: Value = None
    pairs: dict[str, tuple[Span, Node]] | None = None
    items: list[Node] | None = None
    is_flow: bool = False
    is_alias: bool = False
    merged: list[Node] = field(default_factory=list)
    """What a mapping takes over from others (`<<`)."""


class Composer:
    """Makes nodes of the parser's events; each event is looked at once."""

    def __init__(self, text: str) -> None:
        self._text = text
        self._anchors: dict[str, Node | None] = {}
        """None: still open, so that an alias to it would hold itself."""
        self.scalars: list[Span] = []
        self._events = yaml.parse(text, Loader=_LOADER)

    def document(self) -> Node:
        root: Node | None = None
        for event in self._events:
            if isinstance(event, yaml.DocumentStartEvent):
                if root is not None:
                    raise ValueError("it holds several documents")
                root = self._node(self._next(), 0)
        return root or Node(0, 0)

    def _next(self) -> Any:
        return next(self._events)

    def _node(self, event: Any, depth: int) -> Node:
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
            node = self._list(Node(start, end, items=[], is_flow=bool(event.flow_style)), depth)
        else:
            node = self._mapping(Node(start, end, pairs={}, is_flow=bool(event.flow_style)), depth)
        if event.anchor:
            self._anchors[event.anchor] = node
        return node

    def _scalar(self, event: Any, start: int, end: int) -> Node:
        if event.style in ("|", ">"):
            # The blank lines behind it are none of it, unless its head says so; its last line end never is.
            told = self._text[start:end]
            keeps = "+" in told.split("\n", 1)[0].split("#", 1)[0]
            end = start + len(told.removesuffix("\n").removesuffix("\r") if keeps else told.rstrip())
        self.scalars.append((start, end))
        return Node(start, end, _meant(event))

    def _list(self, node: Node, depth: int) -> Node:
        assert node.items is not None
        while not isinstance(event := self._next(), yaml.SequenceEndEvent):
            node.items.append(self._node(event, depth + 1))
        node.end = _place(event.end_mark) if node.is_flow else node.items[-1].end
        return node

    def _mapping(self, node: Node, depth: int) -> Node:
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

    def _merge(self, node: Node, value: Node) -> None:
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
        return Tagged(f"{event.tag} {text}")
    if tag == "str" or not (event.implicit[0] or tag):
        return text
    if text in NOTHING:
        return None
    if text in TRUTHS:
        return TRUTHS[text]
    if _INTEGER.fullmatch(text):
        return int(text) if text.lstrip("+-").isdigit() else int(text, 0)
    if _FLOAT.fullmatch(text):
        return float(text)
    if _INFINITE.fullmatch(text):
        return float(text.replace(".", ""))
    return math.nan if text in _NOT_A_NUMBER else text
