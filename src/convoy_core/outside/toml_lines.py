"""In which line of a TOML text a field stands, so that an error can say where to look.

The reader of TOML keeps no lines. This looks for headers and keys line by line; where a field stands within an inline
table or a list that runs over several lines, the entry's own line is found by counting what opens. It never fails: at
worst it names the line of the table around the field.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

_HEADER = re.compile(r"\s*(\[\[?)\s*(.+?)\s*\]\]?\s*(?:#.*)?")
_PART = re.compile(r'"((?:[^"\\]|\\.)*)"|\'([^\']*)\'|([A-Za-z0-9_-]+)')
_KEY = re.compile(r"""\s*((?:"(?:[^"\\]|\\.)*"|'[^']*'|[A-Za-z0-9_.\s-])+?)\s*=""")
_PLACE = re.compile(r"\[(\d+)\]")
_TOLD = re.compile(r"at line (\d+)")


def line_in_message(message: str) -> int:
    """The line that the reader of TOML names in its own error; 0 where it names none."""
    found = _TOLD.search(message)
    return int(found[1]) if found else 0


def line_of(text: str, path: str) -> int:
    """Line, counted from 1, of a field as `Fields` names it (`versions[3].channel`); 0 where nothing like it stands."""
    best, length = 0, 0
    wanted = _parts(path)
    for line, found in _fields_of(text):
        same = _shared(found, wanted)
        if same == len(found) and same > length:
            best, length = line, same
    return best


def _parts(path: str) -> list[str]:
    """`versions[3].channel` as versions, 3, channel."""
    return [part for part in _PLACE.sub(r".\1", path).split(".") if part]


def _shared(one: list[str], other: list[str]) -> int:
    count = 0
    for left, right in zip(one, other, strict=False):
        if left != right:
            break
        count += 1
    return count


def _fields_of(text: str) -> Iterator[tuple[int, list[str]]]:
    """Line and place of every header, key, and entry of a list that stands on a line of its own."""
    table: list[str] = []
    counts: dict[str, int] = {}
    inside: list[str] | None = None
    entry = depth = 0
    for number, line in enumerate(text.splitlines(), 1):
        if inside is not None:
            if depth == 1 and line.strip().startswith("{"):
                yield number, [*inside, str(entry)]
                entry += 1
            depth += _opened(line)
            if depth <= 0:
                inside = None
            continue
        if header := _HEADER.fullmatch(line):
            *around, last = _names(header[2]) or [""]
            table = [*_in_entries(around, counts), last]
            if header[1] == "[[":
                name = ".".join(table)
                counts[name] = counts.get(name, -1) + 1
                table = [*table, str(counts[name])]
            yield number, table
        elif key := _KEY.match(line):
            place = [*table, *_names(key[1])]
            yield number, place
            depth = _opened(line[key.end() :])
            if depth > 0:
                inside, entry = place, 0


def _in_entries(names: list[str], counts: dict[str, int]) -> list[str]:
    """The place of a table's parents, each list of tables standing for its last entry so far."""
    place: list[str] = []
    for name in names:
        place.append(name)
        if (at := counts.get(".".join(place))) is not None:
            place.append(str(at))
    return place


def _names(text: str) -> list[str]:
    return [quoted or single or bare for quoted, single, bare in _PART.findall(text)]


def _opened(text: str) -> int:
    """How many brackets and braces a line leaves open, passing by quoted text and comments."""
    bare = re.sub(r'"(?:[^"\\]|\\.)*"|\'[^\']*\'', "", text).split("#")[0]
    return sum(bare.count(sign) for sign in "[{") - sum(bare.count(sign) for sign in "]}")
