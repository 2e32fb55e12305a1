"""Properties: a key and a value a line, `#` and `!` comments, escapes, and lines that go on after a backslash."""

from __future__ import annotations

import re
from dataclasses import dataclass

from .base import Key, Value, stuck

_ESCAPES = {"t": "\t", "n": "\n", "r": "\r", "f": "\f"}
_BLANK = " \t\f"
"""What counts as blank in this format: other spaces are letters like any."""

_ENTRY = re.compile(r"([ \t\f]*)((?:\\.|[^ \t\f=:\\])+)([ \t\f]*[=:][ \t\f]*|[ \t\f]+|$)(.*)", re.DOTALL)


@dataclass
class _Line:
    """One logical line: `raw` as it stands, and what it says when it is an entry."""

    raw: str
    key: str = ""
    before: str = ""
    """Everything up to the value."""
    value: str = ""
    end: str = ""


class PropertiesSettings:
    def __init__(self, text: str) -> None:
        self._lines = [_read(raw) for raw in _logical_lines(text)]
        self._newline = "\r\n" if "\r\n" in text else "\n"

    def values(self) -> dict[Key, Value]:
        return {(line.key,): line.value for line in self._lines if line.key}

    def set(self, key: Key, value: Value) -> None:
        if len(key) != 1 or not isinstance(value, str):
            raise stuck(key, "This format has keys with text, and nothing deeper.")
        found = [line for line in self._lines if line.key == key[0]]
        for line in found:
            line.value, line.raw = value, f"{line.before}{_escaped(value)}{line.end}"
        if not found:
            if self._lines and not self._lines[-1].raw.endswith(("\n", "\r")):
                self._lines[-1].raw += self._newline
            self._lines.append(_read(f"{_escaped(key[0], in_key=True)}={_escaped(value)}{self._newline}"))

    def remove(self, key: Key) -> None:
        self._lines = [line for line in self._lines if (line.key,) != key]

    def text(self) -> str:
        return "".join(line.raw for line in self._lines)


def _logical_lines(text: str) -> list[str]:
    lines: list[str] = []
    goes_on = False
    for raw in re.split(r"(?<=\n)|(?<=\r)(?!\n)", text):
        if not raw:
            continue
        if goes_on:
            lines[-1] += raw
        else:
            lines.append(raw)
        body = raw.rstrip("\r\n")
        is_comment = lines[-1].lstrip(_BLANK)[:1] in ("#", "!")
        goes_on = not is_comment and (len(body) - len(body.rstrip("\\"))) % 2 == 1
    return lines


def _read(raw: str) -> _Line:
    body = raw.rstrip("\r\n")
    if not body.strip(_BLANK) or body.lstrip(_BLANK)[0] in "#!":
        return _Line(raw)
    joined = re.sub(r"\\(\r\n|\n|\r)[ \t\f]*", "", body)
    match = _ENTRY.fullmatch(joined)
    if match is None:
        raise ValueError(f"this line is no entry: {body[:60]}")
    indent, key, separator, value = match.groups()
    before = f"{indent}{key}{separator or '='}"
    return _Line(raw, _plain(key), before, _plain(value), raw[len(body) :])


def _plain(text: str) -> str:
    def meant(found: re.Match[str]) -> str:
        code = found[1]
        return chr(int(code[1:], 16)) if len(code) == 5 else _ESCAPES.get(code, code)

    return re.sub(r"\\(u[0-9a-fA-F]{4}|.)", meant, text, flags=re.DOTALL)


def _escaped(text: str, in_key: bool = False) -> str:
    text = (
        text.replace("\\", "\\\\").replace("\n", "\\n").replace("\r", "\\r").replace("\t", "\\t").replace("\f", "\\f")
    )
    if in_key:
        return re.sub(r"([ =:#!])", r"\\\1", text)
    return re.sub(r"^([ #!=:])", r"\\\1", text)
