"""Properties: a key and a value a line, `#` and `!` comments, escapes, and lines that go on after a backslash.

Where a key stands twice the last one counts. What is not ASCII is written by its code unless the file has such letters
plain: programs differ in whether they read them as UTF-8 or as ISO 8859-1.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from functools import cached_property

from .base import Key, Span, Splice, Value, newline_at, stuck

_ESCAPES = {"t": "\t", "n": "\n", "r": "\r", "f": "\f"}
_BLANK = " \t\f"
"""What counts as blank in this format: other spaces are letters like any."""

_LINES = re.compile(r"[^\r\n]*(?:\r\n|\r|\n)|[^\r\n]+")
_GOES_ON = r"\\(?:\r\n|\r|\n)[ \t\f]*"
_KEY = re.compile(
    rf"[ \t\f]*((?:{_GOES_ON}|\\.|[^ \t\f=:\\\r\n])*)((?:[ \t\f]|{_GOES_ON})*(?:[=:](?:[ \t\f]|{_GOES_ON})*)?)",
    re.DOTALL,
)
_MEANT = re.compile(r"\\(?:(\r\n|\r|\n)[ \t\f]*|u([0-9a-fA-F]{4})|(.))", re.DOTALL)


@dataclass(slots=True)
class _Entry:
    """`start` to `end`: its lines, with the last line end. `value`: where it stands, escapes and all."""

    name: str
    start: int
    end: int
    value: Span
    has_sign: bool


class PropertiesSettings:
    def __init__(self, text: str) -> None:
        self._text = text
        self._entries: dict[str, list[_Entry]] = {}
        self._last: _Entry | None = None
        self.comments: list[Span] = []
        at = 0
        for raw in _logical_lines(text):
            start, at = at, at + len(raw)
            body = raw.strip(_BLANK + "\r\n")
            if body.startswith(("#", "!")):
                begin = start + raw.index(body[0])
                self.comments.append((begin, begin + len(body)))
            elif body:
                self._last = _entry(raw, start)
                self._entries.setdefault(self._last.name, []).append(self._last)

    @cached_property
    def values(self) -> dict[Key, Value]:
        return {(name,): _plain(self._text[slice(*found[-1].value)]) for name, found in self._entries.items()}

    @cached_property
    def places(self) -> dict[Key, Span]:
        return {(name,): found[-1].value for name, found in self._entries.items()}

    def splices(self, sets: Mapping[Key, Value], removes: Collection[Key]) -> list[Splice]:
        found = [Splice(entry.start, entry.end, "") for key in removes for entry in self._entries[key[0]]]
        added = {}
        for key, value in sets.items():
            if len(key) != 1 or not isinstance(value, str):
                raise stuck(key, "This format has keys with text, and nothing deeper.")
            entry = self._entries.get(key[0], [None])[-1]
            if entry is None:
                added[key[0]] = value
            else:
                found.append(Splice(*entry.value, ("" if entry.has_sign else "=") + self._escaped(value)))
        return found + self._added(added) if added else found

    def _added(self, keys: Mapping[str, str]) -> list[Splice]:
        at = self._last.end if self._last else len(self._text)
        newline = newline_at(self._text, max(at - 1, 0))
        lines = "".join(
            f"{self._escaped(name, in_key=True)}={self._escaped(value)}{newline}" for name, value in keys.items()
        )
        return [Splice(at, at, newline + lines if at and self._text[at - 1] not in "\r\n" else lines)]

    def _escaped(self, text: str, in_key: bool = False) -> str:
        for plain, code in (("\\", "\\\\"), ("\n", "\\n"), ("\r", "\\r"), ("\t", "\\t"), ("\f", "\\f")):
            text = text.replace(plain, code)
        text = re.sub(r"([ =:#!])", r"\\\1", text) if in_key else re.sub(r"^([ #!=:])", r"\\\1", text)
        return text if not self._text.isascii() else re.sub(r"[^\x20-\x7e]", _coded, text)


def _logical_lines(text: str) -> list[str]:
    lines: list[str] = []
    parts: list[str] = []
    for raw in _LINES.findall(text):
        parts.append(raw)
        body = raw.rstrip("\r\n")
        is_comment = len(parts) == 1 and body.lstrip(_BLANK)[:1] in ("#", "!")
        if not is_comment and (len(body) - len(body.rstrip("\\"))) % 2:
            continue
        lines.append("".join(parts))
        parts = []
    return [*lines, "".join(parts)] if parts else lines


def _entry(raw: str, start: int) -> _Entry:
    body = raw.rstrip("\r\n")
    match = _KEY.match(body)
    if match is None:
        raise ValueError(f"this line is no entry: {body[:60]}")
    value = (start + match.end(), start + len(body))
    return _Entry(_plain(match[1]), start, start + len(raw), value, bool(match[2]))


def _plain(text: str) -> str:
    """What escapes stand for. Letters beyond the first 65,536 are two codes; one alone of them stands for none."""

    def meant(found: re.Match[str]) -> str:
        if found[1]:
            return ""
        return chr(int(found[2], 16)) if found[2] else _ESCAPES.get(found[3], found[3])

    if "\\" not in text:
        return text
    plain = _MEANT.sub(meant, text.removesuffix("\\") if _is_open(text) else text)
    return plain.encode("utf-16", "surrogatepass").decode("utf-16", "replace")


def _is_open(text: str) -> bool:
    return (len(text) - len(text.rstrip("\\"))) % 2 == 1


def _coded(found: re.Match[str]) -> str:
    units = found[0].encode("utf-16-be", "surrogatepass").hex()
    return "".join(f"\\u{units[at : at + 4]}" for at in range(0, len(units), 4))
