"""What a member chooses in a folder that follows files: on a site the installation's page is for that."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from convoy_core.lock.in_worlds import EVERY, for_worlds
from convoy_core.lock.lock import Lock
from convoy_core.words.errors import MalformedInput
from convoy_core.words.wording import counted, listed

from .errors import FolderRefused
from .folder.folder import Folder
from .folder.releases import share_of
from .hearing import nothing_installed
from .rest import Calm
from .site.head import Head


@dataclass(frozen=True)
class Choice:
    """An optional mod, or (`mod`: its id) a set of settings. `taken`: it is, or will be with the next sync."""

    mod: str
    name: str
    advice: str
    taken: bool


@dataclass(frozen=True)
class Choices:
    """`worlds`: by mod of content for worlds those that it goes into, as `FOLDER/NAME`."""

    optional: tuple[Choice, ...]
    sets: tuple[Choice, ...]
    worlds: Mapping[str, tuple[str, ...]]


def choose(
    root: Path,
    without: Collection[str] = (),
    taking: Collection[str] = (),
    into: Sequence[tuple[str, str]] = (),
    out_of: Sequence[tuple[str, str]] = (),
) -> Choices:
    """Keeps what is chosen, and gives how things stand; the next sync follows it. `into`, `out_of`: world and mod.

    Raises FolderRefused where a site is followed, MalformedInput for what there is not to choose.
    """
    folder = Folder(root)
    pairing = folder.pairing()
    if pairing.site:
        raise FolderRefused(
            f"{folder.root} follows {pairing.site}.",
            "What is chosen for it is kept there.",
            "Choose on the installation’s page.",
        )
    with folder.held():
        head = folder.kept_head() or nothing_installed()
        signed = folder.releases.kept(head.named) or nothing_installed()
        share = share_of(folder.releases.trusted(signed, pairing), pairing)
        _refuse_unknown(share, {*without, *taking})
        offered = {one.id for one in share.terms.offers}
        sets = (head.sets | (offered & {*taking})) - {*without}
        left_out = (head.left_out | ({*without} - offered)) - {*taking}
        worlds = _worlds(head, share, into, out_of)
        if (left_out, sets, worlds) != (head.left_out, head.sets, head.worlds):
            head = replace(head, left_out=left_out, sets=sets, worlds=worlds)
            folder.keep_head(head)
            Calm(folder).forget()
    optional = tuple(Choice(one.mod, one.name, one.advice, one.mod not in head.left_out) for one in share.choices)
    sets_told = tuple(
        Choice(one.id, one.name, counted(len(one.tweaks), "setting"), one.id in head.sets) for one in share.terms.offers
    )
    return Choices(optional, sets_told, {mod: tuple(sorted(head.worlds.get(mod, ()))) for mod in for_worlds(share)})


def _refuse_unknown(share: Lock, mods: Collection[str]) -> None:
    known = sorted([one.mod for one in share.choices] + [one.id for one in share.terms.offers])
    for mod in mods:
        if mod not in known:
            now = f"There are {listed(known)}." if known else "This release has none."
            raise MalformedInput(f"“{mod}” is neither an optional mod nor a set of this release.", now=now)


def _worlds(
    head: Head, share: Lock, into: Sequence[tuple[str, str]], out_of: Sequence[tuple[str, str]]
) -> dict[str, tuple[str, ...]]:
    folders = for_worlds(share)
    found = {mod: set(worlds) for mod, worlds in head.worlds.items()}
    for pairs, comes in ((into, True), (out_of, False)):
        for world, mod in pairs:
            if mod not in folders:
                raise MalformedInput(
                    f"“{mod}” has nothing for worlds.",
                    now=f"There are {listed(sorted(folders))}." if folders else "Nothing in this release has.",
                )
            place = world if world.startswith(f"{folders[mod]}/") else f"{folders[mod]}/{world}"
            name = place.removeprefix(f"{folders[mod]}/")
            if name != EVERY and (not name or "/" in name or name in (".", "..")):
                raise MalformedInput(f"“{world}” is no world’s name.")
            (found.setdefault(mod, set()).add if comes else found.setdefault(mod, set()).discard)(place)
    return {mod: tuple(sorted(worlds)) for mod, worlds in sorted(found.items()) if worlds}
