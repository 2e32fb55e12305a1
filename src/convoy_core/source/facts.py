"""What archives do not say of themselves: a small TOML beside them, one for a source, one for each mod that needs it.

Fields are the catalogue's own (docs/formats.md, "A source's catalogue"), so that there is one word for one thing; what
they hold is judged when the catalogue is read back. Here only their names are checked, each with its line.
"""

from __future__ import annotations

import tomllib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from ..outside.claims import CLAIMS
from ..outside.toml_lines import line_in_message, line_of

SOURCE_FILE = "source.toml"

OF_A_MOD = frozenset(
    {
        "name", "summary", "author", "category", "kind", "licence", "page", "counterpart", "on_removal", "pictures",
        "downloads", "followers", "rating",
    }
)  # fmt: skip
OF_A_BUILD = frozenset(
    {
        "side", "reach", "games", "loaders", "needs", "breaks", "provides", "memory_mb", "root", "channel", "date",
        "change_log", "mirrors", *CLAIMS,
    }
)  # fmt: skip
OF_A_SOURCE = frozenset({"name", "game", "pickup", "address", "every_mod"})
MAX_FACTS = 256 * 1024
"""Characters of one such file."""


@dataclass(frozen=True, slots=True)
class Trouble:
    """What is wrong with a file of the folder. `line` counts from 1; 0 where the whole file is meant."""

    file: str
    line: int
    sentence: str

    def sentence_with_place(self) -> str:
        return f"{self.file}:{self.line}: {self.sentence}" if self.line else f"{self.file}: {self.sentence}"


@dataclass(frozen=True, slots=True)
class ModFacts:
    """`mod` and `build` hold for all its builds; `builds` for one version each, `archives` names each build's file."""

    file: str
    id: str
    mod: Mapping[str, Any] = field(default_factory=dict)
    build: Mapping[str, Any] = field(default_factory=dict)
    builds: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    archives: Mapping[str, str] = field(default_factory=dict)
    """Archive's name to the version it holds."""


@dataclass(frozen=True, slots=True)
class SourceFacts:
    """`game`: the profile's file, relative to the folder. `every_mod`: what holds for all mods that say no other."""

    name: str
    game: str
    pickup: str = "direct"
    address: str = ""
    mod: Mapping[str, Any] = field(default_factory=dict)
    build: Mapping[str, Any] = field(default_factory=dict)


def read_source_facts(text: str, file: str = SOURCE_FILE) -> tuple[SourceFacts | None, list[Trouble]]:
    told, troubles = _read(text, file)
    if told is None:
        return None, troubles
    troubles += _strangers(told, OF_A_SOURCE, text, file)
    every = told.get("every_mod", {})
    if not isinstance(every, Mapping):
        return None, [*troubles, Trouble(file, line_of(text, "every_mod"), "“every_mod” must be a table.")]
    troubles += _strangers(every, OF_A_MOD | OF_A_BUILD, text, file, "every_mod")
    wrong = [name for name in ("name", "game") if not isinstance(told.get(name), str) or not told[name]]
    troubles += [Trouble(file, line_of(text, name), f"“{name}” must be a text.") for name in wrong]
    if wrong:
        return None, troubles
    plain = {name: str(told[name]) for name in ("name", "game", "pickup", "address") if name in told}
    mod, build = _parted(every)
    return SourceFacts(**plain, mod=mod, build=build), troubles


def read_mod_facts(text: str, file: str) -> tuple[ModFacts | None, list[Trouble]]:
    """Facts of a mod; None where the file has no `id`, or cannot be read (then with a trouble)."""
    told, troubles = _read(text, file)
    if told is None or "id" not in told:
        return None, troubles
    if not isinstance(told["id"], str):
        return None, [*troubles, Trouble(file, line_of(text, "id"), "“id” must be a text.")]
    troubles += _strangers(told, OF_A_MOD | OF_A_BUILD | {"id", "builds"}, text, file)
    builds, archives = {}, {}
    rows = told.get("builds", {})
    for version, row in rows.items() if isinstance(rows, Mapping) else ():
        place = f"builds.{version}"
        if not isinstance(row, Mapping):
            troubles.append(Trouble(file, line_of(text, place), f"“{place}” must be a table."))
            continue
        troubles += _strangers(row, OF_A_BUILD | {"archive"}, text, file, place)
        builds[version] = {name: value for name, value in row.items() if name != "archive"}
        if isinstance(row.get("archive"), str):
            archives[row["archive"]] = version
    if not isinstance(rows, Mapping):
        troubles.append(Trouble(file, line_of(text, "builds"), '“builds” must be a table: [builds."1.0"].'))
    mod, build = _parted(told)
    return ModFacts(file, told["id"], mod, build, builds, archives), troubles


def _read(text: str, file: str) -> tuple[dict[str, Any] | None, list[Trouble]]:
    if len(text) > MAX_FACTS:
        return None, [Trouble(file, 0, f"It is longer than {MAX_FACTS // 1024} kB.")]
    try:
        return tomllib.loads(text), []
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        return None, [Trouble(file, line_in_message(str(error)), f"It is no TOML: {error}.")]


def _strangers(told: Mapping[str, Any], known: Iterable[str], text: str, file: str, place: str = "") -> list[Trouble]:
    return [
        Trouble(
            file,
            line_of(text, f"{place}.{name}".lstrip(".")),
            f"There is no field “{name}” here; there are {', '.join(sorted(known))}.",
        )
        for name in told
        if name not in known
    ]


def _parted(told: Mapping[str, Any]) -> tuple[dict[str, Any], dict[str, Any]]:
    """What is said of the mod, and what of its builds."""
    return (
        {name: value for name, value in told.items() if name in OF_A_MOD},
        {name: value for name, value in told.items() if name in OF_A_BUILD},
    )
