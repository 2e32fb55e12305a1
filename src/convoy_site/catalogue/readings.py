"""Readings of settings and data files: asked for by hash, made from archives, taken from agents.

What this site itself read at a source that everybody sees is everybody's. What comes from a crew's own files, or from
an agent, is that crew's alone: nobody learns by a hash what another crew's files say, and nobody's agent can lie to
others.
"""

import hashlib
import tempfile
import zipfile
from collections.abc import Collection, Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any
from urllib.parse import urljoin
from uuid import UUID

import httpx
from django.db.models import Q, QuerySet

from convoy_core.outside.archive_root import placements
from convoy_core.outside.patterns import matcher
from convoy_core.settings.formats import MAX_BYTES, format_of
from convoy_core.settings.readings import MOST_BYTES, Reading, as_text, from_text, read_file, reported
from convoy_core.words.errors import ConvoyError, MalformedInput
from convoy_core.words.model import Archive, Kind, Pickup
from convoy_core.words.profile import GameProfile
from convoy_io.zips import opened

from .. import kept_files, receiving
from ..people.models import User
from ..remembered import Remembered
from . import reaching, texts
from .changes import all_versions, row_version
from .drawing import Drawing
from .fetching import NotRead, fetch_archive
from .models import Build, OwnFile
from .models import Reading as ReadingRow

MOST_ARCHIVE = 512 * 2**20
"""Bytes of an archive that is fetched to be read; what is larger stays unread, and is named as such."""

MOST_TEXT = 256 * 2**20
"""Bytes of the files that are read in one: packed well, a small archive holds more than any database should."""

PORTION = 16 * 2**20
"""Bytes of files after which what was read is kept: no archive comes into memory as a whole."""


def known(pack: Drawing, hashes: Collection[str]) -> Mapping[str, Reading]:
    """What a pack's crew may know of these files. The site's own reading goes before an agent's. One query where none
    of them was read anew.
    """
    if not hashes:
        return {}
    mark = _readings(pack, hashes).order_by().values_list(_ALL, flat=True)[0]
    return _known.get((pack.crew_id, frozenset(hashes)), mark, lambda: _read_now(pack, hashes))


_known: Remembered[tuple[UUID | None, frozenset[str]], Mapping[str, Reading]] = Remembered(24)
"""Of drafts that somebody looks at just now."""


def _read_now(pack: Drawing, hashes: Collection[str]) -> Mapping[str, Reading]:
    rows = _readings(pack, hashes).order_by("crew").annotate(row_version=_VERSION)
    told = {sha256: (pk, version) for pk, sha256, version in rows.values_list("pk", "sha256", "row_version")}
    found = {sha256: one for sha256, at in told.items() if (one := _parsed.get(at))}
    if unread := [told[sha256][0] for sha256 in told.keys() - found.keys()]:
        fresh = ReadingRow.objects.filter(pk__any=unread).annotate(row_version=_VERSION)
        for pk, sha256, version, keys, trouble in fresh.values_list("pk", "sha256", "row_version", "keys", "trouble"):
            found[sha256] = _parsed.put((pk, version), keys, trouble)
    return found


def _readings(pack: Drawing, hashes: Collection[str]) -> QuerySet[ReadingRow]:
    """What the pack's crew may know of these files."""
    return ReadingRow.objects.filter(Q(crew=None) | Q(crew=pack.crew_id), sha256__any=hashes)


_VERSION = row_version(ReadingRow._meta.db_table)
_ALL = all_versions(_VERSION, ReadingRow._meta.db_table)


class _Parsed:
    """Readings in memory, by primary key and version of the row."""

    MOST = 50_000_000
    """Characters of their texts, which take five to eight bytes each when parsed: some 400 MB at the very most."""

    def __init__(self) -> None:
        self._found: dict[tuple[int, str], Reading] = {}
        self._size = 0

    def get(self, at: tuple[int, str]) -> Reading | None:
        return self._found.get(at)

    def put(self, at: tuple[int, str], keys: str, trouble: str) -> Reading:
        self._size += len(keys)
        if self._size > self.MOST:
            self._found.clear()
            self._size = len(keys)
        found = self._found[at] = from_text(keys, trouble)
        return found


_parsed = _Parsed()


@dataclass(frozen=True)
class Wanted:
    """Files of one build that are to be read: member to sha256, with the path at which each would lie. `settings`: the
    game's patterns of those that are settings, and whose text is kept.
    """

    build: Build
    files: Mapping[str, tuple[str, str]]
    settings: tuple[str, ...] = ()


def wanted_of(pack: Drawing, builds: Iterable[Build], by_hand: bool = False) -> list[Wanted]:
    """What is readable in these builds and not read yet: of those that a program may fetch, or of the others. Builds
    come with their mod's source; a query for the files of those that come without.
    """
    profile: GameProfile = pack.game.profile
    usable = [one for one in builds if Pickup(one.mod.source.pickup).is_automatic is not by_hand and not one.refused]
    readable = _readable_in(usable, profile)
    found = [Wanted(one, readable[one.pk], profile.settings) for one in usable if readable[one.pk]]
    hashes = {sha256 for one in found for sha256, _ in one.files.values()}
    there = known_hashes(pack, hashes)
    unread = (
        replace(one, files={member: told for member, told in one.files.items() if told[0] not in there})
        for one in found
    )
    return [one for one in unread if one.files]


MOST_READABLE = 50_000
"""Builds of which it is kept in memory what is readable in them: most have nothing."""

_readable: dict[Hashable, dict[str, tuple[str, str]]] = {}


def _readable_in(builds: Sequence[Build], profile: GameProfile) -> dict[int, dict[str, tuple[str, str]]]:
    """`readable_of` by primary key; kept for rows that know their version: a draft is asked after every edit."""
    looked_for = (profile.settings, profile.data)
    keys = {
        one.pk: (one.pk, version, profile.kinds.get(Kind(one.mod.kind)), looked_for)
        for one in builds
        if (version := vars(one).get("row_version"))
    }
    found = {pk: known for pk, key in keys.items() if (known := _readable.get(key)) is not None}
    unknown = [one for one in builds if one.pk not in found]
    bare = {one.pk: one for one in unknown if "files" not in vars(one)}
    for pk, files in Build.objects.filter(pk__in=bare).values_list("pk", "files") if bare else ():
        bare[pk].files = files
    if len(_readable) + len(unknown) > MOST_READABLE:
        _readable.clear()
    for one in unknown:
        found[one.pk] = readable_of(one, profile)
        if one.pk in keys:
            _readable[keys[one.pk]] = found[one.pk]
    return found


def known_hashes(pack: Drawing, hashes: Collection[str]) -> set[str]:
    return set(_readings(pack, hashes).values_list("sha256", flat=True))


def readable_of(build: Build, profile: GameProfile) -> dict[str, tuple[str, str]]:
    """The members of a build that are read key by key, what describes its settings among them: member to sha256 and
    placed path.
    """
    layout = profile.kinds.get(Kind(build.mod.kind))
    patterns = (*profile.settings, *profile.data)
    if layout is None or not patterns:
        return {}
    catches = matcher(patterns)
    sizes = {path: (size, sha256) for path, size, sha256 in build.files}
    if not any(format_of(path) for path in sizes):
        return {}
    try:
        placed = placements(sizes, layout, build.mod.slug, build.root)
    except ConvoyError:
        # A profile that changed may have no place for it any more: nothing of it is laid down, so nothing is read.
        return {}
    schema = str(build.claims.get("settings_schema", ""))
    return {
        member: (sizes[member][1], path)
        for path, member in placed.items()
        if format_of(path) and sizes[member][0] <= MAX_BYTES and (member == schema or catches.fullmatch(path))
    }


def settings_of(build: Build, profile: GameProfile) -> dict[str, str]:
    """The settings files of a build among those that are read: placed path to sha256."""
    catches = matcher(profile.settings) if profile.settings else None
    files = readable_of(build, profile).values()
    return {path: sha256 for sha256, path in files if catches and catches.fullmatch(path)}


def read_build(wanted: Wanted, client: httpx.Client) -> int:
    """Fetches a build's archive to a bounded place, reads what is wanted in it, and keeps that. Gives bytes read.

    Raises NotRead, and what reaching a source raises.
    """
    build = wanted.build
    if build.archive_size > MOST_ARCHIVE:
        raise NotRead(f"{build.archive_name} is larger than {MOST_ARCHIVE // 2**20} MB.")
    sizes = {path: size for path, size, _ in build.files}
    if sum(sizes[member] for member in wanted.files) > MOST_TEXT:
        raise NotRead(f"{build.archive_name} holds more than {MOST_TEXT // 2**20} MB of settings and data.")
    with tempfile.TemporaryDirectory(dir=receiving.folder(), prefix="reading-") as folder:
        path = Path(folder) / "archive.zip"
        _fetch(build, path, client)
        return _read(wanted, path)


def _fetch(build: Build, path: Path, client: httpx.Client) -> None:
    source = build.mod.source
    if source.pickup == Pickup.OURS:
        file = OwnFile.objects.filter(crew=source.crew, sha256=build.archive_sha256).defer("files").first()
        if file is None:
            raise NotRead(f"{build.archive_name} is not kept here any more.")
        with path.open("wb") as out:
            for block in kept_files.blocks(file.place):
                out.write(block)
        return
    base = source.address.rstrip("/") + "/"
    addresses = [urljoin(base, place) for place in (build.url, *build.mirrors) if place]
    fetch_archive(client, addresses, Archive(build.archive_name, build.archive_size, build.archive_sha256), path)


def _read(wanted: Wanted, archive: Path) -> int:
    rows: list[ReadingRow] = []
    shown: list[bytes] = []
    done = held = 0
    crew_id = wanted.build.mod.source.crew_id
    is_settings = matcher(wanted.settings) if wanted.settings else None
    with opened(archive) as packed:
        for member, (sha256, path) in wanted.files.items():
            entry = packed.get(member)
            # What a source lists is its word; the archive's own table says how much would come into memory.
            if entry.size > MAX_BYTES:
                raise NotRead(f"{member} is larger than its source lists.")
            data = b"".join(packed.blocks(entry))
            if hashlib.sha256(data).hexdigest() != sha256:
                raise NotRead(f"{member} is not the file that its source lists.")
            found = read_file(path, data)
            rows.append(ReadingRow(sha256=sha256, crew_id=crew_id, keys=as_text(found), trouble=found.trouble))
            if is_settings and is_settings.fullmatch(path):
                shown.append(data)
            done += len(data)
            if done - held >= PORTION:
                _keep(crew_id, rows, shown)
                rows, shown, held = [], [], done
    _keep(crew_id, rows, shown)
    return done


def _keep(crew_id: UUID | None, rows: list[ReadingRow], shown: list[bytes]) -> None:
    """What was verified file by file: it holds, whatever the rest of the archive is."""
    texts.keep(crew_id, shown)
    ReadingRow.objects.bulk_create(rows, ignore_conflicts=True)


def keep_own(pack: Drawing, path: str, data: bytes) -> None:
    """Reads one of a pack's own files; where it is readable, what it says is kept for the crew."""
    if format_of(path) and len(data) <= MAX_BYTES:
        found = read_file(path, data)
        row = ReadingRow(sha256=hashlib.sha256(data).hexdigest(), crew_id=pack.crew_id, keys=as_text(found))
        row.trouble = found.trouble
        ReadingRow.objects.bulk_create([row], ignore_conflicts=True)
        texts.keep(pack.crew_id, [data])


@dataclass(frozen=True)
class Reported:
    """One file as a member's agent read it."""

    sha256: str
    keys: Any
    trouble: str = ""


def take_reported(pack: Drawing, user: User, wanted: Collection[str], told: Iterable[Reported]) -> int:
    """Readings of what only a member has, from their agent: kept for the crew alone, and only of `wanted` files, by
    sha256. Raises MalformedInput.
    """
    rows = []
    for one in told:
        if one.sha256 not in wanted:
            continue
        text = as_text(Reading() if one.trouble else reported(one.keys))
        if len(text) > MOST_BYTES:
            raise MalformedInput("A reading says more than anybody compares.", field="keys")
        rows.append(ReadingRow(sha256=one.sha256, crew_id=pack.crew_id, keys=text, trouble=one.trouble[:400], by=user))
    ReadingRow.objects.bulk_create(rows, ignore_conflicts=True)
    return len(rows)


def forget_reported(pack: Drawing, user: User, hashes: Collection[str]) -> None:
    """Drops what a member's agent told of files. What is still to be known of them is asked for anew."""
    if hashes:
        ReadingRow.objects.filter(crew=pack.crew_id, by=user, sha256__in=hashes).delete()


def read_all(wanted: Iterable[Wanted], client: httpx.Client | None = None) -> list[str]:
    """Reads builds one after the other; gives a sentence for each that could not be read."""
    troubles = list[str]()
    if not (wanted := list(wanted)):
        # Making a client reads every authority of the system: not for nothing, after every edit.
        return troubles
    with client or reaching.client() as using:
        for one in wanted:
            try:
                read_build(one, using)
            except (ConvoyError, httpx.HTTPError, zipfile.BadZipFile, OSError) as error:
                troubles.append(f"{one.build.mod.name}: {error}")
    return troubles
