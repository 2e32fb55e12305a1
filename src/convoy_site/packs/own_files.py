"""A pack's own files: kept by content, composed into one archive that members fetch like any other.

The archive follows from the files alone, so that the same files are the same archive, whoever laid them down and when.
"""

import hashlib
import io
import zipfile
from collections.abc import Mapping
from typing import Any

from django.db import transaction
from django.db.models import Sum
from django.utils import timezone

from convoy_core.outside.inspection import refusals_of
from convoy_core.outside.paths import checked_path
from convoy_core.settings.formats import MAX_BYTES, READERS
from convoy_core.words.errors import ConvoyError
from convoy_io import archives

from .. import kept_files
from ..catalogue.dropping import CannotBeUsed
from ..catalogue.models import OwnFile
from ..people.models import SiteRules, User
from ..receiving import CHUNK, TooLarge, Upload, incoming
from .models import Draft, Pack

MOST_BYTES = 64 * 2**20
"""Of all own files of a pack: they are for settings and small content, and composed while somebody waits."""

STAMP = (2026, 1, 1, 0, 0, 0)


class NoSuchContent(ConvoyError):
    code = "no-such-content"


def take(user: User, pack: Pack, name: str, upload: Upload, unpack: bool) -> dict[str, str]:
    """Keeps a dropped file, or the members of a dropped ZIP, by content: path to sha256. The path of a file is its
    name, of a member its place in the ZIP. Raises TooLarge, CannotBeUsed, HostileArchive, ArchiveWrong.
    """
    with incoming(upload, MOST_BYTES) as (path, _):
        if not unpack:
            return {checked_path(name): keep(user, pack, path.read_bytes(), name)}
        members = [one for one in archives.contents(path) if not one.is_folder]
        if refused := refusals_of(archives.contents(path)):
            raise CannotBeUsed("The ZIP is not read.", f"{refused[0].path}: {refused[0].why}".removeprefix(": "))
        if not members or sum(one.size for one in members) > MOST_BYTES:
            raise CannotBeUsed(
                "The ZIP is not read.", "It holds no file." if not members else f"It unpacks to more than {_mb()} MB."
            )
        found = {}
        for member in members:
            with archives.opened_member(path, member) as file:
                found[checked_path(member.path)] = keep(user, pack, file.read(), member.path)
        return found


def _mb() -> int:
    return MOST_BYTES // 2**20


@transaction.atomic
def keep(user: User, pack: Pack, content: bytes, name: str) -> str:
    """Keeps one content for good; gives its sha256. Raises TooLarge, StorageAway."""
    sha256 = hashlib.sha256(content).hexdigest()
    known = OwnFile.objects.filter(crew=pack.crew, sha256=sha256).first()
    if known is None:
        kept = OwnFile.objects.filter(crew=pack.crew).aggregate(all=Sum("size"))["all"] or 0
        most = SiteRules.now().crew_mb
        if kept + len(content) > most * CHUNK:
            raise TooLarge(
                f"{pack.crew.name} keeps {kept // CHUNK} MB of files already.",
                f"{most} MB is the most.",
                "Ask the site's keeper for more room.",
            )
        known = OwnFile(crew=pack.crew, sha256=sha256, name=name[-200:], size=len(content), by=user, marker={})
        known.read_at = timezone.now()
    known.lasting = True
    known.save()
    kept_files.keep(known.place, content, sha256)
    return sha256


def described(pack: Pack, added: Mapping[str, str]) -> dict[str, dict[str, Any]]:
    """Contents that were kept before, as the draft notes them, by path. Raises NoSuchContent."""
    rows = OwnFile.objects.filter(crew=pack.crew, sha256__in=added.values(), lasting=True).select_related("by")
    kept = {row.sha256: row for row in rows.defer("files")}
    now = timezone.now().isoformat(timespec="seconds")
    if missing := [path for path, sha256 in added.items() if sha256 not in kept]:
        raise NoSuchContent(f"What is to lie at {missing[0]} is not here.", now="Send the file first.")
    return {
        path: {"size": kept[sha256].size, "sha256": sha256, "by": kept[sha256].by.shown, "at": now}
        for path, sha256 in added.items()
    }


def composed(pack: Pack, files: Mapping[str, dict[str, Any]]) -> dict[str, Any]:
    """As `Draft.own_files` has them: the files, and what the archive is that carries them. Raises TooLarge,
    StorageAway.
    """
    if not files:
        return {}
    if sum(one["size"] for one in files.values()) > MOST_BYTES:
        raise TooLarge(f"A pack's own files take at most {_mb()} MB.", now="Make a mod of the large ones.")
    data = _archive(pack, files)
    archive = {"size": len(data), "sha256": hashlib.sha256(data).hexdigest()}
    return {"files": dict(sorted(files.items())), "archive": archive}


def keep_archive(user: User, draft: Draft) -> None:
    """Keeps the archive of a draft's own files, for those who fetch a release: of drafts that are never published none
    is kept. Raises TooLarge, StorageAway.
    """
    if draft.own_files:
        keep(user, draft.pack, archive_of(draft), "own-files.zip")


def archive_of(draft: Draft) -> bytes:
    """The archive that carries a draft's own files. Raises StorageAway."""
    return _archive(draft.pack, draft.own_files["files"])


def _archive(pack: Pack, files: Mapping[str, dict[str, Any]]) -> bytes:
    """Packed without squeezing: another version of the library that squeezes would make another archive of it."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_STORED) as packed:
        for path, one in sorted(files.items()):
            packed.writestr(zipfile.ZipInfo(path, date_time=STAMP), content(pack, one["sha256"]))
    return buffer.getvalue()


def content(pack: Pack, sha256: str) -> bytes:
    """One content of a crew's packs. Raises NoSuchContent, StorageAway."""
    file = OwnFile.objects.filter(crew=pack.crew_id, sha256=sha256, lasting=True).defer("files").first()
    if file is None or not kept_files.is_kept(file.place):
        raise NoSuchContent("This file is not here.", now="Lay it down again.", sha256=sha256)
    return kept_files.read(file.place)


TEXTS = (*READERS, ".txt", ".md", ".csv")


def is_text(path: str) -> bool:
    """Whether a file is one that people edit as text, by its name."""
    return path.lower().endswith(TEXTS)


class NoText(ConvoyError):
    code = "no-text"


def text_of(pack: Pack, sha256: str) -> str:
    """One content as text. Raises NoSuchContent, NoText."""
    data = content(pack, sha256)
    if len(data) > MAX_BYTES:
        raise NoText("This file is too long to be edited here.", now="Edit it elsewhere, and lay it down again.")
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError as error:
        raise NoText("This file is no text.", now="Lay another one down in its place.") from error


def versions_of(pack: Pack, path: str) -> list[dict[str, Any]]:
    """Every content that lay at a path in this draft, the newest first: from its edits."""
    found: list[dict[str, Any]] = []
    for edit in pack.draft.edits.filter(did__has_key="own_files").select_related("by").order_by("-revision")[:200]:
        was, now = ((side or {}).get("files", {}).get(path) for side in edit.did["own_files"])
        if was != now:
            told = now or {"size": 0, "sha256": "", "at": edit.at.isoformat(timespec="seconds")}
            found.append({**told, "by": edit.by.shown, "revision": edit.revision})
    return found


def placed_under(folder: str, taken: Mapping[str, str]) -> dict[str, str]:
    """What was dropped, below a folder of the installation (empty: its top)."""
    top = f"{folder.strip('/')}/" if folder.strip("/") else ""
    return {checked_path(top + path): sha256 for path, sha256 in taken.items()}
