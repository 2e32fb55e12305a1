"""Files that somebody dropped in: taken, judged by their table, looked through, and kept for a day.

What becomes of them is `own.make_build`. A small archive is read at once; a large one by a worker, which tells how far
it is.
"""

import re
import time
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import timedelta
from pathlib import Path
from typing import Any

from django.db import connection, transaction
from django.db.models import Sum
from django.utils import timezone

from convoy_core.outside.inspection import ArchiveFolder, Inspection, Member, folders_of, inspect_members, refusals_of
from convoy_core.words.errors import ConvoyError
from convoy_core.words.model import Kind
from convoy_core.words.profile import KindLayout
from convoy_io import archives

from .. import kept_files, receiving
from ..kept_files import StorageAway
from ..people.models import Crew, SiteRules, User
from ..people.rights import NotFound
from ..receiving import CHUNK, TooLarge, Upload, incoming
from . import after
from .drawing import Drawing
from .models import Build, Mod, OwnFile
from .services import shelf

KEPT_UNUSED = timedelta(days=1)
"""How long a dropped file waits for its form to be filled in."""


class NoSuchFile(NotFound):
    """A file of a crew that is not, or no longer, here."""


class StillReading(ConvoyError):
    """A worker has not read all members of a dropped file yet."""

    code = "still-reading"


class NotLookedThrough(ConvoyError):
    """The job that was to read a dropped file failed."""

    code = "not-looked-through"


class CannotBeUsed(ConvoyError):
    """The archive, or what was said about it, makes no build."""

    code = "cannot-be-used"


@dataclass
class Dropped:
    """What a dropped file turned out to be: `build` of the catalogue when its hash is known, else what it holds."""

    name: str
    sha256: str
    size: int
    build: Build | None = None
    members: list[Member] = field(default_factory=list)
    marker: dict[str, Any] = field(default_factory=dict)
    like: Mod | None = None
    """The mod that the marker names."""
    trouble: str = ""
    """Why it cannot be read at all."""
    reading: bool = False
    """Its members are read by a worker; no build is made of it before that is done."""

    kinds: dict[Kind, Inspection] = field(default_factory=dict)
    """What the archive comes to as content of each kind that the game knows."""

    @property
    def folders(self) -> tuple[ArchiveFolder, ...]:
        return folders_of(self.members)

    def doubt(self, layouts: Mapping[Kind, KindLayout]) -> str:
        """Why nobody can tell by its files alone what it is, or which folder is meant: a sentence; empty where one can.

        A marker tells. Without one, anything could be a texture pack.
        """
        marked = {kind: found for kind, found in self.kinds.items() if layouts[kind].marker}
        if not self.kinds or any(found.refusals for found in self.kinds.values()):
            return ""
        if any(found.root is not None for found in marked.values()):
            return ""
        several = next((found for found in marked.values() if found.roots), None)
        if several:
            return f"{several.notes[0]} Say which one is meant."
        markers = sorted({layouts[kind].marker for kind in marked})
        named = f"It holds no {' and no '.join(markers)}, so nothing in it says what it is." if markers else ""
        return f"{named} Say which kind it is, and which of its folders is laid down.".strip()


READ_AT_ONCE = 64 * 2**20
"""Bytes that are hashed while whoever dropped them waits: well under a second."""

TELL_SECONDS = 2
"""Between two tellings of how far a reading is."""


def by_archive(pack: Drawing, hashes: list[str]) -> list[Build]:
    """Builds of the pack's shelf that come in archives of these hashes."""
    found = Build.objects.filter(mod__in=shelf(pack), archive_sha256__in=hashes)
    return list(found.select_related("mod").defer("files"))


def drop(user: User, pack: Drawing, name: str, upload: Upload, at_once: int = READ_AT_ONCE) -> Dropped:
    """Looks through a dropped file. What is not known is kept for a day, so that a build can be made of it.

    Its table is judged here. Its members are read here up to `at_once` bytes, by a worker beyond.
    """
    with incoming(upload, SiteRules.now().upload_mb * CHUNK) as (path, sha256):
        name = re.sub(r"[^\w. ()+-]", "_", name.replace("\\", "/").split("/")[-1])[:200] or "file.zip"
        dropped = Dropped(name, sha256, path.stat().st_size)
        known = by_archive(pack, [sha256])
        if known:
            dropped.build = known[0]
            return dropped
        try:
            _look_through(dropped, pack, path)
        except ConvoyError as error:
            dropped.trouble = error.sentence()
            return dropped
        if not any(found.refusals for found in dropped.kinds.values()):
            _keep_file(user, pack.crew, dropped, path, at_once)
    return dropped


def keep_whole(user: User, pack: Drawing, name: str, sha256: str, path: Path) -> OwnFile:
    """Keeps an archive that lies here already and was checked, and reads all of it at once. Raises CannotBeUsed,
    TooLarge, StorageAway, ArchiveWrong.
    """
    dropped = Dropped(name[:200], sha256, path.stat().st_size)
    _look_through(dropped, pack, path)
    if refused := refusals_of(dropped.members):
        raise CannotBeUsed(f"{name} cannot be used.", f"{refused[0].path}: {refused[0].why}".removeprefix(": "))
    _keep_file(user, pack.crew, dropped, path, at_once=2**62)
    return ready_file(pack, sha256)


MANY = 500
"""Archives that come in one ZIP, or builds that are made at once."""


def drop_many(user: User, pack: Drawing, upload: Upload) -> list[Dropped]:
    """The same for every archive within a ZIP of archives; one that cannot be kept is told in its row.

    Raises ArchiveWrong, TooLarge, CannotBeUsed.
    """
    with incoming(upload, SiteRules.now().crew_mb * CHUNK) as (path, _):
        members = archives.contents(path)
        refused = refusals_of(members)
        if refused:
            raise CannotBeUsed("The ZIP is not read.", f"{refused[0].path}: {refused[0].why}".removeprefix(": "))
        inner = [one for one in members if one.path.lower().endswith(".zip")]
        if not inner or len(inner) > MANY:
            raise CannotBeUsed(
                f"The ZIP holds {len(inner)} archives.", f"1 to {MANY} can come at once.", "Drop others one by one."
            )
        return [_drop_inner(user, pack, path, one, READ_AT_ONCE // len(inner)) for one in inner]


def _drop_inner(user: User, pack: Drawing, path: Path, one: Member, at_once: int) -> Dropped:
    try:
        with archives.opened_member(path, one) as file:
            return drop(user, pack, one.path, Upload(file, one.size), at_once)
    except StorageAway:
        raise
    except ConvoyError as error:
        return Dropped(one.path.rpartition("/")[2][:200], "", one.size, trouble=error.sentence())


def _look_through(dropped: Dropped, pack: Drawing, path: Path) -> None:
    dropped.members = archives.contents(path)
    layouts = pack.game.profile.kinds
    refusals = refusals_of(dropped.members)
    dropped.kinds = {kind: inspect_members(dropped.members, layout, refusals) for kind, layout in layouts.items()}
    for kind, found in dropped.kinds.items():
        marker = layouts[kind].marker
        if found.is_fine and marker:
            dropped.marker = archives.marker_of(path, f"{found.root}{marker}")
            break
    told = dropped.marker.get("id")
    if isinstance(told, str):
        dropped.like = shelf(pack).filter(slug=told[:80]).first()


def _keep_file(user: User, crew: Crew, dropped: Dropped, path: Path, at_once: int) -> None:
    unpacked = sum(member.size for member in dropped.members)
    told = {"name": dropped.name, "size": dropped.size, "by": user, "unpacked": unpacked, "marker": dropped.marker}
    file = _room_for(user, crew, dropped, told)
    try:
        with path.open("rb") as source:
            kept_files.keep(file.place, source, file.sha256)
    except ConvoyError:
        # No row without its file. Where even this comes to nothing, `tidy` finds it.
        if not kept_files.is_kept(file.place):
            file.delete()
        raise
    if file.read_at is None and unpacked <= at_once:
        _read_members(file, path)
    elif file.read_at is None:
        after.look_through_soon(file.pk)
    dropped.reading, dropped.trouble = file.read_at is None, file.trouble


def look_through(file_pk: int) -> None:
    """Reads the members of a file that is kept, and tells how far it is. Raises StorageAway."""
    file = OwnFile.objects.filter(pk=file_pk, read_at=None).first()
    if file:
        with kept_files.as_path(file.place, receiving.folder()) as path:
            _read_members(file, path)


def _read_members(file: OwnFile, path: Path) -> None:
    told_at = time.monotonic()
    try:
        members = archives.contents(path)
        sizes = {member.path: member.size for member in members}
        file.files, file.done = [], 0
        for name, sha256 in archives.hashes(path, members):
            file.files.append([name, sizes[name], sha256])
            file.done += sizes[name]
            if time.monotonic() - told_at > TELL_SECONDS:
                told_at = time.monotonic()
                OwnFile.objects.filter(pk=file.pk).update(done=file.done)
    except archives.ArchiveWrong as error:
        file.files, file.trouble = [], error.sentence()
    file.read_at = timezone.now()
    file.save(update_fields=["files", "done", "trouble", "read_at"])


def dropped_file(pack: Drawing, sha256: str) -> OwnFile:
    """A file that somebody of the pack's crew dropped. Raises NoSuchFile, NotLookedThrough."""
    found = OwnFile.objects.filter(crew=pack.crew_id, sha256=sha256).defer("files")
    file = found.first()
    if file is None:
        raise _not_here()
    if file.read_at is None and not after.is_to_be_looked_through(file.pk):
        file = found.first()  # it may have ended in between
        if file is None or file.read_at is None:
            raise NotLookedThrough("Looking through the file ended in an error.", now="Drop it again.")
    return file


def ready_file(pack: Drawing, sha256: str) -> OwnFile:
    """A dropped file of which a build can be made, locked. Raises NoSuchFile, StillReading, CannotBeUsed."""
    file = OwnFile.objects.select_for_update().filter(crew=pack.crew_id, sha256=sha256).first()
    if file is None:
        raise _not_here()
    if file.read_at is None:
        raise StillReading(f"{file.name} is still being looked through.", now="Wait until that is done.")
    if file.trouble:
        raise CannotBeUsed("The archive cannot be read.", file.trouble, "Drop a whole one.")
    return file


def _not_here() -> NoSuchFile:
    return NoSuchFile("This file is not here any more.", "It waited for a day.", "Drop it again.")


@transaction.atomic
def _room_for(user: User, crew: Crew, dropped: Dropped, told: dict[str, Any]) -> OwnFile:
    """The row of a file that is about to be kept: counted under one lock, so that many at once are all counted."""
    with connection.cursor() as cursor:
        cursor.execute("select pg_advisory_xact_lock(%s)", [ROOM])
    known = OwnFile.objects.filter(crew=crew, sha256=dropped.sha256).first()
    if known:
        return known
    rules = SiteRules.now()
    for whose, kept, most in (
        (f"{crew.name} keeps", OwnFile.objects.filter(crew=crew), rules.crew_mb),
        ("You keep", OwnFile.objects.filter(by=user), rules.account_mb),
        ("This site keeps", OwnFile.objects.all(), rules.site_mb),
    ):
        used = kept.aggregate(all=Sum("size"))["all"] or 0
        if used + dropped.size > most * CHUNK:
            raise TooLarge(
                f"{whose} {used // CHUNK} MB of files already.",
                f"{most} MB is the most.",
                "Ask the site's keeper for more room.",
            )
    return OwnFile.objects.create(crew=crew, sha256=dropped.sha256, **told)


ROOM = 8_460_001
"""Any number that nothing else locks."""


def forget(file: OwnFile) -> None:
    with suppress(FileNotFoundError):
        kept_files.forget(file.place)
    file.delete()


def tidy() -> int:
    """Forgets dropped files of which nobody made a build, and what killed uploads left. Says how many."""
    old = OwnFile.objects.filter(at__lt=timezone.now() - KEPT_UNUSED)
    gone = receiving.sweep() + kept_files.sweep_unfinished(receiving.LEFT_OVER_AFTER)
    for file in old.filter(lasting=False):
        if not Build.objects.filter(mod__crew=file.crew_id, archive_sha256=file.sha256).exists():
            forget(file)
            gone += 1
    return gone
