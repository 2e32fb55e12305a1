"""A stand-in for a game: a real process that reads an installation by its profile, and starts or fails as games do.

It loads builds in order, writes its log, settings of a first start and a world, takes time and memory, and reaches the
main screen, or not: a need that is missing, another loader, another version of the game, one key set twice, a thing
rebuilt twice, too little memory, another runtime, a folder too deep, a crash of two that meet, one that comes only at
times, and one that hangs. What a mod brings of that stands in its marker (`trouble`).

What the machine gives it comes by the environment: CONVOY_BASE ("2.1.0 bosun 5.2.0"), CONVOY_RUNTIME, and for tests
GAME_PACE (seconds a mod), GAME_STAYS (seconds at the main screen; without it, until it is told to close), GAME_CHANCE
(a seed for what happens at times).
"""

from __future__ import annotations

import json
import os
import random
import signal
import string
import sys
import time
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, NoReturn

from convoy_core.outside.game_profile import read_profile
from convoy_core.words.log_shape import COMMON_WORDS, EntrySeverity
from convoy_core.words.model import Kind
from convoy_core.words.profile import WORLD, GameProfile, StartHints
from convoy_core.words.ranges import parse_range
from convoy_core.words.versions import parse_version

PACE = 0.004
"""Seconds that a mod takes to come up."""

SHARE_OF_MEMORY = 64
"""It takes one part of so many of the memory that the profile says."""

INFO, WARN, ERROR, FATAL = (
    EntrySeverity.INFORMATION, EntrySeverity.WARNING, EntrySeverity.ERROR, EntrySeverity.FATAL,
)  # fmt: skip


@dataclass
class Aboard:
    """A mod that lies in the installation, by its marker."""

    id: str
    version: str
    folder: Path
    kind: Kind
    told: Mapping[str, Any] = field(default_factory=dict)


class Ended(SystemExit):
    """The game has stopped by itself."""


class Game:
    def __init__(self, profile: GameProfile, folder: Path, given: Mapping[str, str], plain: bool) -> None:
        self.profile, self.folder, self.given, self.plain = profile, folder, given, plain
        base = [*os.environ.get("CONVOY_BASE", "").split(), "", "", ""]
        self.version = parse_version(base[0] or str(profile.versions[0].version))
        self.loader, self.loader_version = base[1], parse_version(base[2] or "0")
        self.pace = float(os.environ.get("GAME_PACE", PACE))
        self.chance = random.Random(os.environ.get("GAME_CHANCE"))
        self.taken = bytearray()
        self.aboard: dict[str, Aboard] = {}
        place = folder / (profile.log.place if profile.log else "game.log")
        place.parent.mkdir(parents=True, exist_ok=True)
        if place.exists():
            place.replace(place.with_name(f"{place.name}.before"))
        self.out = place.open("w", encoding="utf-8", buffering=1)

    def say(self, severity: EntrySeverity, text: str, origin: str = "game") -> None:
        log = self.profile.log
        words = (*(log.severities.get(severity, ()) if log else ()), *(one.upper() for one in COMMON_WORDS[severity]))
        spelled = "INFO" if severity is INFO else words[0]
        line = log.line if log else "{text}"
        now = time.strftime("%H:%M:%S") + f".{int(time.time() * 1000) % 1000:03}"
        self.out.write(line.format(time=now, severity=spelled, origin=origin, text=text) + "\n")

    def known(self, severity: EntrySeverity, id: str, origin: str = "game", **named: object) -> None:
        """Says one of the messages that the profile knows, as the profile has it."""
        lines = {one.id: one.line for one in self.profile.log.known} if self.profile.log else {}
        text = lines.get(id, f"{id}: {', '.join(map(str, named.values()))}")
        self.say(severity, text.format(**{**dict.fromkeys(_places(text), "?"), **named}), origin)

    def wreck(self) -> NoReturn:
        crash = self.profile.log.crash if self.profile.log else ()
        self.say(FATAL, crash[0] if crash else "Stopped")
        for pattern in self.profile.log.reports if self.profile.log else ():
            report = self.folder / pattern.replace("*", f"{int(time.time())}")
            report.parent.mkdir(parents=True, exist_ok=True)
            report.write_text(f"Stopped with {len(self.aboard)} aboard.\n")
        raise Ended(1)

    def start(self) -> None:
        """Comes to the main screen, or ends."""
        self.say(INFO, f"{self.profile.name} {self.version} with {self.loader or 'no loader'} {self.loader_version}")
        self._runtime()
        if not self.plain:
            for mod in self._lying_there():
                self._load(mod)
            self._needs()
            self._meetings()
        self._memory()
        self._first_start()
        self.say(INFO, (self.profile.log and self.profile.log.main_screen) or "Main screen")
        if address := self.given.get("server"):
            self.say(INFO, f"Joining {address}")

    def _runtime(self) -> None:
        wanted = next((one.runtime for one in self.profile.versions if one.version == self.version), "")
        found = os.environ.get("CONVOY_RUNTIME", wanted)
        if wanted and found != wanted:
            self.known(FATAL, "runtime", version=found, wanted=wanted)
            self.wreck()

    def _lying_there(self) -> list[Aboard]:
        found = []
        for kind, layout in self.profile.kinds.items():
            if WORLD in layout.place or not layout.place.endswith("{mod}"):
                continue
            top = self.folder / layout.place.partition("{mod}")[0]
            for folder in sorted(one for one in top.glob("*") if one.is_dir()):
                marker = folder / layout.marker
                if layout.marker and marker.is_file():
                    told = _marker(marker)
                    found.append(Aboard(told.get("id", folder.name), told.get("version", "?"), folder, kind, told))
                elif layout.marker and kind is Kind.MOD:
                    self.known(WARN, "wrong-level", mod=folder.name)
                elif not layout.marker:
                    found.append(Aboard(folder.name, "", folder, kind))
        kinds = {one.folder: one for one in reversed(found)}
        return sorted(kinds.values(), key=lambda one: one.id)

    def _load(self, mod: Aboard) -> None:
        time.sleep(self.pace)
        loaders = mod.told.get("loaders") or {}
        if loaders and self.loader and self.loader not in loaders:
            self.known(ERROR, "wrong-loader", mod=mod.id, other=next(iter(loaders)))
            self.wreck()
        games = mod.told.get("games", "*")
        if not parse_range(games).holds(self.version) and not mod.told.get("works_anyway"):
            self.known(ERROR, "wrong-game", mod=mod.id, wanted=games, version=self.version)
            self.wreck()
        self.aboard[mod.id] = mod
        for text in mod.told.get("grumbles", ()):
            self.say(WARN, text, mod.id)
        loaded = self.profile.log.loaded if self.profile.log else ""
        if mod.version and not mod.told.get("trouble", {}).get("silent"):
            self.say(INFO, (loaded or "{mod}").format(mod=mod.id, version=mod.version))
        if mod.told.get("trouble", {}).get("hangs"):
            self.say(INFO, "Waiting for the lock keeper", mod.id)
            while True:
                time.sleep(60)

    def _needs(self) -> None:
        there = {one.id: one.version for one in self.aboard.values()}
        for mod in self.aboard.values():
            there |= {name: version for name, version in mod.told.get("provides", {}).items() if name not in there}
        for mod in self.aboard.values():
            for need, wanted in mod.told.get("needs", {}).items():
                if need not in there or not parse_range(wanted).holds(parse_version(there[need])):
                    self.known(ERROR, "need-missing", mod=mod.id, other=need, wanted=wanted)
                    self.wreck()

    def _meetings(self) -> None:
        """What fails only when several are there."""
        rebuilt: dict[str, str] = {}
        keys: dict[str, str] = {}
        for mod in self.aboard.values():
            for name in mod.told.get("rebuilds", ()):
                if name in rebuilt:
                    self.known(ERROR, "rebuilt-twice", mod=mod.id, key=name, other=rebuilt[name])
                    self.wreck()
                rebuilt[name] = mod.id
            for key in mod.told.get("sets", ()):
                if key in keys:
                    self.known(ERROR, "same-key", mod=keys[key], other=mod.id, key=key)
                    self.wreck()
                keys[key] = mod.id
            trouble = mod.told.get("trouble", {})
            if trouble.get("with") in self.aboard:
                self.say(ERROR, "Could not steer", mod.id)
                if trouble.get("quietly"):
                    self.say(ERROR, "Something in the water", "hull")
                else:
                    self.known(ERROR, "meet-badly", mod=mod.id, other=trouble["with"])
                self.wreck()
            if self.chance.random() < trouble.get("chance", 0):
                self.say(ERROR, "Lost its way in the fog", mod.id)
                self.wreck()

    def _memory(self) -> None:
        figures = self.profile.memory
        demand: float = figures.base
        for mod in self.aboard.values():
            estimate = figures.estimates.get(mod.kind)
            demand += mod.told.get("memory_mb") or (estimate.each if estimate else 0)
        given = self.given.get("memory_mb", "")
        if given.isdigit() and int(given) < demand:
            self.known(FATAL, "memory", number=given)
            self.wreck()
        self.taken = bytearray(int(demand * 2**20 / SHARE_OF_MEMORY))
        self.taken[::4096] = b"\x01" * len(self.taken[::4096])

    def _first_start(self) -> None:
        """Settings and a world that only a start makes."""
        for mod in self.aboard.values():
            for path, text in mod.told.get("writes", {}).items():
                place = self.folder / path
                if not place.exists():
                    place.parent.mkdir(parents=True, exist_ok=True)
                    place.write_text(text)
        for worlds in self.profile.worlds:
            first = self.folder / worlds / "First Voyage"
            if not any((self.folder / worlds).glob("*")):
                first.mkdir(parents=True)
                (first / "voyage.toml").write_text(f'begun = "{time.strftime("%Y-%m-%d")}"\n')

    def stay(self) -> None:
        """At the main screen, until it is told to close."""
        stays = os.environ.get("GAME_STAYS")
        until = time.monotonic() + float(stays) if stays else float("inf")
        while not _told_to_close and time.monotonic() < until:
            time.sleep(0.02)
        self.say(INFO, (self.profile.log and self.profile.log.closed) or "Closed")


_told_to_close: list[int] = []


def _marker(place: Path) -> dict[str, Any]:
    try:
        return tomllib.loads(place.read_text())
    except (ValueError, OSError):
        return {}


def _places(text: str) -> list[str]:
    return [name for _, name, _, _ in string.Formatter().parse(text) if name]


def _given(hints: StartHints | None, arguments: list[str]) -> tuple[dict[str, str], bool]:
    """What the arguments say, told apart by the profile's own words: `--heap 4096`."""
    given: dict[str, str] = {}
    if hints is None:
        return given, False
    known = [*hints.arguments, *hints.memory, *hints.window, *hints.server]
    flags = {known[at - 1]: _places(one)[0] for at, one in enumerate(known) if at and _places(one)}
    for at, one in enumerate(arguments[:-1]):
        if one in flags:
            given[flags[one]] = arguments[at + 1]
    return given, bool(hints.plain) and all(one in arguments for one in hints.plain)


def main(arguments: list[str]) -> None:
    profile = read_profile(Path(arguments[0]).read_text())
    given, plain = _given(profile.start, arguments[1:])
    signal.signal(signal.SIGTERM, lambda number, _: _told_to_close.append(number))
    game = Game(profile, Path(given.get("folder", ".")), given, plain)
    game.start()
    game.stay()


def launcher(place: Path, profile: Path) -> Path:
    """Writes the program as a member would have it: one file, to be started."""
    source = Path(__file__).resolve().parents[1]
    place.parent.mkdir(parents=True, exist_ok=True)
    place.write_text(
        f'#!/bin/sh\nPYTHONPATH="{source}" exec "{sys.executable}" -m convoy_standins.game "{profile.resolve()}" "$@"\n'
    )
    place.chmod(0o755)
    return place


def bench_file(folder: Path, games: Path) -> Path:
    """What a keeper would write: the stand-ins of the demo's games may be tried, each by a program of its own."""
    source = Path(__file__).resolve().parents[1]
    reads = sorted({str(source), str(games.resolve()), sys.prefix, sys.base_prefix})
    rows = []
    for profile in sorted(games.glob("*.toml")):
        program = launcher(folder / "programs" / profile.stem, profile)
        rows += [f"[games.{profile.stem}]", f"program = {json.dumps(str(program.resolve()))}"]
        rows += [f"reads = {json.dumps(reads)}", "seconds = 6", "memory_mb = 12288", ""]
    place = folder / "bench.toml"
    place.write_text("\n".join(rows))
    return place


if __name__ == "__main__":
    if sys.argv[1] == "--bench":
        bench_file(Path(sys.argv[2]), Path(sys.argv[3]))
    else:
        main(sys.argv[1:])
