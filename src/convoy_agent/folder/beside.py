"""Collections that a member takes up beside the pack, as a folder keeps them: whose keys were trusted here, and what
was laid down.

.convoy/beside/PACK/ holds, for each, `trust.json` and `releases/` as the folder has them for its pack, and `mark.json`:
the charter whose keys its member took it up by.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from convoy_core.lock.lock import TakenUp

from ..site.head import Pairing
from ..storage import disk, sealed
from .releases import Releases


@dataclass(frozen=True)
class Laid:
    """A collection of which builds were laid down; `refused`: those of it that did not go together with the pack."""

    taken: TakenUp
    refused: Mapping[str, str] = field(default_factory=dict)

    @property
    def key(self) -> tuple[object, ...]:
        """What decides about what of it is laid down."""
        return self.taken.id, self.taken.sha256, sorted(self.refused)

    def as_data(self) -> dict[str, Any]:
        one = self.taken
        return {"id": one.id, "name": one.name, "number": one.number, "sha256": one.sha256, "refused": {**self.refused}}


def read_laid(told: Iterable[Any]) -> list[Laid]:
    """From what `as_data` gave. Raises ValueError, KeyError, TypeError or AttributeError for what is none."""
    return [
        Laid(
            TakenUp(str(one["id"]), str(one["name"]), str(one["number"]), str(one["sha256"])),
            {str(mod): str(why) for mod, why in one["refused"].items()},
        )
        for one in told
    ]


class BesideKept:
    """`own`: the agent's own folder in an installation. The caller holds it, and has seen to it that a collection's id
    is a plain name.
    """

    def __init__(self, own: Path) -> None:
        self._place = own / "beside"

    def places(self) -> list[Path]:
        """The folders of all of them, and those within: no entry of any may be a link."""
        ones = [Path(entry.path) for entry in disk.entries_of(str(self._place)) if disk.entry_is_folder(entry)]
        return [self._place, *ones, *(one / "releases" for one in ones)]

    def ids(self) -> list[str]:
        return sorted(entry.name for entry in disk.entries_of(str(self._place)) if disk.entry_is_folder(entry))

    def releases(self, id: str) -> Releases:
        return Releases(self._place / id)

    def mark(self, id: str) -> str:
        """Of the charter by which it was taken up here; empty where it never was."""
        try:
            return sealed.read(self._place / id / "mark.json", str)
        except (FileNotFoundError, sealed.Damaged):
            return ""

    def accept(self, id: str, mark: str) -> None:
        place = self._place / id
        place.mkdir(parents=True, exist_ok=True)
        if self.mark(id) != mark:
            sealed.write(place / "mark.json", mark)

    def sweep(self, needed: Collection[str]) -> None:
        """Drops what is known of collections that neither are taken up nor lie here any more."""
        for one in self.ids():
            if one not in needed:
                disk.remove_tree(self._place / one)


def pairing_with(pairing: Pairing, id: str, name: str, mark: str) -> Pairing:
    """The pairing as it is for a collection: what signs its releases are the keys of that mark's charter."""
    return replace(pairing, pack_id=id, pack=name, mark=mark, public_key="", charter=None)
