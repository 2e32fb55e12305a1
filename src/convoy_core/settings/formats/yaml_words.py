"""How values are spelled in YAML: read alike by programs of version 1.2 and those that still follow 1.1."""

from __future__ import annotations

import json
import math
import re
from collections.abc import Iterator, Mapping
from typing import Any

from .base import Key, Value, stuck
from .yaml_tree import NOTHING, TRUTHS

OLD_TRUTHS = frozenset(
    ["y", "Y", "yes", "Yes", "YES", "n", "N", "no", "No", "NO", "on", "On", "ON", "off", "Off", "OFF"]
)
"""Words that are truths to programs which follow YAML 1.1, and text to others."""

_NUMBER_LIKE = re.compile(r"[-+.]?[0-9][0-9_:.,xobeE+-]*[a-fA-F0-9]*|[-+]?\.(?:inf|nan)", re.IGNORECASE)
LONGEST_NUMBER = 60
"""Characters: what is longer is text to everybody."""

_DATE_LIKE = re.compile(r"[0-9]{4}-[0-9]{1,2}-[0-9]{1,2}.*")
_PLAIN = re.compile(
    r"[^\s\-?:,\[\]{}#&*!|>'\"%@`=<](?:[^:#\x00-\x1f\x7f-\xa0\u2028\u2029\ufeff,\[\]{}]|:(?=[^\s,\[\]{}])|(?<=\S)#)*"
)
_UNPRINTED = re.compile(r"[^\t\x20-\x7e\xa0-\ud7ff\ue000-\ufefe\uff00-\ufffd\U00010000-\U0010ffff]|[\u2028\u2029]")


def lines_of(tree: Mapping[str, Any], indent: str) -> Iterator[str]:
    for name, value in tree.items():
        written = spelled(name, (name,), "")
        if isinstance(value, dict):
            yield f"{indent}{written}:"
            yield from lines_of(value, f"{indent}  ")
        else:
            yield f"{indent}{written}: {flow(value, (name,))}"


def flow(value: Value, key: Key) -> str:
    if isinstance(value, dict):
        return "{" + ", ".join(f"{flow(name, key)}: {flow(one, key)}" for name, one in value.items()) + "}"
    if isinstance(value, list):
        return f"[{', '.join(flow(one, key) for one in value)}]"
    return spelled(value, key, "")


def spelled(value: Value, key: Key, old: str) -> str:
    """`old`: what stands there now, whose quotes are kept where they can hold the new one."""
    if isinstance(value, list | dict):
        return flow(value, key)
    if value is None:
        return "null"
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, int):
        return str(value)
    if isinstance(value, float):
        return _number(value)
    if isinstance(value, str):
        return _text(value, old)
    raise stuck(key, "This format has no such value.")


def _number(value: float) -> str:
    if math.isnan(value):
        return ".nan"
    if math.isinf(value):
        return ".inf" if value > 0 else "-.inf"
    text = repr(value)
    # Programs that follow YAML 1.1 want the point.
    return text if "." in text else text.replace("e", ".0e")


def _text(value: str, old: str) -> str:
    if old in OLD_TRUTHS and value in OLD_TRUTHS:
        return value
    is_printed = not _UNPRINTED.search(value) and "\n" not in value and "\r" not in value
    if old[:1] not in ("'", '"') and _is_plain(value):
        return value
    if is_printed and old[:1] != '"' and "\t" not in value:
        return "'" + value.replace("'", "''") + "'"
    return _UNPRINTED.sub(_coded, json.dumps(value, ensure_ascii=False))


def _is_plain(value: str) -> bool:
    """Whether a text can stand without quotes and is a text to everybody."""
    if value in OLD_TRUTHS or value in NOTHING or value in TRUTHS or value != value.strip():
        return False
    is_number = len(value) <= LONGEST_NUMBER and _NUMBER_LIKE.fullmatch(value)
    return bool(_PLAIN.fullmatch(value)) and not is_number and not _DATE_LIKE.fullmatch(value)


def _coded(found: re.Match[str]) -> str:
    code = ord(found[0])
    return f"\\u{code:04x}" if code < 0x10000 else f"\\U{code:08x}"
