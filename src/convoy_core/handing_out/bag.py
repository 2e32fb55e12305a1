"""A release as a bag (BagIt, RFC 8493): the signed release, what may travel, and where the rest is to be had.

Every build is judged: what its licence lets others hand out, and what lies here, travels; what any program may fetch is
named in `fetch.txt`; the rest is named with the reason. The same input gives the same bytes. Source: docs/rules.md,
"The job" 9; formats.md.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from ..lock.canonical import canonical_json, sha256_hex
from ..lock.lock import OVERLAY, LockedBuild
from ..lock.recipe import Recipe
from ..outside.fields import Fields
from ..sync.errands import what_to_do
from ..trust.signed import Signed, parsed, read_signed_data
from ..words.licences import meaning
from ..words.model import Side
from .places import Addresses, is_web, open_addresses, page_of

FORMAT = "convoy-bag/1"
DECLARATION = "BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n"
RECIPE, SIGNATURES, LEFT_OUT = "convoy.json", "convoy-signatures.json", "left-out.txt"
GAME = "game.toml"
"""The game's profile, as whoever made the file has it: for a site that has never heard of the game. Nobody signs it."""
MANIFEST, TAG_MANIFEST, FETCH, INFO, BAGIT = (
    "manifest-sha256.txt", "tagmanifest-sha256.txt", "fetch.txt", "bag-info.txt", "bagit.txt",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Wanted:
    """What goes into a bag. `side`: builds of that side alone; None: all. `builds`: those that may travel, else the
    release alone; `own`: the pack's own files.
    """

    side: Side | None = None
    builds: bool = True
    own: bool = True


@dataclass(frozen=True, slots=True)
class LeftOut:
    """A build that is not inside. `address`: where any program fetches it; empty: a person has to, as `why` says."""

    build: LockedBuild
    why: str
    address: str = ""


@dataclass(frozen=True, slots=True)
class WorldFile:
    """A file of a saved world that goes along. `size` in bytes."""

    size: int
    sha256: str


WORLDS = "data/worlds/"
"""Below it lie saved worlds, by their paths in the installation."""


@dataclass(frozen=True, slots=True)
class Bag:
    """`name`: of the folder that everything is in. `tags`: path below it to content; `carried`: path to the build
    whose archive lies there; `worlds`: path to the file of a saved world.
    """

    name: str
    tags: dict[str, bytes]
    carried: dict[str, LockedBuild]
    left: tuple[LeftOut, ...]
    worlds: dict[str, WorldFile]


NO_WORLDS: Mapping[str, WorldFile] = {}


def path_of(build: LockedBuild) -> str:
    """Where an archive lies in a bag. Of its own name nothing is kept: two may be called the same."""
    return f"data/archives/{build.mod}-{build.archive.sha256[:12]}.zip"


def make_bag(
    recipe: Recipe,
    signed: Signed,
    charters: Sequence[Signed],
    sources: Addresses,
    has: Collection[str],
    wanted: Wanted = Wanted(),
    game: str = "",
    worlds: Mapping[str, WorldFile] = NO_WORLDS,
) -> Bag:
    """`signed`: the release's exact bytes with their signatures; `charters`: who may sign, as far as it is known here;
    `has`: sha256 of the archives that lie here; `game`: its profile, where it is known here;
    `worlds`: files of saved worlds that go along, by their paths in the installation.
    """
    carried: dict[str, LockedBuild] = {}
    left: list[LeftOut] = []
    for build in recipe.lock.builds:
        if wanted.side and not build.side.goes_to(wanted.side):
            continue
        why = _why_not(build, has, wanted)
        if not why:
            carried[path_of(build)] = build
            continue
        address = next(iter(open_addresses(build, sources)), "")
        left.append(LeftOut(build, why, address))
    name = f"{recipe.pack_name}-{recipe.number}".lower()
    plain = "".join(char if char.isascii() and (char.isalnum() or char in ".-") else "-" for char in name)
    bag = Bag("-".join(filter(None, plain.split("-"))) or "pack", {}, carried, tuple(left), {})
    bag.worlds.update({WORLDS + path: file for path, file in sorted(worlds.items())})
    bag.tags.update(_tags(recipe, signed, charters, sources, bag, game))
    return bag


def _why_not(build: LockedBuild, has: Collection[str], wanted: Wanted) -> str:
    """Why an archive does not travel; empty when it does."""
    if build.mod == OVERLAY:
        if not wanted.own:
            return "The pack’s own files were left out."
    elif not wanted.builds:
        return "Only the release was wanted."
    elif not (said := meaning(build.licence)).may_be_carried:
        return said.sentence
    return "" if build.archive.sha256 in has else "It does not lie where this was made."


def _tags(
    recipe: Recipe, signed: Signed, charters: Sequence[Signed], sources: Addresses, bag: Bag, game: str
) -> dict[str, bytes]:
    payload = dict(bag.carried)
    payload |= {path_of(one.build): one.build for one in bag.left if one.address}
    sums = {path: build.archive.sha256 for path, build in payload.items()}
    sums |= {path: file.sha256 for path, file in bag.worlds.items()}
    total = sum(build.archive.size for build in payload.values()) + sum(one.size for one in bag.worlds.values())
    rows = [{"key": key.hex(), "signature": signature.hex()} for key, signature in signed.signatures]
    used = {build.source for build in recipe.lock.builds}
    where = {name: address for name, address in sources.items() if name in used and is_web(address)}
    charts = [one.as_data() for one in charters]
    told = {"format": FORMAT, "signatures": rows, "charters": charts, "sources": where}
    info = {
        "Bag-Software-Agent": "True Convoy",
        "Bagging-Date": recipe.published_at[:10],
        "External-Identifier": f"{recipe.pack} {recipe.number}",
        "External-Description": f"{recipe.pack_name} {recipe.number}",
        "Payload-Oxum": f"{total}.{len(sums)}",
    }
    tags = {
        BAGIT: DECLARATION,
        INFO: "".join(f"{label}: {' '.join(text.split())}\n" for label, text in info.items()),
        MANIFEST: "".join(f"{sha256}  {escaped_path(path)}\n" for path, sha256 in sorted(sums.items())),
        FETCH: "".join(
            f"{one.address} {one.build.archive.size} {path_of(one.build)}\n" for one in bag.left if one.address
        ),
        LEFT_OUT: "".join(_line(one, sources) for one in bag.left),
        GAME: game,
    }
    found = {name: text.encode() for name, text in tags.items() if text or name in (BAGIT, MANIFEST)}
    found |= {RECIPE: signed.document, SIGNATURES: canonical_json(told)}
    of_tags = "".join(f"{sha256_hex(content)}  {name}\n" for name, content in sorted(found.items()))
    return {**found, TAG_MANIFEST: of_tags.encode()}


def escaped_path(path: str) -> str:
    """As a manifest names it. Source: RFC 8493, 2.1.3."""
    return path.replace("%", "%25").replace("\n", "%0A").replace("\r", "%0D")


def _line(one: LeftOut, sources: Addresses) -> str:
    build = one.build
    todo = f"It is fetched from {one.address}." if one.address else page_of(build, sources)
    if not one.address and not build.pickup.is_automatic:
        todo = f"{todo} {what_to_do(build)}".strip()
    return f"{' '.join(build.name.split())} {build.version}: {one.why} {todo}".rstrip() + "\n"


MOST_SIGNATURES = 4 * 2**20
"""Bytes of what says who signed: some hundred charters."""


def read_signatures(content: bytes, document: bytes) -> tuple[Signed, list[Signed], dict[str, str]]:
    """The release with its signatures, the charters that came with it, and where its sources were. Raises
    MalformedInput; verifies nothing.
    """
    top = Fields(parsed(content, MOST_SIGNATURES))
    told = {"document": document.decode(errors="replace"), "signatures": top.entries("signatures")}
    where = top.texts("sources") if top.has("sources") else {}
    where = {name: address for name, address in where.items() if is_web(address)}
    charters = [read_signed_data(one) for one in top.entries("charters")]
    return read_signed_data(told, len(document) + 1), charters, where
