"""Settings files as trees of keys, in the formats that games and mods use. Comments, order and line ends survive.

`open_settings` reads bytes into a `Settings`; what was not changed is written back as it was, to the byte. Source:
formats.md, "settings that are read and written"; docs/rules.md, "Sync".
"""

from __future__ import annotations

import json
from importlib import import_module

from ...words.errors import ConvoyError
from .base import Key, Settings, UnreadableSettings, Value

__all__ = ["Key", "Settings", "UnreadableSettings", "Value", "format_of", "open_settings", "spelled", "typed"]

READERS = {
    ".toml": ("toml", "TomlSettings"),
    ".ini": ("ini", "IniSettings"),
    ".cfg": ("ini", "IniSettings"),
    ".properties": ("properties", "PropertiesSettings"),
    ".json": ("json_text", "JsonSettings"),
    ".jsonc": ("json_text", "JsonSettings"),
    ".json5": ("json_text", "JsonSettings"),
    ".yaml": ("yaml", "YamlSettings"),
    ".yml": ("yaml", "YamlSettings"),
    ".xml": ("xml", "XmlSettings"),
}
"""By file ending: module and class. Loaded when first needed: each brings a library that most commands do without."""

TEXT_ONLY = frozenset({".ini", ".cfg", ".properties", ".xml"})
"""Formats in which every value is text."""

MAX_BYTES = 4 * 1024 * 1024
"""A settings file above this is no settings file, and is replaced as a whole."""


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


def open_settings(path: str, data: bytes) -> Settings:
    """A settings file by its name and bytes. Raises UnreadableSettings, whatever is wrong with it."""
    reader = READERS.get(format_of(path))
    if reader is None:
        raise UnreadableSettings(f"{path} is of no format that is known here.", path=path)
    if len(data) > MAX_BYTES:
        raise UnreadableSettings(f"{path} is larger than {MAX_BYTES // 2**20} MB.", path=path)
    module, name = reader
    try:
        opened: Settings = getattr(import_module(f".{module}", __name__), name)(data.decode("utf-8"))
        return opened
    except ConvoyError:
        raise
    # A parser that is fed somebody's broken file may raise anything; to us it is all one: it cannot be read.
    except Exception as error:
        raise UnreadableSettings(f"{path} cannot be read.", str(error)[:300], path=path) from error
