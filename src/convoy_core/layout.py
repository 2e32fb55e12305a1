"""Where the members of an archive go in an installation, by the game profile's layout for their kind.

The folder that the game wants may lie some levels down: the marker file tells. What lies beside that root is left out.
Source: job.md 5, "Archives come in many shapes". Finding roots without a marker, and repairs, are not done here yet.
"""

from __future__ import annotations

from collections.abc import Iterable

from .errors import ConvoyError
from .paths import checked_path, refuse_twins
from .profile import KindLayout


class NoRoot(ConvoyError):
    """The archive has no folder, or more than one, that could be the one the game wants."""

    code = "no-root"


def placements(members: Iterable[str], layout: KindLayout, mod: str) -> dict[str, str]:
    """Placed path to archive member, in the order of the members. Folders (names that end in `/`) do not count.

    Raises HostileArchive for a path that must not be placed, NoRoot when the marker is missing or stands twice.
    """
    # A hostile member condemns the whole archive, wherever it lies in it.
    files = [checked_path(member) for member in members if not member.endswith("/")]
    root = _root(files, layout.marker) if layout.marker else ""
    place = layout.place.format(mod=mod)
    placed = {
        checked_path(f"{place}/{member.removeprefix(root)}" if place else member.removeprefix(root)): member
        for member in files
        if member.startswith(root)
    }
    refuse_twins(placed)
    return placed


def _root(files: list[str], marker: str) -> str:
    """The prefix (empty, or ending in `/`) of the one shallowest folder that holds the marker."""
    roots = [file.removesuffix(marker) for file in files if file == marker or file.endswith("/" + marker)]
    if not roots:
        raise NoRoot(
            f"The archive holds no {marker}.",
            "The game would not see it.",
            "Another build may be whole.",
            marker=marker,
        )
    depth = min(root.count("/") for root in roots)
    shallowest = [root for root in roots if root.count("/") == depth]
    if len(shallowest) > 1:
        raise NoRoot(
            f"The archive holds {len(shallowest)} folders with a {marker}.", "Only one can be meant.", roots=shallowest
        )
    return shallowest[0]
