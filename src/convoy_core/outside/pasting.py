"""Pasted text as lines that may name mods: links, names, names with versions, as people copy them from anywhere.

What a line means is decided by whoever has the catalogue; this only says what to look for, and keeps the line's text.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

MAX_LINES = 2_000
"""Lines read from one paste: as many as a draft may hold."""

MAX_TEXT = 1_000_000
"""Characters looked at: half a megabyte of text is somebody's log file, and is still read without harm."""

MAX_LINE = 300
"""Characters of a line that are looked at. Longer ones are prose, not names."""

_BULLET = re.compile(r"^\s*(?:(?:[-*+•–]|\d{1,4}[.)])\s+)?(?:\[[ xX]?\]\s+)?")
_LINK = re.compile(r"\[([^\]]{1,200})\]\((\S{1,500}?)\)")
_URL = re.compile(r"\b(?:https?://|www\.)\S+", re.IGNORECASE)
_VERSION = re.compile(
    r"(?:^|[\s@:,;(=|-]+)(?:version\s+)?v?(\d+(?:\.\d+)+(?:[-+.][0-9A-Za-z.+-]+)?|\d+)\)?\s*$", re.IGNORECASE
)
_VERSION_ALONE = re.compile(r"v?\d+(?:\.\d+)+(?:[-+.][0-9A-Za-z.+-]+)?", re.IGNORECASE)
_HEADS = {"name", "mod", "title", "version", "link", "url", "page"}
_ARCHIVE = re.compile(r"\.(?:zip|7z|rar|jar|tar\.gz)$", re.IGNORECASE)
_NO_LETTER = re.compile(r"[^0-9a-z]+")


@dataclass(frozen=True, slots=True)
class PastedLine:
    """`names`: what the mod may be called or addressed by, the likeliest first, folded by `folded`."""

    text: str
    url: str
    names: tuple[str, ...]
    version: str


@dataclass(frozen=True, slots=True)
class Pasted:
    lines: tuple[PastedLine, ...]
    left_out: int
    """Lines beyond MAX_LINES."""


def read_paste(text: str) -> Pasted:
    """Every line that holds anything. Never fails, whatever is pasted."""
    rows = [line.strip() for line in text[:MAX_TEXT].replace("\x00", "").splitlines()]
    rows = [line for line in rows if line and not line.startswith(("#", "//", "```", "---"))]
    rows = _without_table_head(rows)
    return Pasted(tuple(_read_line(line[:MAX_LINE]) for line in rows[:MAX_LINES]), max(0, len(rows) - MAX_LINES))


def folded(text: str) -> str:
    """Letters and digits alone, small: `Heron  Almanac` and `heron-almanac` are one. Other scripts stay."""
    small = text.casefold()
    plain = _NO_LETTER.sub("", small)
    return plain if plain or not small.strip() else "".join(small.split())


def _without_table_head(rows: list[str]) -> list[str]:
    """A spreadsheet's first row names its columns: it is no mod."""
    if len(rows) > 1 and len(cells := _cells(rows[0])) > 1 and {cell.casefold() for cell in cells} & _HEADS:
        return rows[1:]
    return rows


def _cells(line: str) -> list[str]:
    """The cells of a spreadsheet's row: apart by tabs or semicolons, perhaps in quotes. One alone is no row."""
    apart = "\t" if "\t" in line else ";"
    return [cell.strip().strip('"').strip() for cell in line.split(apart)]


def _of_cells(cells: list[str]) -> str:
    """A row as a line: its name, its version and its link, wherever they stand in it."""
    url = next((cell for cell in cells if _URL.fullmatch(cell)), "")
    version = next((cell for cell in cells if _VERSION_ALONE.fullmatch(cell)), "")
    name = next((cell for cell in cells if cell not in ("", url, version) and not cell.isdigit()), "")
    return " ".join(filter(None, (name, version, url)))


def _read_line(line: str) -> PastedLine:
    cells = _cells(line)
    rest = _BULLET.sub("", _of_cells(cells) if len(cells) > 1 else line)
    url = ""
    if linked := _LINK.search(rest):
        rest, url = linked[1], linked[2]
    elif found := _URL.search(rest):
        url = found[0].rstrip(".,;)>]")
        rest = rest.replace(found[0], " ").strip(" -–:|\t<>()")
    rest = _ARCHIVE.sub("", rest.strip(" \t|,;\"'`"))
    version = _VERSION.search(rest)
    name = rest[: version.start()].strip(" \t-–:|,;@(=") if version else rest
    names = [name, rest, *(_path_names(url) if url else ())]
    known = version[1] if version and (name or url) else ""
    return PastedLine(line, url, tuple(dict.fromkeys(filter(None, map(folded, names)))), known)


def _path_names(url: str) -> list[str]:
    """The parts of a link's path, the last first: one of them is usually the mod's own."""
    path = re.split(r"[?#]", url.partition("://")[2] or url)[0].split("/")[1:]
    return [_ARCHIVE.sub("", part) for part in reversed(path) if part][:4]
