"""A crew's own builds: dropped archives (`dropping`), made part of the crew's shelf.

What a licence lets the crew pass on is kept and handed out here (pickup *ours*); of the rest only the hashes are kept,
and members fetch it from its page (*by hand*).
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone
from django.utils.text import slugify

from convoy_core.handing_out.places import is_web
from convoy_core.lock.lock import LockedBuild
from convoy_core.outside.catalogue import UnreadableEntry, read_catalogue
from convoy_core.words.licences import meaning
from convoy_core.words.model import Base, Kind, Pickup

from .. import kept_files
from ..people.models import Crew, User
from .drawing import Drawing
from .dropping import CannotBeUsed, NoSuchFile, forget, keep_whole, ready_file
from .listed_rows import build_row, keep_mods, summed_up
from .models import Build, Mod, OwnClaim, OwnFile, Source


@dataclass(frozen=True)
class About:
    """What somebody says about a dropped file. `needs`: one mod and range per line; `of`: an own mod it belongs to."""

    sha256: str
    of: str
    name: str
    version: str
    kind: Kind
    licence: str
    page: str
    summary: str
    side: str
    reach: str
    games: str
    loader: str
    needs: str
    touches: str = ""
    """Dotted names of what it changes, one a line."""
    root: str | None = None
    """The folder of the archive that is to be laid down; None: as the rules find it."""


@transaction.atomic
def make_build(user: User, pack: Drawing, about: About) -> Mod:
    """Makes a dropped file one of the crew's own builds. Raises NoSuchFile, StillReading, CannotBeUsed,
    MalformedInput.
    """
    file = ready_file(pack, about.sha256)
    # The same name again is the same mod, whether or not somebody said so: its earlier builds stay.
    of = _own_mod(pack, about.of) if about.of else _own_mods(pack).filter(slug=_slug(pack, about.name)).first()
    licence = of.licence if of else about.licence
    means = meaning(licence)
    if not means.may_be_carried and not about.page and not (of and of.page):
        raise CannotBeUsed(
            "Where members get it is missing.", means.sentence, "Name the page where it is to be had.", field="page"
        )
    if of and of.builds.filter(version=about.version).exists():
        raise CannotBeUsed(
            f"{of.name} {about.version} is here already.", now="Give it another version.", field="version"
        )
    source = _own_source(pack, Pickup.OURS if means.may_be_carried else Pickup.BY_HAND)
    entry = _entry(pack, about, licence, file, of.slug if of else "")
    (listed,) = read_catalogue({"mods": [entry]}, pack.game.profile)
    if isinstance(listed, UnreadableEntry):
        raise CannotBeUsed("What is said about it cannot be used.", listed.why)
    if listed.builds[0].refused:
        raise CannotBeUsed(
            "The archive cannot be used.", listed.builds[0].refused, "Choose another kind.", field="kind"
        )
    if of is None:
        keep_mods(source, [listed])
        mod = Mod.objects.get(game=pack.game_id, crew=pack.crew_id, slug=listed.id)
    else:
        mod = of
        Build.objects.bulk_create([build_row(mod, listed.builds[0])])
        for name, value in summed_up(listed.builds, pack.game.profile).items():
            if isinstance(value, list):
                setattr(mod, name, sorted({*getattr(mod, name), *value}))
            elif name == "updated":
                setattr(mod, name, value)
        mod.save()
    OwnClaim.objects.create(build=mod.builds.get(version=about.version), by=user)
    if not means.may_be_carried:
        forget(file)
    return mod


@transaction.atomic
def adopt(user: User, pack: Drawing, build: LockedBuild, base: Base, root: str, path: Path) -> None:
    """Makes a build that came with a pack one of the crew's own, as its release has it: under its own id, so that its
    files lie where they lay. For what base it was made nobody knows here: it is taken for the pack's.

    Raises CannotBeUsed, TooLarge, StorageAway, ArchiveWrong.
    """
    file = keep_whole(user, pack, build.archive.name, build.archive.sha256, path)
    entry = {
        "id": build.mod,
        "name": build.name,
        "kind": build.kind,
        "licence": build.licence,
        "page": build.page if is_web(build.page) else "",
        "on_removal": build.on_removal,
        "category": "Our own",
        "builds": [
            {
                "version": build.version,
                "channel": build.channel,
                "date": timezone.now().date().isoformat(),
                "games": f"={base.version}",
                "loaders": {base.loader: "*"} if base.loader else {},
                "needs": dict.fromkeys(build.needs, "*"),
                "side": build.side,
                "reach": build.reach,
                "memory_mb": build.memory,
                "url": file.sha256,
                "archive": {"name": build.archive.name, "size": build.archive.size, "sha256": build.archive.sha256},
                "files": [{"path": path, "size": size, "sha256": sha256} for path, size, sha256 in file.files],
                "root": root,
                **build.claims.as_data(),
            }
        ],
    }
    (listed,) = read_catalogue({"mods": [entry]}, pack.game.profile)
    if isinstance(listed, UnreadableEntry):
        raise CannotBeUsed(f"{build.name} cannot be used.", listed.why)
    if listed.builds[0].refused:
        raise CannotBeUsed(f"{build.name} cannot be used.", listed.builds[0].refused)
    mod = _own_mods(pack).filter(slug=build.mod).first()
    if mod is None:
        keep_mods(_own_source(pack, Pickup.OURS), [listed])
    elif not mod.builds.filter(version=build.version).exists():
        Build.objects.bulk_create([build_row(mod, listed.builds[0])])
    # Whoever opened the file brought it: their word for it is their own.
    OwnClaim.objects.get_or_create(
        build=Build.objects.get(mod__in=_own_mods(pack), mod__slug=build.mod, version=build.version),
        defaults={"by": user},
    )


def _own_mods(pack: Drawing) -> QuerySet[Mod]:
    return Mod.objects.filter(crew=pack.crew_id, game=pack.game_id, source__is_own=True)


def _slug(pack: Drawing, name: str) -> str:
    return f"{slugify(name)[:60] or 'own'}.{pack.crew_id.hex[:6]}"


def _own_mod(pack: Drawing, slug: str) -> Mod:
    mod = _own_mods(pack).filter(slug=slug).first()
    if mod is None:
        raise NoSuchFile(f"{pack.crew.name} has no own build called {slug}.")
    return mod


def _entry(pack: Drawing, about: About, licence: str, file: OwnFile, slug: str) -> dict[str, Any]:
    """The dropped file as a source would list it."""
    told = file.marker.get("id")
    known_as = told if isinstance(told, str) and re.fullmatch(r"[a-z0-9][a-z0-9._-]{0,59}", told) else ""
    slug = slug or _slug(pack, about.name)
    # It stands in for what its marker calls it, and never beside that: the game would see the same mod twice.
    stands_in = {"provides": {known_as: about.version}, "breaks": {known_as: "*"}} if known_as not in ("", slug) else {}
    build = {
        "version": about.version,
        "date": timezone.now().date().isoformat(),
        "games": about.games,
        "loaders": {about.loader: "*"} if about.loader else {},
        "needs": _needs(about.needs),
        "side": about.side,
        "reach": about.reach,
        "touches": about.touches.split(),
        "url": file.sha256 if meaning(licence).may_be_carried else "",
        "archive": {"name": file.name, "size": file.size, "sha256": file.sha256},
        "files": [{"path": path, "size": size, "sha256": sha256} for path, size, sha256 in file.files],
        **stands_in,
        **({} if about.root is None else {"root": about.root}),
    }
    return {
        "id": slug,
        "name": about.name,
        "kind": about.kind,
        "summary": about.summary,
        "author": "",
        "category": "Our own",
        "licence": licence,
        "page": about.page,
        "builds": [build],
    }


def _needs(text: str) -> dict[str, str]:
    """`weir-core >=1.3, <2`, one a line."""
    found = {}
    for line in text.splitlines():
        mod, _, wanted = line.strip().partition(" ")
        if mod:
            found[mod] = wanted.strip() or "*"
    return found


def _own_source_id(pack: Drawing, pickup: Pickup) -> str:
    return f"{'ours' if pickup is Pickup.OURS else 'elsewhere'}-{pack.crew_id.hex[:10]}-{pack.game_id}"[:60]


def own_source_id(pack: Drawing) -> str:
    """The source from which the crew hands out what is theirs, made where it is not there yet."""
    wanted = _own_source_id(pack, Pickup.OURS)
    return wanted if Source.objects.filter(pk=wanted).exists() else str(_own_source(pack, Pickup.OURS).pk)


def _own_source(pack: Drawing, pickup: Pickup) -> Source:
    ours = pickup is Pickup.OURS
    source, _ = Source.objects.select_related("game").get_or_create(
        pk=_own_source_id(pack, pickup),
        defaults={
            "name": f"{pack.crew.name}, own builds" if ours else f"Found by {pack.crew.name}",
            "game": pack.game,
            "crew": pack.crew,
            "is_own": True,
            "pickup": pickup,
            "address": "/api/agent/own" if ours else "",
            "read_at": timezone.now(),
        },
    )
    return source


def own_file(crews: Sequence[Crew], sha256: str) -> OwnFile:
    """A file of a crew that some build of theirs names, or that belongs to a pack's own. Raises NoSuchFile."""
    file = OwnFile.objects.filter(crew__in=crews, sha256=sha256).defer("files").first()
    named = Build.objects.filter(mod__crew__in=crews, archive_sha256=sha256, mod__source__pickup=Pickup.OURS)
    if file is None or not (file.lasting or named.exists()) or not kept_files.is_kept(file.place):
        raise NoSuchFile("The crew has no such file.", now="Ask your curator.")
    return file


def builds_of(crew: Crew, game: str) -> list[Build]:
    """The newest of each of a crew's own builds."""
    rows = Build.objects.filter(mod__crew=crew, mod__source__is_own=True, mod__game=game, gone=False)
    return list(
        rows.order_by("mod__name", "mod", "-pk").distinct("mod__name", "mod").select_related("mod").defer("files")
    )
