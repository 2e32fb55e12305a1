"""INI and CFG, through ConfigUpdater, which keeps comments, order and blank lines.

Keys before any section stand at the top.
"""

from __future__ import annotations

from configupdater import ConfigUpdater

from .base import Key, Value, stuck

TOP = "\x00top"
"""Section for keys that stand before any section header; never written."""


class IniSettings:
    def __init__(self, text: str) -> None:
        self._crlf = "\r\n" in text
        self._updater = ConfigUpdater(
            delimiters=("=", ":"), allow_no_value=True, strict=True, space_around_delimiters=True
        )
        self._updater.optionxform = str  # type: ignore[method-assign, assignment]
        self._headed = _starts_with_key(text)
        lines = text.replace("\r\n", "\n")
        self._tight = "=" in lines and " = " not in lines
        self._updater.read_string(f"[{TOP}]\n{lines}" if self._headed else lines)

    def values(self) -> dict[Key, Value]:
        found: dict[Key, Value] = {}
        for section in self._updater.iter_sections():
            above = () if section.name == TOP else (section.name,)
            for option in section.iter_options():
                found[(*above, option.raw_key)] = option.value
        return found

    def set(self, key: Key, value: Value) -> None:
        if len(key) > 2:
            raise stuck(key, "This format has sections and keys, and nothing deeper.")
        name = key[0] if len(key) == 2 else TOP
        if not self._updater.has_section(name):
            if name == TOP:
                raise stuck(key, "Every key of this file stands in a section.")
            if self._updater.sections():
                self._updater[self._updater.sections()[-1]].add_after.space().section(name)
            else:
                self._updater.add_section(name)
        section = self._updater[name]
        if section.has_option(key[-1]):
            section[key[-1]].value = value
        elif options := list(section.iter_options()):
            options[-1].add_after.option(key[-1], value)
        else:
            section.set(key[-1], value)

    def remove(self, key: Key) -> None:
        self._updater.remove_option(key[0] if len(key) == 2 else TOP, key[-1])

    def text(self) -> str:
        text = str(self._updater)
        if self._headed:
            text = text.removeprefix(f"[{TOP}]\n")
        return text.replace("\n", "\r\n") if self._crlf else text


def _starts_with_key(text: str) -> bool:
    first = next((line.strip() for line in text.splitlines() if line.strip() and line.strip()[0] not in "#;"), "[")
    return not first.startswith("[")
