"""Laying builds over each other: whose file comes to lie at every path. Source: docs/rules.md, "Order and conflicts",
"Parts, set aside, own files".

What is left out or set aside is not there at all, for anybody. Of the others at one path the winner that the draft
names lies there, else the last in order.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from ..outside.catcher import Catcher, catcher


@dataclass(frozen=True, slots=True)
class Parts:
    """Which files of a build are laid down, by patterns below the build's own top: these alone, and none of those.

    Empty `only`: all of them.
    """

    only: tuple[str, ...] = ()
    leave_out: tuple[str, ...] = ()

    def keep(self, path: str) -> bool:
        """Whether the file at `path`, relative to the build's top, is laid down."""
        if self.only and not catcher(self.only).catches(path):
            return False
        return not (self.leave_out and catcher(self.leave_out).catches(path))


EVERYTHING = Parts()


@dataclass(frozen=True, slots=True)
class Layer:
    """One build in its place in the order. `files`: path in the installation to sha256."""

    mod: str
    files: Mapping[str, str]


@dataclass(frozen=True, slots=True)
class Meeting:
    """A path that several layers carry with different content. `by`: all that carry it, first to last."""

    path: str
    by: tuple[str, ...]
    winner: str


@dataclass(frozen=True, slots=True)
class Laid:
    """`holder`: path to the mod whose file lies there. `set_aside`: paths that would lie there, by mod.
    `idle`: named winners that carry nothing of what they were named for, by path or folder.
    """

    holder: Mapping[str, str]
    meetings: tuple[Meeting, ...]
    set_aside: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    idle: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Carried:
    """What layers carry, whatever their order: by mod its files without those that are set aside, and these; `holder`:
    path to a mod that carries it; `contested`: paths that several carry, sorted, to these, and whether they differ.
    """

    files: Mapping[str, Mapping[str, str]]
    put_aside: Mapping[str, tuple[str, ...]]
    holder: Mapping[str, str]
    contested: Mapping[str, tuple[tuple[str, ...], bool]]


def carry(layers: Sequence[Layer], set_aside: Sequence[str] = ()) -> Carried:
    """No two layers are of one mod."""
    put_aside: dict[str, tuple[str, ...]] = {}
    if set_aside:
        layers, put_aside = _without(layers, catcher(tuple(set_aside)))
    holder: dict[str, str] = {}
    contested: set[str] = set()
    for layer in layers:
        contested |= layer.files.keys() & holder.keys()
        holder.update(dict.fromkeys(layer.files, layer.mod))
    by: dict[str, list[str]] = {path: [] for path in sorted(contested)}
    hashes: dict[str, set[str]] = {path: set() for path in contested}
    for layer in layers:
        for path in layer.files.keys() & contested:
            by[path].append(layer.mod)
            hashes[path].add(layer.files[path])
    return Carried(
        {layer.mod: layer.files for layer in layers},
        put_aside,
        holder,
        {path: (tuple(mods), len(hashes[path]) > 1) for path, mods in by.items()},
    )


def lay(
    layers: Sequence[Layer],
    winners: Mapping[str, str] | None = None,
    set_aside: Sequence[str] = (),
    carried: Carried | None = None,
) -> Laid:
    """Lays them down, first to last. `winners`: a path, or a folder, to the mod whose files win there; the longest
    folder goes first, and a path before any folder. Meetings come sorted by path. `carried`: what `carry` said of the
    same layers in any order.
    """
    chosen = {place.rstrip("/"): mod for place, mod in (winners or {}).items()}
    if carried is None:
        carried = carry(layers, set_aside)
    rank = {layer.mod: at for at, layer in enumerate(layers)}
    holder = dict(carried.holder)
    meetings: list[Meeting] = []
    served: set[str] = set()
    for path, (by, differ) in carried.contested.items():
        mods = sorted(by, key=rank.__getitem__)
        holder[path] = mods[-1]
        place = _named_for(path, mods, chosen) if chosen else None
        if place is not None:
            served.add(place)
            holder[path] = chosen[place]
        if differ:
            meetings.append(Meeting(path, tuple(mods), holder[path]))
    # Nobody meets the others, but a named winner may carry them, and is not idle then.
    for mod in set(chosen.values()) & carried.files.keys() if len(served) < len(chosen) else ():
        alone = carried.files[mod].keys() - carried.contested.keys()
        served |= {place for path in alone if (place := _named_for(path, [mod], chosen)) is not None}
    idle = {place: mod for place, mod in chosen.items() if place not in served}
    return Laid(holder, tuple(meetings), carried.put_aside, idle)


def _without(layers: Sequence[Layer], aside: Catcher) -> tuple[list[Layer], dict[str, tuple[str, ...]]]:
    """Layers without what is set aside, and that by mod."""
    left, put_aside = [], {}
    for layer in layers:
        gone = sorted(path for path, _ in aside.caught(layer.files))
        if gone:
            put_aside[layer.mod], unwanted = tuple(gone), set(gone)
            files = {path: sha256 for path, sha256 in layer.files.items() if path not in unwanted}
            left.append(Layer(layer.mod, files))
        else:
            left.append(layer)
    return left, put_aside


def _named_for(path: str, mods: Sequence[str], chosen: Mapping[str, str]) -> str | None:
    """The path or folder among `chosen` whose winner carries this path."""
    place = path
    while place:
        if chosen.get(place) in mods:
            return place
        place = place.rpartition("/")[0]
    return "" if chosen.get("") in mods else None
