"""One backup as it is listed, and what reading all of them came to."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from convoy_core.words.wording import counted, listed

from ..storage import sealed

Row = tuple[str, int, str]
"""Path, size in bytes, sha256."""


@dataclass(frozen=True)
class Backup:
    """`made_at`: ISO 8601; `size`: bytes of all its files; `by_hand`: it stays until somebody drops it. `folders`:
    those of the game in which worlds lie.
    """

    id: str
    number: int
    made_at: str
    why: str
    release: str
    by_hand: bool
    files: tuple[Row, ...]
    folders: tuple[str, ...] = ()

    @property
    def size(self) -> int:
        return sum(size for _, size, _ in self.files)

    @property
    def worlds(self) -> tuple[str, ...]:
        """The worlds in it, as the game's folders name them."""
        names = {world_of(path, self.folders) for path, _, _ in self.files}
        return tuple(sorted(names - {""}))

    def holds(self) -> str:
        """What it holds, in words."""
        worlds = sum(bool(world_of(path, self.folders)) for path, _, _ in self.files)
        named = listed([f"“{name}”" for name in self.worlds[:3]])
        more = f" and {len(self.worlds) - 3} more" if len(self.worlds) > 3 else ""
        parts = [f"{counted(len(self.worlds), 'world')} ({named}{more}) in {counted(worlds, 'file')}"] if worlds else []
        settings = len(self.files) - worlds
        parts += [counted(settings, "settings file")] if settings else []
        return f"{listed(parts)}, {_amount(self.size)}"


@dataclass(frozen=True)
class Rehearsal:
    """What reading every backup came to. `bad`: id to why it could not be restored whole."""

    at: str = ""
    bad: Mapping[str, str] = field(default_factory=dict)


def read_backup(place: Path, name: str) -> Backup:
    return sealed.read(place / "list.json", lambda told: _as_backup(name, told), twin=True)


def _as_backup(name: str, told: Any) -> Backup:
    files = tuple((str(path), int(size), str(sha256)) for path, size, sha256 in told["files"])
    return Backup(
        name,
        int(told.get("number", 0)),
        str(told["made_at"]),
        str(told["why"]),
        str(told["release"]),
        bool(told["by_hand"]),
        files,
        tuple(map(str, told.get("folders", ()))),
    )


def as_rehearsal(told: Any, there: Collection[str]) -> Rehearsal:
    return Rehearsal(str(told["at"]), {name: str(why) for name, why in told["bad"].items() if name in there})


def world_of(path: str, folders: Collection[str]) -> str:
    """The world that a path is of; empty for settings."""
    for folder in folders:
        if path.startswith(f"{folder}/"):
            return path.removeprefix(f"{folder}/").split("/")[0]
    return ""


def _amount(size: int) -> str:
    return f"{size / 2**20:.1f} MB" if size >= 2**20 else f"{max(1, round(size / 1024))} KB"
