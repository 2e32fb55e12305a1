"""A bag that came from anywhere: judged by its names and small files, before anything of it is unpacked.

One folder holds everything; what the manifest names is there, or is to be fetched, and nothing else is. Its archives
are checked by their hashes when they are taken out. Source: RFC 8493; docs/formats.md.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from ..lock.canonical import sha256_hex
from ..lock.in_worlds import world_of
from ..lock.recipe import Recipe, read_recipe
from ..outside.paths import checked_path, refuse_twins
from ..trust.charter import CONTEXT, Charter, Duty, follow, read_charter
from ..trust.signed import Signed
from ..trust.trusted import Trusted
from ..words.errors import BadSignature, ConvoyError, MalformedInput
from .bag import (
    BAGIT,
    FETCH,
    GAME,
    LEFT_OUT,
    MANIFEST,
    RECIPE,
    SIGNATURES,
    TAG_MANIFEST,
    WORLDS,
    read_signatures,
)

TAGS = (BAGIT, MANIFEST, TAG_MANIFEST, FETCH, RECIPE, SIGNATURES, LEFT_OUT, GAME)
"""What is read of a bag; other tag files are passed by."""

NEEDED = (BAGIT, MANIFEST, TAG_MANIFEST, RECIPE, SIGNATURES)
_LINE = re.compile(r"([0-9a-f]{64})[ \t]+\*?(\S.*)")


class BadBag(ConvoyError):
    """A file that is no pack, or does not hold what it says it holds."""

    code = "bad-bag"


@dataclass(frozen=True, slots=True)
class ReadBag:
    """`archives`: sha256 to the member that holds it. `missing`: paths that are to be fetched. `charters`: unverified,
    as are the release's signatures.
    """

    recipe: Recipe
    signed: Signed
    charters: Sequence[Signed]
    sources: Mapping[str, str]
    """By source where it was when the file was made: nobody's signed word, and checked by hashes like all."""
    archives: Mapping[str, str]
    missing: Mapping[str, str]
    left_out: str
    game: str = ""
    """The game's profile, unread; empty where the file brings none."""
    worlds: Mapping[str, tuple[str, str]] = field(default_factory=dict)
    """Files of saved worlds that came along: path in an installation to member and sha256."""


def top_of(names: Sequence[str]) -> str:
    """The folder that everything is in, with its slash. Raises BadBag, HostileArchive."""
    for name in names:
        checked_path(name.rstrip("/"))
    refuse_twins(name for name in names if not name.endswith("/"))
    tops = {name.split("/")[0] for name in names}
    if len(tops) != 1 or any("/" not in name for name in names):
        raise BadBag("This is no pack.", "A pack is one folder in a ZIP.", "Ask for the file again.")
    return f"{tops.pop()}/"


def read_bag(names: Sequence[str], tags: Mapping[str, bytes]) -> ReadBag:
    """`names`: of every member, below the bag's folder; `tags`: those of TAGS that are there, by name. Raises BadBag,
    MalformedInput, HostileArchive.
    """
    if lacking := [name for name in NEEDED if name not in tags]:
        raise BadBag("This is no pack.", f"It has no {lacking[0]}.", "Ask for the file again.")
    if not re.match(rb"BagIt-Version: (0\.97|1\.0)\r?\n", tags[BAGIT]):
        raise BadBag("This pack is a bag of another version.", now="A newer program may read it.")
    for name, sha256 in _sums(tags[TAG_MANIFEST], TAG_MANIFEST).items():
        if name in tags and sha256_hex(tags[name]) != sha256:
            raise BadBag(f"{name} in this pack is damaged, or was altered.", now="Ask for the file again.")
    listed = _sums(tags[MANIFEST], MANIFEST)
    there = [name for name in names if name.startswith("data/") and not name.endswith("/")]
    if extra := next((name for name in there if name not in listed), None):
        raise BadBag(f"This pack holds {extra[:80]}, which it does not list.", now="Ask for the file again.")
    missing = {name: sha256 for name, sha256 in listed.items() if name not in there}
    named = _fetched(tags.get(FETCH, b""))
    if lost := next((name for name in missing if name not in named), None):
        raise BadBag(f"{lost[:80]} of this pack is missing.", now="Ask for the file again.")
    document = tags[RECIPE]
    recipe = read_recipe(document)
    signed, charters, sources = read_signatures(tags[SIGNATURES], document)
    if signed.document != document:
        raise BadBag("The release in this pack is no text.", now="Ask for the file again.")
    archives = {sha256: name for name, sha256 in listed.items() if name not in missing and not name.startswith(WORLDS)}
    worlds = {name.removeprefix(WORLDS): (name, sha256) for name, sha256 in listed.items() if name.startswith(WORLDS)}
    if odd := next((path for path in worlds if not world_of(path, recipe.lock.terms)), None):
        raise BadBag(f"{odd[:80]} in this pack lies in no world of its game.", now="Ask for the file again.")
    strangers = archives.keys() - {build.archive.sha256 for build in recipe.lock.builds}
    if strangers:
        name = archives[min(strangers)]
        raise BadBag(f"{name[:80]} in this pack is of no mod of its release.", now="Ask for the file again.")
    left_out, game = (tags.get(name, b"").decode(errors="replace") for name in (LEFT_OUT, GAME))
    return ReadBag(recipe, signed, charters, sources, archives, missing, left_out, game, worlds)


def signed_by(told: ReadBag) -> tuple[Charter | None, str]:
    """The charter that came with a file, if its keys signed the release; else why it is not to be believed. Raises
    MalformedInput.
    """
    try:
        charter = _charter(told)
        if charter is None:
            return None, "It does not say whose keys may sign it."
        Trusted(charter).demand_release(told.signed, is_here=False)
    except BadSignature as error:
        return None, error.sentence()
    return charter, ""


def leads_back_to(told: ReadBag, mark: str) -> bool:
    """Whether the keys that a file comes with follow, charter by charter, from those that were pinned by this mark. A
    charter that only lies there proves nothing: each has to be signed by the one before.
    """
    try:
        for at, signed in enumerate(told.charters):
            charter = read_charter(signed.document)
            if charter.mark == mark:
                charter.demand(Duty.CHARTER, signed, CONTEXT, "the charter")
                for one in told.charters[at + 1 :]:
                    charter = follow(charter, one)
                return True
    except ConvoyError:
        return False
    return False


def _charter(told: ReadBag) -> Charter | None:
    """The charter that came with it, signed by its own keys. Raises BadSignature, MalformedInput."""
    if not told.charters:
        return None
    signed = told.charters[-1]
    charter = read_charter(signed.document)
    charter.demand(Duty.CHARTER, signed, CONTEXT, "the charter")
    return charter


def _sums(content: bytes, name: str) -> dict[str, str]:
    found: dict[str, str] = {}
    for line in _lines(content, name):
        row = _LINE.fullmatch(line)
        if row is None:
            raise MalformedInput(f"{name} in this pack cannot be read.", f"“{line[:60]}”", field=name)
        path = checked_path(row[2].replace("%0A", "\n").replace("%0D", "\r").replace("%25", "%"))
        if path in found:
            raise MalformedInput(f"{name} in this pack names {path[:60]} twice.", field=name)
        found[path] = row[1]
    return found


def _fetched(content: bytes) -> set[str]:
    """Paths that are to be fetched. Where from is not believed: the release and its sources say so."""
    return {checked_path(line.split(None, 2)[-1]) for line in _lines(content, FETCH) if len(line.split(None, 2)) == 3}


def _lines(content: bytes, name: str) -> list[str]:
    try:
        return [line for line in content.decode("utf-8").splitlines() if line.strip()]
    except UnicodeDecodeError as error:
        raise MalformedInput(f"{name} in this pack is no text.", field=name) from error
