"""Settings files as trees of keys, in the formats that games and mods use. Comments, order and line ends survive.

`open_settings` reads bytes into a `Settings`; what was not changed is written back as it was, to the byte. Source:
formats.md, "settings that are read and written"; rules.md, "Conflicts in settings and data".
"""

from __future__ import annotations

from collections.abc import Callable

from ..errors import ConvoyError
from .base import Key, Settings, Unreadable, Value
from .ini import IniSettings
from .json_text import JsonSettings
from .properties import PropertiesSettings
from .toml import TomlSettings
from .xml import XmlSettings
from .yaml import YamlSettings

__all__ = ["Key", "Settings", "Unreadable", "Value", "format_of", "open_settings"]

READERS: dict[str, Callable[[str], Settings]] = {
    ".toml": TomlSettings,
    ".ini": IniSettings,
    ".cfg": IniSettings,
    ".properties": PropertiesSettings,
    ".json": JsonSettings,
    ".jsonc": JsonSettings,
    ".json5": JsonSettings,
    ".yaml": YamlSettings,
    ".yml": YamlSettings,
    ".xml": XmlSettings,
}

MAX_BYTES = 4 * 1024 * 1024
"""A settings file above this is no settings file, and is replaced as a whole."""


def format_of(path: str) -> str:
    """The file ending by which a path is read; empty for one that is no settings file."""
    name = path.rsplit("/", 1)[-1].lower()
    dot = name.rfind(".")
    return name[dot:] if dot > 0 and name[dot:] in READERS else ""


def open_settings(path: str, data: bytes) -> Settings:
    """A settings file by its name and bytes. Raises Unreadable, whatever is wrong with it."""
    reader = READERS.get(format_of(path))
    if reader is None:
        raise Unreadable(f"{path} is of no format that is known here.", path=path)
    if len(data) > MAX_BYTES:
        raise Unreadable(f"{path} is larger than {MAX_BYTES // 2**20} MB.", path=path)
    try:
        text = data.decode("utf-8")
        return reader(text)
    except ConvoyError:
        raise
    # A parser that is fed somebody's broken file may raise anything; to us it is all one: it cannot be read.
    except Exception as error:
        raise Unreadable(f"{path} cannot be read.", str(error)[:300], path=path) from error
