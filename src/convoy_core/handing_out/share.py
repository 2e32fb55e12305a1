"""One machine's share of a release as a folder to lay down, for a server that runs no agent.

Files that may travel lie at their places. For the rest there is a Metalink, and a script that fetches and places it, in
sh and in PowerShell. The scripts are the same for every pack: what they read are tables, in which nothing is a command.
Source: docs/rules.md, "The job" 9; formats.md.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from ..lock.in_worlds import in_worlds
from ..lock.lock import OVERLAY, Lock, LockedBuild, PlacedFile
from ..lock.recipe import Recipe
from ..lock.rendering import rendering
from ..sync.errands import what_to_do
from ..words.errors import MalformedInput
from ..words.licences import meaning
from ..words.model import Side
from .checksums import NAME, checksums
from .downloads import metalink
from .places import Addresses, open_addresses, page_of
from .share_scripts import POWERSHELL, SH

FOLDER = "_convoy"
"""Where scripts and lists lie, beside the game's own folders."""

ARCHIVES, FILES = f"{FOLDER}/archives.tsv", f"{FOLDER}/files.tsv"
SCRIPT, SCRIPT_POWERSHELL = f"{FOLDER}/fetch.sh", f"{FOLDER}/fetch.ps1"
DOWNLOADS, BY_HAND, SETTINGS, STEPS, READ_ME = (
    f"{FOLDER}/{name}" for name in ("downloads.meta4", "by-hand.txt", "settings.txt", "steps.txt", "read-me.txt")
)


@dataclass(frozen=True, slots=True)
class Share:
    """`notes`: path to content of lists and scripts; `carried`: builds whose files are inside; `placed`: those files,
    in the order of the builds; `left`: builds that the script fetches, then those that a person gets.
    """

    lock: Lock
    notes: dict[str, bytes]
    carried: tuple[LockedBuild, ...]
    placed: tuple[PlacedFile, ...]
    left: tuple[LockedBuild, ...]


def make_share(recipe: Recipe, side: Side, sources: Addresses, has: Collection[str]) -> Share:
    """`has`: sha256 of the archives that lie here. Raises MalformedInput for a pack that lays something down where
    scripts and lists are to lie.
    """
    whole = recipe.lock.share(side)
    lock = in_worlds(whole, {}, ())
    if taken := next((one.path for one in lock.files if _is_ours(one.path)), None):
        raise MalformedInput(
            f"{taken} of this pack lies where the scripts would.", now="Take the pack along as a file instead."
        )
    carried = tuple(one for one in lock.builds if one.archive.sha256 in has and _may_travel(one))
    inside = {one.mod for one in carried}
    rest = [one for one in lock.builds if one.mod not in inside]
    fetched = [one for one in rest if open_addresses(one, sources)]
    by_hand = [one for one in rest if one not in fetched]
    order = {one.mod: at for at, one in enumerate(lock.builds)}
    placed = sorted((one for one in lock.files if one.mod in inside), key=lambda one: (order[one.mod], one.path))
    missing = [one for one in lock.files if one.mod not in inside]
    notes = {
        SCRIPT: SH,
        SCRIPT_POWERSHELL: POWERSHELL,
        ARCHIVES: "".join(_archive_row(one, sources) for one in (*fetched, *by_hand)),
        FILES: "".join(_file_row(one, lock) for one in missing),
        BY_HAND: "".join(_by_hand(one, sources) for one in by_hand),
        SETTINGS: _settings(lock, {one.path for one in placed}),
        STEPS: "".join(f"- {' '.join(step.text.split())}\n" for step in lock.terms.steps),
        READ_ME: _read_me(recipe, side, len(fetched), len(by_hand)),
        NAME: checksums(whole),
    }
    told = {path: text.encode() for path, text in notes.items() if text}
    told[DOWNLOADS] = metalink(recipe, fetched, sources)
    return Share(lock, told, carried, tuple(placed), (*fetched, *by_hand))


def _is_ours(path: str) -> bool:
    return path.split("/")[0].casefold() in (FOLDER, NAME.casefold())


def _may_travel(build: LockedBuild) -> bool:
    return build.mod == OVERLAY or meaning(build.licence).may_be_carried


def _archive_row(build: LockedBuild, sources: Addresses) -> str:
    """Hash, size, where it is fetched (nothing: a person gets it)."""
    return f"{build.archive.sha256}\t{build.archive.size}\t{next(iter(open_addresses(build, sources)), '-')}\n"


def _file_row(file: PlacedFile, lock: Lock) -> str:
    """The archive's hash, the file's hash, its member, its place. Names of a lock hold no tab and no line's end."""
    return f"{lock.by_mod[file.mod].archive.sha256}\t{file.sha256}\t{file.member}\t{file.path}\n"


def _by_hand(build: LockedBuild, sources: Addresses) -> str:
    where = page_of(build, sources) or "Its page is not known."
    todo = what_to_do(build) if not build.pickup.is_automatic else "Ask the pack's curator for it."
    return (
        f"{' '.join(build.name.split())} {build.version}\n  {where}\n  {todo}\n"
        f"  Leave it in {FOLDER}/inbox, under whatever name ending in .zip, and run the script again.\n\n"
    )


def _settings(lock: Lock, inside: Collection[str]) -> str:
    """Settings that the pack sets in files that come later, or that the game makes: to be set by hand."""
    rows = []
    for tweak in lock.terms.tweaks:
        done = tweak.path in inside and tweak.sets
        if not done:
            rows.append(f"{tweak.path}: {'.'.join(tweak.key)} = {tweak.value} ({tweak.how})\n")
    return "".join(rows)


def is_rendered(file: PlacedFile, lock: Lock) -> bool:
    """Whether the file that is laid down is not the build's own, but that with the pack's tweaks in it."""
    return rendering(file.path, file.sha256, lock.terms) != file.sha256


def _read_me(recipe: Recipe, side: Side, fetched: int, by_hand: int) -> str:
    lines = [
        f"{' '.join(recipe.pack_name.split())} {recipe.number}, the {side}'s share.",
        f"Base: {recipe.lock.base.as_text()}.",
        "",
        "1. Lay the content of this folder into the game's own folder, where the game is not running.",
    ]
    if by_hand:
        lines.append(f"2. Fetch what only a person may fetch: {BY_HAND}.")
    if fetched or by_hand:
        lines.append(f"{3 if by_hand else 2}. Run {SCRIPT} (sh, curl or wget, unzip) or {SCRIPT_POWERSHELL} there.")
    lines += [
        f"Then look into {SETTINGS} and {STEPS}, where they are.",
        f"`sha256sum -c {NAME}` says whether everything lies as it should. Settings are not among it: they are yours.",
    ]
    return "\n".join(lines) + "\n"
