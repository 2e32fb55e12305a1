"""YAML, through ruamel's round trip: comments, order and quotes survive; blanks between key and value become one."""

from __future__ import annotations

import io
from typing import Any

from ruamel.yaml import YAML
from ruamel.yaml.comments import CommentedMap

from .base import Key, Value, flattened, stuck


class YamlSettings:
    def __init__(self, text: str) -> None:
        self._original, self._changed = text, False
        self._yaml = YAML(typ="rt")
        self._yaml.preserve_quotes = True
        self._yaml.width = 10_000
        loaded = self._yaml.load(text)
        self._tree = CommentedMap() if loaded is None else loaded
        if not isinstance(self._tree, CommentedMap):
            raise ValueError("it is no mapping")

    def values(self) -> dict[Key, Value]:
        return flattened(_plain(self._tree))

    def set(self, key: Key, value: Value) -> None:
        tree: Any = self._tree
        for name in key[:-1]:
            found = _named(tree, name)
            if found not in tree:
                tree[found] = CommentedMap()
            tree = tree[found]
            if not isinstance(tree, CommentedMap):
                raise stuck(key, f"“{name}” is a value in this file, not a mapping.")
        tree[_named(tree, key[-1])] = value
        self._changed = True

    def remove(self, key: Key) -> None:
        tree: Any = self._tree
        for name in key[:-1]:
            tree = tree[_named(tree, name)]
        del tree[_named(tree, key[-1])]
        self._changed = True

    def text(self) -> str:
        if not self._changed:
            return self._original
        out = io.StringIO()
        self._yaml.dump(self._tree, out)
        return out.getvalue().replace("\n", "\r\n") if "\r\n" in self._original else out.getvalue()


def _named(tree: CommentedMap, name: str) -> Any:
    """The key as the file has it: `8: x` has a number for a key."""
    return next((key for key in tree if str(key) == name), name)


def _plain(node: Any) -> Any:
    """Without ruamel's own types, so that values compare."""
    if isinstance(node, dict):
        return {str(key): _plain(value) for key, value in node.items()}
    if isinstance(node, list):
        return [_plain(one) for one in node]
    for kind in (bool, int, float, str):
        if isinstance(node, kind):
            return kind(node)
    return node
