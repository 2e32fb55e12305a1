"""What the agent placed: the record of an installation, as data. Reading and keeping it is `folder`'s part.

A record that was lost is made anew from what the release says and what lies there, by hash.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from convoy_core.lock.in_worlds import world_of
from convoy_core.lock.lock import Lock
from convoy_core.lock.recipe import Recipe
from convoy_core.lock.rendering import rendering
from convoy_core.settings.merge import Adjusted
from convoy_core.settings.readings import as_json, from_json
from convoy_core.trust.statement import Named

from .beside import Laid, read_laid

Sight = tuple[int, int, int]
"""Size in bytes, modification and change time in nanoseconds: a file that looks the same is not hashed again."""

UNSEEN: Sight = (-1, -1, -1)
"""A sight that no file has: it is hashed at the next scan."""


@dataclass(frozen=True)
class Adjusting:
    """What was set in a settings file that no build carries. `name`: as `rendering` names it."""

    name: str
    keys: tuple[Adjusted, ...] = ()

    def as_data(self) -> dict[str, Any]:
        rows = [[list(one.key), as_json(one.value), [as_json(was) for was in one.earlier]] for one in self.keys]
        return {"name": self.name, "keys": rows}


@dataclass
class Record:
    """The release, path to (sha256, sight) of each file, and what settings were rendered from.

    For settings the sha256 is that of the file as the release rendered it, whatever the member made of it since.
    """

    release: str = ""
    sha256: str = ""
    """Of the release's document; empty in records of earlier agents."""
    files: dict[str, tuple[str, Sight]] = field(default_factory=dict)
    renderings: dict[str, str] = field(default_factory=dict)
    worlds: dict[str, list[str]] = field(default_factory=dict)
    """By mod the saved worlds that its content was placed in."""
    adjusted: dict[str, Adjusting] = field(default_factory=dict)
    """What was set in settings files that no build carries, by path."""
    sets: list[str] = field(default_factory=list)
    """Offered sets of settings that were in what was placed."""
    beside: list[Laid] = field(default_factory=list)
    """Collections of the member's own of which builds were placed, as they were laid down."""

    @property
    def named(self) -> Named:
        return Named(self.release, self.sha256)

    def is_of(self, recipe: Recipe) -> bool:
        """Whether this very release is recorded: one of the same number may be another."""
        return self.release == recipe.number and self.sha256 in ("", recipe.sha256)

    def hashes(self) -> dict[str, str]:
        return {path: sha256 for path, (sha256, _) in self.files.items()}

    def as_data(self) -> dict[str, Any]:
        rows = {path: [sha256, *sight] for path, (sha256, sight) in self.files.items()}
        told = {"release": self.release, "sha256": self.sha256, "files": rows, "renderings": self.renderings}
        adjusted = {path: one.as_data() for path, one in self.adjusted.items()}
        return {
            **told,
            "worlds": self.worlds,
            "adjusted": adjusted,
            "sets": self.sets,
            "beside": [one.as_data() for one in self.beside],
        }


def read_record(told: Any) -> Record:
    """For `sealed.read`: raises ValueError, KeyError, TypeError or AttributeError for what is no record."""
    files = {
        str(path): (str(sha256), (int(size), int(modified), int(changed)))
        for path, (sha256, size, modified, changed) in told["files"].items()
    }
    renderings = {str(path): str(name) for path, name in told.get("renderings", {}).items()}
    worlds = {str(mod): [str(world) for world in names] for mod, names in told.get("worlds", {}).items()}
    adjusted = {str(path): read_adjusting(one) for path, one in told.get("adjusted", {}).items()}
    sets = [str(one) for one in told.get("sets", ())]
    beside = read_laid(told.get("beside", ()))
    return Record(str(told["release"]), str(told.get("sha256", "")), files, renderings, worlds, adjusted, sets, beside)


def read_adjusting(told: Any) -> Adjusting:
    """From what `Adjusting.as_data` gave. Raises as `read_record`."""
    keys = (
        Adjusted(tuple(map(str, key)), from_json(value), tuple(from_json(one) for one in earlier))
        for key, value, earlier in told["keys"]
    )
    return Adjusting(str(told["name"]), tuple(keys))


def rebuilt(release: Named, share: Lock, hashes: Mapping[str, str]) -> Record:
    """The record of a release of which `hashes` (path to sha256) lies there.

    What lies where the release has something, the pack is taken to have placed; what differs there is then altered. Of
    settings nobody knows any more what the release rendered: a merge takes all that differs for the member's.
    """
    made = Record(release.number, release.sha256)
    # Set once already, it is to be hoped: what its member made of them since is not overwritten.
    made.adjusted = {path: Adjusting(rendering(path, "", share.terms)) for path in share.adjusted}
    for file in share.files:
        found = hashes.get(file.path)
        if share.terms.is_settings(file.path) and found is not None:
            made.files[file.path] = (file.sha256, UNSEEN)
            is_plain = found == file.sha256 and not share.terms.by_path.get(file.path)
            made.renderings[file.path] = rendering(file.path, file.sha256, share.terms) if is_plain else "lost"
        elif found is not None:
            made.files[file.path] = (file.sha256, UNSEEN)
            if share.terms.is_world(file.path):
                worlds = made.worlds.setdefault(file.mod, [])
                worlds += [world for world in (world_of(file.path, share.terms),) if world not in worlds]
    return made
