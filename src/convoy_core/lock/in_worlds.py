"""Content that belongs into saved worlds. In a lock its paths begin with `FOLDER/{world}/`, as everybody's worlds are
called something else; on a machine it lies in the worlds that its member named, and leaves with them.

Source: docs/rules.md, "Parts, set aside, own files".
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import replace

from ..words.profile import WORLD
from .lock import Lock, PlacedFile, laid_over
from .terms import Terms

EVERY = "*"
"""Stands for a world's name in a choice: every world of the folder, and those to come."""

Chosen = Mapping[str, Collection[str]]
"""By mod the worlds that it goes into, as `FOLDER/NAME`; `FOLDER/*` for all of a folder."""


def world_of(path: str, terms: Terms) -> str:
    """The world that a path lies in, as `FOLDER/NAME`; empty outside of worlds."""
    for folder in terms.worlds:
        name, _, below = path.removeprefix(f"{folder}/").partition("/")
        if path.startswith(f"{folder}/") and below:
            return f"{folder}/{name}"
    return ""


def is_any_world(path: str, terms: Terms) -> bool:
    """Whether a path of a lock stands for one in every world that a member names."""
    return WORLD in path and world_of(path, terms).endswith(f"/{WORLD}")


def as_any_world(path: str, terms: Terms) -> str:
    """A path on a machine as the lock has it: `{world}` in place of the world's name."""
    if world := world_of(path, terms):
        folder = world.rpartition("/")[0]
        return f"{folder}/{WORLD}{path.removeprefix(world)}"
    return path


def for_worlds(lock: Lock) -> dict[str, str]:
    """By mod the folder of the worlds that its content goes into, for every mod that has such content."""
    found: dict[str, str] = {}
    for file in (*lock.files, *lock.covered):
        if file.mod not in found and is_any_world(file.path, lock.terms):
            found[file.mod] = world_of(file.path, lock.terms).rpartition("/")[0]
    return found


def in_worlds(lock: Lock, chosen: Chosen, there: Iterable[str]) -> Lock:
    """The lock as one machine is to have it: content for worlds in those of `there` that were chosen for it, and
    nowhere else. A world that is not there is not made: its content left with it.
    """
    for_any = [file for file in (*lock.files, *lock.covered) if is_any_world(file.path, lock.terms)]
    if not for_any:
        return lock
    gathered: dict[str, list[PlacedFile]] = {build.mod: [] for build in lock.builds}
    for file in for_any:
        gathered[file.mod].append(file)
    folders = for_worlds(lock)
    files = [file for file in lock.files if not is_any_world(file.path, lock.terms)]
    for world in sorted(set(there)):
        folder = world.rpartition("/")[0]
        names = {world, f"{folder}/{EVERY}"}
        mods = {mod for mod, its in folders.items() if its == folder and not names.isdisjoint(chosen.get(mod, ()))}
        layers = [(build, gathered[build.mod]) for build in lock.builds if build.mod in mods]
        laid, _ = laid_over(layers, lock.winners)
        files += (replace(file, path=world + file.path.removeprefix(f"{folder}/{WORLD}")) for file in laid)
    covered = tuple(file for file in lock.covered if not is_any_world(file.path, lock.terms))
    return replace(lock, files=tuple(sorted(files, key=lambda file: file.path)), covered=covered)


def worlds_of(share: Lock) -> dict[str, set[str]]:
    """By mod the worlds that a machine's share places it in."""
    found: dict[str, set[str]] = {}
    for file in share.files:
        if (world := world_of(file.path, share.terms)) and not is_any_world(file.path, share.terms):
            found.setdefault(file.mod, set()).add(world)
    return found


def as_in_lock(lock: Lock, share: Lock, there: Mapping[str, str]) -> dict[str, str]:
    """What lies on a machine (path to sha256) as the fingerprint counts it. Content for worlds is right where it is so
    in every world that has it by the machine's `share`, and where no world has it: the lock's builds are the crew's
    business, which worlds take them is their owner's.
    """
    found = dict(there)
    found |= {file.path: file.sha256 for file in lock.files if is_any_world(file.path, lock.terms)}
    for file in share.files:
        if lock.terms.is_world(file.path) and there.get(file.path) != file.sha256:
            found[as_any_world(file.path, lock.terms)] = there.get(file.path, "missing")
    return found
