"""Where the members of an archive go in an installation, by the game profile's layout for their kind.

The folder that the game wants may lie some levels down: the marker file tells, or the folder's own name. What lies
beside that root is left out; loose files are wrapped. Source: docs/rules.md, "The job" 5.
"""

from __future__ import annotations

from collections.abc import Iterable

from ..words.errors import ConvoyError
from ..words.profile import KindLayout
from .paths import checked_path, refuse_twins


class NoRoot(ConvoyError):
    """The archive has no folder, or more than one, that could be the one the game wants."""

    code = "no-root"


def placements(members: Iterable[str], layout: KindLayout, mod: str, chosen: str | None = None) -> dict[str, str]:
    """Placed path to archive member, in the order of the members. Folders (names that end in `/`) do not count.

    `chosen`: the root that a person named (empty: the archive's top); None: as the rules find it. Raises HostileArchive
    for a path that must not be placed, NoRoot when the marker is missing or stands twice, or nothing lies below.
    """
    # A hostile member condemns the whole archive, wherever it lies in it.
    files = [checked_path(member) for member in members if not member.endswith("/")]
    root = _the_root(files, layout) if chosen is None else _checked_root(files, layout, chosen)
    top = layout.top(mod)
    placed = {checked_path(top + member.removeprefix(root)): member for member in files if member.startswith(root)}
    refuse_twins(placed)
    return placed


def root_of(member: str, path: str, top: str) -> str:
    """The root (empty: the archive's top) below which a member lies that was placed at `path`, below `top`: what
    `placements` takes as `chosen`.
    """
    below = path.removeprefix(top)
    return member.removesuffix(below).rstrip("/") if member.endswith(below) else ""


def roots_of(files: Iterable[str], layout: KindLayout) -> tuple[str, ...]:
    """Prefixes (empty, or ending in `/`) of the shallowest folders that could be the one the game wants, sorted.

    With a marker: those that hold it; none when it is missing. Without: those named as the kind's own folder in the
    game, in any case; else the archive's top, whose files are wrapped in that folder.
    """
    files = list(files)
    if layout.marker:
        marker = layout.marker
        found = {file.removesuffix(marker) for file in files if file == marker or file.endswith("/" + marker)}
        return _shallowest(found)
    name = layout.folder.casefold()
    found = set()
    for file in files:
        parts = file.split("/")[:-1]
        places = [at for at, part in enumerate(parts) if part.casefold() == name] if layout.place else []
        if places:
            found.add("/".join(parts[: places[0] + 1]) + "/")
    return _shallowest(found) or ("",)


def _shallowest(roots: set[str]) -> tuple[str, ...]:
    depth = min((root.count("/") for root in roots), default=0)
    return tuple(sorted(root for root in roots if root.count("/") == depth))


def _checked_root(files: list[str], layout: KindLayout, chosen: str) -> str:
    root = f"{chosen.rstrip('/')}/" if chosen else ""
    if not any(file.startswith(root) for file in files):
        raise NoRoot(f"The archive has no folder “{chosen}”.", now="Choose one that it has.", root=chosen)
    if layout.marker and root + layout.marker not in files:
        raise NoRoot(f"“{root or 'The top'}” holds no {layout.marker}.", "The game would not see it.", root=chosen)
    return root


def _the_root(files: list[str], layout: KindLayout) -> str:
    roots = roots_of(files, layout)
    if not roots:
        raise NoRoot(
            f"The archive holds no {layout.marker}.",
            "The game would not see it.",
            "Another build may be whole.",
            marker=layout.marker,
        )
    if len(roots) > 1:
        what = f"folders with a {layout.marker}" if layout.marker else "folders that could be meant"
        raise NoRoot(f"The archive holds {len(roots)} {what}.", "Only one can be meant.", roots=list(roots))
    return roots[0]
