"""With which arguments a game is started, by its profile: each handed over on its own, without a shell.

What fills their places comes from a fixed list, and is checked: no value can become an option of its own, or more than
one argument. What the program is, no profile and no site says.
"""

from __future__ import annotations

import re
import string
from collections.abc import Mapping

from ..words.errors import MalformedInput
from ..words.profile import StartHints

_SERVER = re.compile(r"(?:[A-Za-z0-9](?:[A-Za-z0-9.-]{0,251}[A-Za-z0-9])?|\[[0-9A-Fa-f:.]{2,45}\])(?::[0-9]{1,5})?")
_WINDOW = re.compile(r"[1-9][0-9]{2,4}x[1-9][0-9]{2,4}")
_NUMBER = re.compile(r"[1-9][0-9]{0,7}")
_VALUES = {"server": _SERVER, "window": _WINDOW, "memory_mb": _NUMBER, "folder": re.compile(r"[^\x00-\x1f]{1,4000}")}
_TOLD = {
    "server": "It is a name or an address, with a port behind a colon where there is one.",
    "window": "It is a width and a height, as 1280x720.",
    "memory_mb": "It is a whole number of MB.",
    "folder": "It is a folder.",
}


def arguments_of(hints: StartHints, values: Mapping[str, str], plain: bool = False) -> tuple[str, ...]:
    """The arguments, places filled. `values`: what is known of `folder`, `memory_mb`, `window`, `server`. Of
    `arguments` those are left out whose place nothing fills; of the lists beside them all.

    Raises MalformedInput for a value that is none.
    """
    for name, value in values.items():
        if not _VALUES[name].fullmatch(value):
            raise MalformedInput(f"“{value[:80]}” cannot be used for {name}.", _TOLD[name], field=name)
    beside = [
        one for one in (hints.memory, hints.window, hints.server) if all(_is_filled(each, values) for each in one)
    ]
    given = [one for one in hints.arguments if _is_filled(one, values)]
    wanted = [*given, *(each for one in beside for each in one), *(hints.plain if plain else ())]
    return tuple(one.format(**values) for one in wanted)


def _is_filled(argument: str, values: Mapping[str, str]) -> bool:
    return all(name in values for _, name, _, _ in string.Formatter().parse(argument) if name)
