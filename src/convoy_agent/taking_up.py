"""Taking a collection up beside the pack, and dropping it, from the command line. A sync lays it down."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from convoy_core.words.errors import MalformedInput

from .errors import BadRelease
from .folder.beside import BesideKept
from .folder.folder import Folder
from .rest import Calm
from .site.connecting import connect


@dataclass(frozen=True)
class Added:
    name: str
    number: str
    mark: str


def add(root: Path, what: str, key: str, ask: Callable[[str], bool]) -> Added:
    """Takes a collection up beside the pack: by its join code, or one that was added on the page, by name or id. Whose
    keys are not the pack's own crew's is asked about, unless `key` names them. Nothing is laid down before a sync.

    Raises BadRelease, SiteRefused, SiteAway, MalformedInput.
    """
    folder = Folder(root)
    pairing = folder.pairing()
    with folder.held(), connect(pairing) as site:
        row = next((one for one in site.head().beside if what in (one.pack, one.name)), None)
        shown = site.look_beside(what) if row is None else row
        mark, ours = shown.mark, folder.releases.trust.now(pairing).charter.mark
        if key and key.upper().replace("-", "") != mark.replace("-", ""):
            raise BadRelease(
                f"{shown.name} has another key than you named.", f"Named: {key}. Shown: {mark}.", "Nothing was added."
            )
        if (
            mark != ours
            and not key
            and not ask(f"{shown.name} is of another crew, whose key is {mark}. Trust it here?")
        ):
            raise BadRelease(
                f"{shown.name} is of another crew, whose key is {mark}.",
                "Whoever holds that key says what is laid down of it.",
                f"Compare it with its curators, then add --key {mark}.",
            )
        if row is None:
            shown = site.take_beside(what)
        BesideKept(folder.own).accept(shown.pack, mark)
        Calm(folder).forget()
        return Added(shown.name, shown.number, mark)


def drop(root: Path, what: str) -> str:
    """Leaves a collection beside the pack, by name or id; what nothing else holds goes with the next sync. Gives its
    name. Raises MalformedInput, SiteRefused, SiteAway.
    """
    pairing = Folder(root).pairing()
    with connect(pairing) as site:
        ones = site.head().beside
        found = next((one for one in ones if what in (one.pack, one.name)), None)
        if found is None:
            names = ", ".join(one.name for one in ones) or "none"
            raise MalformedInput(f"“{what[:80]}” is no collection beside {pairing.pack}.", f"There are: {names}.")
        site.drop_beside(found.pack)
        return found.name
