"""TOML, through tomlkit, which keeps what it does not change."""

from __future__ import annotations

from typing import Any

import tomlkit
from tomlkit.items import AbstractTable, InlineTable

from .base import Key, Value, flattened, stuck


class TomlSettings:
    def __init__(self, text: str) -> None:
        self._document = tomlkit.parse(text)
        # tomlkit writes the line ends that it found with each line; new lines get those of the first.
        self._crlf = "\r\n" in text

    def values(self) -> dict[Key, Value]:
        return flattened(self._document.unwrap())

    def set(self, key: Key, value: Value) -> None:
        table: Any = self._document
        for name in key[:-1]:
            if name not in table:
                table[name] = tomlkit.table() if not isinstance(table, InlineTable) else tomlkit.inline_table()
            table = table[name]
            if not isinstance(table, AbstractTable | tomlkit.TOMLDocument):
                raise stuck(key, f"“{name}” is a value in this file, not a table.")
        old = table.get(key[-1])
        item = tomlkit.item(value)
        if old is not None and hasattr(old, "trivia"):
            item.trivia.indent, item.trivia.comment_ws = old.trivia.indent, old.trivia.comment_ws
            item.trivia.comment, item.trivia.trail = old.trivia.comment, old.trivia.trail
        table[key[-1]] = item

    def remove(self, key: Key) -> None:
        table: Any = self._document
        for name in key[:-1]:
            table = table[name]
        del table[key[-1]]

    def text(self) -> str:
        text = tomlkit.dumps(self._document)
        return text.replace("\r\n", "\n").replace("\n", "\r\n") if self._crlf else text
