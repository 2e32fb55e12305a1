"""INI and CFG: sections in brackets, a key and a value a line, `;` and `#` comments on lines of their own.

Keys before any section stand at the top. A key that stands twice in its section has no one value: such a file is not
read.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from .base import Key, Value, stuck

_HEADER = re.compile(r"\s*\[([^\]\r\n]+)\]\s*(?:[;#].*)?")
_ENTRY = re.compile(r"(\s*)([^=:\r\n]+?)(\s*[=:][ \t]*)(.*?)(\s*)", re.DOTALL)


@dataclass
class _Line:
    """One line as it stands, ending included; an entry's parts when it is one."""

    raw: str
    section: str = ""
    key: str = ""
    before: str = ""
    value: str = ""
    after: str = ""


class IniSettings:
    def __init__(self, text: str) -> None:
        self._newline = "\r\n" if "\r\n" in text else "\n"
        self._lines: list[_Line] = []
        self._sections: set[str] = set()
        section = ""
        for raw in re.findall(r"[^\n]*\n|[^\n]+", text):
            header = _HEADER.fullmatch(raw)
            if header:
                section = header[1]
                if section in self._sections:
                    raise ValueError(f"the section “{section}” stands twice")
                self._sections.add(section)
            self._lines.append(_Line(raw, section) if header else _read(raw, section))
        keys = [(line.section, line.key) for line in self._lines if line.key]
        if len(set(keys)) < len(keys):
            raise ValueError("a key stands twice in its section")

    def values(self) -> dict[Key, Value]:
        return {_key(line): line.value for line in self._lines if line.key}

    def set(self, key: Key, value: Value) -> None:
        if len(key) > 2 or not isinstance(value, str) or value != value.strip() or "\n" in value or "\r" in value:
            raise stuck(key, "This format has sections and keys with a line of text, and nothing deeper.")
        for line in self._lines:
            if line.key and _key(line) == key:
                line.value, line.raw = value, f"{line.before}{value}{line.after}"
                return
        self._add(key[0] if len(key) == 2 else "", key[-1], value)

    def _add(self, section: str, key: str, value: str) -> None:
        entries = [line for line in self._lines if line.key]
        beside = [line for line in entries if line.section == section] or entries
        sign = beside[-1].before.split(beside[-1].key, 1)[1] if beside else " = "
        last = max(
            (at for at, line in enumerate(self._lines) if line.section == section and line.raw.strip()), default=-1
        )
        if section and section not in self._sections:
            last = len(self._lines) - 1
            gap = self._newline if self._lines and self._lines[-1].raw.strip() else ""
            self._insert(last + 1, _Line(f"{gap}[{section}]{self._newline}", section))
            self._sections.add(section)
            last += 1
        self._insert(last + 1, _read(f"{key}{sign}{value}{self._newline}", section))

    def _insert(self, at: int, line: _Line) -> None:
        if at and not self._lines[at - 1].raw.endswith("\n"):
            self._lines[at - 1].raw += self._newline
        self._lines.insert(at, line)

    def remove(self, key: Key) -> None:
        self._lines = [line for line in self._lines if not line.key or _key(line) != key]

    def text(self) -> str:
        return "".join(line.raw for line in self._lines)


def _key(line: _Line) -> Key:
    return (line.section, line.key) if line.section else (line.key,)


def _read(raw: str, section: str) -> _Line:
    if not raw.strip() or raw.lstrip()[0] in ";#":
        return _Line(raw, section)
    match = _ENTRY.fullmatch(raw)
    if match is None or raw.lstrip().startswith("["):
        raise ValueError(f"this line is neither a section nor a key: {raw.strip()[:60]}")
    indent, key, sign, value, after = match.groups()
    return _Line(raw, section, key, f"{indent}{key}{sign}", value, after)
