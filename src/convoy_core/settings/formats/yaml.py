"""YAML. What is changed is changed in the text, at the value's own place (`yaml_tree` says where, `yaml_words` how).

What an alias stands for is read, and not changed; one document is read, not several.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Mapping
from functools import cached_property
from typing import Any

from .base import (
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
from .yaml_tree import Composer, Node, Tagged
from .yaml_words import flow, lines_of, spelled

MOST_EXPANDED = 300_000
"""Values that aliases may come to: a file of a few lines can stand for more than any memory holds."""

_COMMENT = re.compile(r"(?:^|(?<=\s))#[^\r\n]*", re.MULTILINE)


class YamlSettings:
    def __init__(self, text: str) -> None:
        self._text = text
        composer = Composer(text)
        self._root = composer.document()
        self._scalars = composer.scalars
        if self._root.pairs is None and self._root.value is not None:
            raise ValueError("it is no mapping")
        if self._root.items is not None:
            raise ValueError("it is no mapping")
        self._left = MOST_EXPANDED
        self.values: dict[Key, Value] = flattened(self._told(self._root) or {})

    def _told(self, node: Node) -> Any:
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

    def _own(self, node: Node, above: Key) -> Iterator[tuple[Key, Node]]:
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

    def _mapping(self, path: Key) -> Node:
        node = self._root
        for name in path:
            node = (node.pairs or {})[name][1]
        return node

    def _node(self, key: Key) -> Node:
        node = self._root
        for name in key:
            found = (node.pairs or {}).get(name) if not node.is_alias else None
            if found is None:
                raise stuck(key, "It stands for what is written elsewhere in this file.")
            node = found[1]
        return node

    def _set(self, key: Key, node: Node, value: Value) -> Splice:
        if isinstance(node.value, Tagged):
            raise stuck(key, "Its value has a meaning that only the program knows.")
        if node.items is not None and not node.is_flow and not node.is_alias:
            return self._block_list(key, node, value)
        if node.pairs is not None and not node.is_alias:
            raise stuck(key, "It is a mapping in this file, not a value.")
        written = spelled(value, key, self._text[node.start : node.end])
        is_apart = self._text[node.start - 1 : node.start].isspace()
        return Splice(node.start, node.end, written if is_apart else f" {written}")

    def _block_list(self, key: Key, node: Node, value: Value) -> Splice:
        """A list on lines of its own stays one, and what is only longer gets more lines."""
        newline = newline_at(self._text, node.start)
        indent = newline + self._text[line_start(self._text, node.start) : node.start]
        if not isinstance(value, list) or not value or indent.strip():
            return Splice(self._after_colon(key), node.end, f" {spelled(value, key, '')}")
        lines = [f"- {spelled(one, key, '')}" for one in value]
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

    def _lines_of(self, key: Key, pair: tuple[Span, Node]) -> Splice:
        (start, end), value = pair
        line = line_start(self._text, start)
        if self._text[line:start].strip():
            raise stuck(key, "Something else stands on its line.")
        return Splice(line, after_line(self._text, max(end, value.end)), "")

    def _under(self, key: Key, pair: tuple[Span, Node], tree: Mapping[str, Any]) -> Splice:
        (start, end), value = pair
        line = line_start(self._text, start)
        indent = self._text[line:start]
        if indent.strip():
            raise stuck(key, "Something else stands on its line.")
        newline = newline_at(self._text, start)
        lines = "".join(newline + one for one in lines_of(tree, f"{indent}  "))
        if value.end > value.start:
            return Splice(value.start, value.end, lines)
        at = line_end(self._text, end)
        return Splice(at, at, lines)

    def _after(self, holder: Key, pairs: Mapping[str, tuple[Span, Node]], tree: Mapping[str, Any]) -> Splice:
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
        return Splice(at, at, lead + "".join(line + newline for line in lines_of(tree, indent)))

    def _flow_changed(self, node: Node, gone: set[str], added: Mapping[str, Any]) -> list[Splice]:
        pairs = node.pairs or {}
        written = [f"{spelled(name, (name,), '')}: {flow(value, (name,))}" for name, value in added.items()]
        if not pairs:
            return [Splice(node.start + 1, node.start + 1, ", ".join(written))]
        places = {name: (start, max(end, value.end)) for name, ((start, end), value) in pairs.items()}
        first, last = min(places.values()), max(places.values())
        if gone:
            # From its first to its last member; each that stays as it stands.
            kept = [self._text[start:end] for name, (start, end) in places.items() if name not in gone]
            return [Splice(first[0], last[1], ", ".join([*kept, *written]))]
        return [Splice(last[1], last[1], "".join(f", {one}" for one in written))]
