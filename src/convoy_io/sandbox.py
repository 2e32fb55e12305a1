"""The sandbox in which a bench starts games, and the one file that says which (TOML; docs/operations.md).

Whoever keeps the bench writes it: for a game's id the program, and what it may read beside itself. Neither a profile
nor a pack adds to that. A game runs in a bubblewrap sandbox: no network, no other process to be seen, of the disk only
what was named, read-only, and its own installation. Where there is no bubblewrap, nothing is run.
"""

from __future__ import annotations

import shutil
import subprocess
import tomllib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from convoy_core.outside.calling import arguments_of
from convoy_core.outside.fields import Fields
from convoy_core.words.errors import ConvoyError, MalformedInput
from convoy_core.words.model import Base
from convoy_core.words.profile import GameProfile

SYSTEM = (
    "/usr", "/lib", "/lib64", "/lib32", "/bin", "/sbin", "/etc/ld.so.cache", "/etc/ld.so.conf", "/etc/alternatives",
)  # fmt: skip
"""What any program needs to be started at all, read-only. Nothing of it is the site's own."""

NOBODY = "65534"
INSIDE = "/game"
"""Where the installation lies in the sandbox: its place on the site's disk is nobody's business."""

LARGEST_FILE = 2 * 2**30
"""Bytes of one file that a game may write."""


class NoBench(ConvoyError):
    """This game is not tried here: its keeper did not allow it, or the sandbox is missing."""

    code = "no-bench"


@dataclass(frozen=True)
class BenchGame:
    """`reads`: folders and files that the program needs beside the system's. `seconds` until the main screen."""

    program: Path
    reads: tuple[Path, ...]
    seconds: int
    memory_mb: int
    environment: Mapping[str, str]


def read_games(place: Path) -> dict[str, BenchGame]:
    """Which games may be started, by their ids. Raises NoBench for a file that cannot be read."""
    try:
        told = Fields(tomllib.loads(place.read_text("utf-8")))
        games = told.fields("games") if told.has("games") else Fields({})
        return {name: _game(games.fields(name)) for name in games.names()}
    except (OSError, ValueError, MalformedInput) as error:
        raise NoBench("The bench's settings cannot be read.", str(error), "Tell the bench's keeper.") from error


def _game(told: Fields) -> BenchGame:
    return BenchGame(
        Path(told.text("program")),
        tuple(Path(one) for one in told.strings("reads")),
        told.whole("seconds", 180),
        told.whole("memory_mb", 8192),
        told.texts("environment") if told.has("environment") else {},
    )


@cache
def why_no_sandbox() -> str:
    """Why nothing may run here; empty where it may. Asked once a process: it is tried."""
    if not shutil.which("bwrap"):
        return "bubblewrap, the sandbox, is not installed."
    tried = subprocess.run([*_walls(), "/usr/bin/true"], capture_output=True, text=True, check=False)
    return f"The sandbox does not hold here: {tried.stderr.strip()[:200]}" if tried.returncode else ""


def _walls() -> list[str]:
    """Everything apart: processes, network, names, users. It dies with whoever started it."""
    found = ["bwrap", "--unshare-all", "--die-with-parent", "--new-session", "--clearenv", "--cap-drop", "ALL"]
    found += ["--uid", NOBODY, "--gid", NOBODY, "--hostname", "bench"]
    for place in SYSTEM:
        if Path(place).is_symlink():
            found += ["--symlink", str(Path(place).readlink()), place]
        elif Path(place).exists():
            found += ["--ro-bind", place, place]
    return [*found, "--proc", "/proc", "--dev", "/dev", "--tmpfs", "/tmp"]  # noqa: S108 - the sandbox's own


def command(game: BenchGame, profile: GameProfile, base: Base, folder: Path, memory_mb: int, plain: bool) -> list[str]:
    """What is run: the keeper's program in the sandbox, with arguments that the profile gives from a fixed list.

    Raises NoBench where the profile does not say how the game is started.
    """
    if profile.start is None:
        raise NoBench(
            f"The profile of {profile.name} does not say how it is started.", now="Have “start” written into it."
        )
    walls = _walls()
    for place in (game.program, *game.reads):
        walls += ["--ro-bind", str(place), str(place)]
    environment = {
        "PATH": "/usr/bin:/bin", "HOME": INSIDE, "LANG": "C.UTF-8", "CONVOY_RUNTIME": profile.runtime_of(base),
        "CONVOY_BASE": f"{base.version} {base.loader} {base.loader_version or ''}".strip(), **game.environment,
    }  # fmt: skip
    for name, value in environment.items():
        walls += ["--setenv", name, value]
    given = {"folder": INSIDE, **({"memory_mb": str(memory_mb)} if memory_mb else {})}
    limited: Sequence[str] = ("prlimit", f"--fsize={LARGEST_FILE}", "--core=0", "--")
    called = arguments_of(profile.start, given, plain)
    return [*limited, *walls, "--bind", str(folder), INSIDE, "--chdir", INSIDE, str(game.program), *called]
