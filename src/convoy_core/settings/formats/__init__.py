"""Settings files as trees of keys, in the formats that games and mods use.

`open_settings` reads bytes into a `Document`. What is changed in it is changed at its place, and read back before it is
given out: a change that would say anything else than what was meant is refused, and the file stays as it was. Source:
formats.md, "settings that are read and written"; docs/rules.md, "Settings files".
"""

from __future__ import annotations

import codecs
import json
import re
from bisect import bisect_left
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass
from importlib import import_module

import tomli

from ...words.errors import ConvoyError
from .base import Key, Parsed, Span, Splice, UnreadableSettings, Value, flattened, refuse_absurd, same

__all__ = [
    "Document",
    "Key",
    "Span",
    "UnreadableSettings",
    "Value",
    "format_of",
    "open_settings",
    "read_tree",
    "spelled",
    "typed",
]

MAX_BYTES = 4 * 2**20
"""A settings file above this is none, whatever its format: it is replaced as a whole."""

KB = 1024

READERS = {
    ".toml": ("toml", "TomlSettings", 512 * KB),
    ".ini": ("ini", "IniSettings", 1024 * KB),
    ".cfg": ("ini", "IniSettings", 1024 * KB),
    ".properties": ("properties", "PropertiesSettings", 1024 * KB),
    ".json": ("json_text", "JsonSettings", 1024 * KB),
    ".jsonc": ("json_text", "JsonSettings", 1024 * KB),
    ".json5": ("json_text", "JsonSettings", 1024 * KB),
    ".yaml": ("yaml", "YamlSettings", 512 * KB),
    ".yml": ("yaml", "YamlSettings", 512 * KB),
    ".xml": ("xml", "XmlSettings", 1024 * KB),
}
"""By file ending: module, class, and the most bytes that are opened to be changed, which is what takes two seconds on a
slow machine at the worst (docs/benchmarks.md). Loaded when first needed: some bring a library that most commands do
without.
"""

TEXT_ONLY = frozenset({".ini", ".cfg", ".properties", ".xml"})
"""Formats in which every value is text."""

_MARKS = ((codecs.BOM_UTF8, "utf-8"), (codecs.BOM_UTF16_LE, "utf-16-le"), (codecs.BOM_UTF16_BE, "utf-16-be"))
"""What a file may begin with, and how its text is then stored."""

_ALSO_WIDE = TEXT_ONLY | {".yaml", ".yml"}
"""Formats that may be stored in two bytes a letter; JSON and TOML are UTF-8 and nothing else."""

_ONE_BYTE = rb"(?:iso-8859-|windows-125|koi8-)[0-9ru]{1,2}|latin-?1"
"""Encodings of one byte a letter that an XML file may declare: they give back every byte that they took."""

_DECLARED = re.compile(rb"""\s*<\?xml[^>]{0,200}?encoding\s*=\s*["'](%s)["']""" % _ONE_BYTE, re.IGNORECASE)


@dataclass(frozen=True)
class Document:
    """One settings file as it was read. `mark` and `encoding`: how its text is stored."""

    path: str
    data: bytes
    text: str
    mark: bytes
    encoding: str
    parsed: Parsed

    @property
    def values(self) -> Mapping[Key, Value]:
        """Every key with its value, in the order of the file."""
        return self.parsed.values

    def changed(self, sets: Mapping[Key, Value], removes: Collection[Key] = ()) -> bytes:
        """The file with some keys set and others gone; everything else stays to the byte. What goes, goes first: a
        table may take the place of a value. Raises UnreadableSettings where it cannot be said in this file.
        """
        return self.changed_at_cost(sets, removes)[0]

    def changed_at_cost(self, sets: Mapping[Key, Value], removes: Collection[Key] = ()) -> tuple[bytes, int]:
        """The same, with how many comments go along, as they stand within what is replaced: a list over several lines
        is written anew. Raises as `changed`.
        """
        splices = self._splices(sets, removes)
        starts = [start for start, _ in self.parsed.comments] if splices else []
        lost = sum(
            bisect_left(starts, splice.end) - bisect_left(starts, splice.start)
            for splice in splices
            if splice.text and splice.end > splice.start
        )
        return self._written(splices, sets, removes), lost

    def _splices(self, sets: Mapping[Key, Value], removes: Collection[Key]) -> list[Splice]:
        try:
            if any(not key or not key[-1] for key in sets):
                raise UnreadableSettings(f"{self.path} cannot be changed.", "A setting without a name is none.")
            return sorted(self.parsed.splices(sets, removes), key=lambda one: (one.start, one.end))
        except ConvoyError:
            raise
        # A file may be bent in ways that nobody thought of; then it stays as it is.
        except Exception as error:
            raise UnreadableSettings(f"{self.path} cannot be changed.", _told(error), path=self.path) from error

    def _written(self, splices: list[Splice], sets: Mapping[Key, Value], removes: Collection[Key]) -> bytes:
        if not splices:
            return self.data
        # What was nothing at all may hold something now; no other value goes because one comes below it.
        above = {key[:depth] for key in sets for depth in range(1, len(key))}
        nothing = {key for key in above if key in self.values and self.values[key] is None}
        wanted = {key: value for key, value in self.values.items() if key not in removes and key not in nothing}
        wanted |= sets
        parts, at = [], 0
        for splice in splices:
            if splice.start < at:
                raise self._refused("Two of the changes are at one place.")
            parts += [self.text[at : splice.start], splice.text]
            at = splice.end
        try:
            text = "".join([*parts, self.text[at:]])
            data = self.mark + text.encode(self.encoding, self._otherwise)
        except UnicodeEncodeError as error:
            raise self._refused("Its encoding has not all of these letters.") from error
        found = _read_back(self.path, data)
        if found.keys() != wanted.keys() or not all(same(found[key], value) for key, value in wanted.items()):
            raise self._refused("Written, it would not say what was meant.")
        return data

    @property
    def _otherwise(self) -> str:
        """What becomes of a letter that the encoding has not."""
        return (
            "xmlcharrefreplace" if format_of(self.path) == ".xml" and not self.encoding.startswith("utf") else "strict"
        )

    def _refused(self, why: str) -> UnreadableSettings:
        return UnreadableSettings(f"{self.path} cannot be changed.", why, path=self.path)


def _read_back(path: str, data: bytes) -> Mapping[Key, Value]:
    try:
        return read_tree(path, data)
    except UnreadableSettings as error:
        raise UnreadableSettings(f"{path} cannot be changed.", f"Written so, {error}", path=path) from error


def read_tree(path: str, data: bytes) -> Mapping[Key, Value]:
    """The keys of a file with their values, in its order: as `open_settings` sees them, without their places, and
    quicker where the standard library reads the format. Raises UnreadableSettings, whatever is wrong with it.
    """
    quick, most = _QUICK.get(format_of(path), (None, 0))
    if quick is not None and len(data) <= most:
        try:
            found = quick(data.removeprefix(codecs.BOM_UTF8).decode())
            if isinstance(found, dict):
                values = flattened(found)
                refuse_absurd(path, values.values())
                return values
        except (ValueError, RecursionError):
            # Slower, more forgiving (comments in JSON), and with a sentence for what is wrong.
            pass
    return open_settings(path, data).values


def _strict_json(text: str) -> object:
    return json.loads(text, parse_constant=_no_number)


def _no_number(name: str) -> object:
    raise ValueError(f"{name} is no number")


_QUICK: dict[str, tuple[Callable[[str], object], int]] = {
    ".toml": (tomli.loads, 512 * KB),
    ".json": (_strict_json, MAX_BYTES),
}


def open_settings(path: str, data: bytes) -> Document:
    """A settings file by its name and bytes. Raises UnreadableSettings, whatever is wrong with it."""
    reader = READERS.get(format_of(path))
    if reader is None:
        raise UnreadableSettings(f"{path} is of no format that is known here.", path=path)
    module, name, most = reader
    if len(data) > most:
        raise UnreadableSettings(f"{path} is larger than {most // KB} kB, too large for its format.", path=path)
    try:
        text, mark, encoding = _decoded(format_of(path), data)
        parsed: Parsed = getattr(import_module(f".{module}", __name__), name)(text)
        refuse_absurd(path, parsed.values.values())
        return Document(path, data, text, mark, encoding, parsed)
    except ConvoyError:
        raise
    # A parser that is fed somebody's broken file may raise anything; to us it is all one: it cannot be read.
    except Exception as error:
        raise UnreadableSettings(f"{path} cannot be read.", _told(error), path=path) from error


def _told(error: Exception) -> str:
    return " ".join(str(error).split())[:300] or type(error).__name__


def _decoded(kind: str, data: bytes) -> tuple[str, bytes, str]:
    """A file's text, the mark that it begins with, and its encoding. What is valid UTF-8 is that, whatever it declares:
    files say ISO 8859-1 out of habit. Raises UnicodeDecodeError and LookupError.
    """
    for mark, encoding in _MARKS:
        if data.startswith(mark) and (encoding == "utf-8" or kind in _ALSO_WIDE):
            return data[len(mark) :].decode(encoding), mark, encoding
    try:
        return data.decode(), b"", "utf-8"
    except UnicodeDecodeError:
        declared = _DECLARED.match(data) if kind == ".xml" else None
        encoding = "latin-1" if kind == ".properties" else declared[1].decode() if declared else ""
        if not encoding:
            raise
        return data.decode(encoding), b"", encoding


def format_of(path: str) -> str:
    """The file ending by which a path is read; empty for one that is no settings file."""
    name = path.rsplit("/", 1)[-1].lower()
    dot = name.rfind(".")
    return name[dot:] if dot > 0 and name[dot:] in READERS else ""


def typed(path: str, text: str) -> Value:
    """A value as a person types it: JSON where it is some, else text; in formats of text alone always text."""
    if format_of(path) in TEXT_ONLY:
        return text
    try:
        value = json.loads(text)
    except (ValueError, RecursionError):
        return text
    return text if value is None or isinstance(value, dict) else value


def spelled(path: str, value: Value) -> Value:
    """A value as the file at `path` holds it: formats of text alone hold numbers and truths in words."""
    if format_of(path) not in TEXT_ONLY or isinstance(value, str | list):
        return value
    return str(value).lower() if isinstance(value, bool) else str(value)
