"""Ways in beside the catalogue: a file that was dropped, and a folder that somebody filled by hand."""

from typing import Annotated
from uuid import UUID

from ninja import Query, Router

from convoy_core.outside.inspection import Inspection
from convoy_core.outside.takeover import Found
from convoy_core.words.errors import ConvoyError
from convoy_core.words.licences import meaning
from convoy_core.words.model import Kind
from convoy_core.words.profile import KindLayout

from ...catalogue import dropping, own
from ...catalogue.models import Build
from ...people.rights import Action, SignedIn
from ...receiving import upload_of
from ...shapes import FILE_BODY, Sha256, Short
from .. import takeover
from ..models import Pack
from ..services import pack_for
from ..shapes.adding import (
    ArchiveFolderOut,
    DroppedOut,
    FoundOut,
    HashesIn,
    KindOut,
    KnownOut,
    LicenceOut,
    MadeOut,
    MadeRowOut,
    OwnBuildIn,
    OwnBuildsIn,
    ReadingOut,
    RefusedOut,
    StrangerOut,
    TakeOverOut,
)

router = Router(tags=["packs"])

TOLD = 200
"""Rows of one list of a folder that are told; the others are counted."""


@router.post("/packs/{pack_id}/known", response=list[KnownOut], operation_id="known_files")
def known_files(request: SignedIn, pack_id: UUID, body: HashesIn) -> list[KnownOut]:
    """Which of some files are archives of the catalogue: asked before a large one is sent for nothing."""
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
    there = set(pack.draft.lines.values_list("mod", flat=True))
    return [_known_out(build, there) for build in dropping.by_archive(pack, body.hashes)]


@router.post("/packs/{pack_id}/files", response=DroppedOut, operation_id="drop_file", openapi_extra=FILE_BODY)
def drop_file(request: SignedIn, pack_id: UUID, name: Annotated[Short, Query()]) -> DroppedOut:
    pack = pack_for(request.user, pack_id, Action.EDIT)
    dropped = dropping.drop(request.user, pack, name, upload_of(request))
    return _dropped_out(pack, [dropped])[0]


@router.post(
    "/packs/{pack_id}/files/many", response=list[DroppedOut], operation_id="drop_many", openapi_extra=FILE_BODY
)
def drop_many(request: SignedIn, pack_id: UUID) -> list[DroppedOut]:
    """Every archive within a ZIP of archives."""
    pack = pack_for(request.user, pack_id, Action.EDIT)
    return _dropped_out(pack, dropping.drop_many(request.user, pack, upload_of(request)))


def _dropped_out(pack: Pack, found: list[dropping.Dropped]) -> list[DroppedOut]:
    there = set(pack.draft.lines.values_list("mod", flat=True))
    ours = [_known_out(build, there) for build in own.builds_of(pack.crew, pack.game_id)]
    return [_one_dropped_out(pack, one, there, ours) for one in found]


def _one_dropped_out(pack: Pack, dropped: dropping.Dropped, there: set[str], ours: list[KnownOut]) -> DroppedOut:
    first = next(iter(dropped.kinds.values()), None)
    return DroppedOut(
        name=dropped.name,
        sha256=dropped.sha256,
        size=dropped.size,
        known=_known_out(dropped.build, there) if dropped.build else None,
        trouble=dropped.trouble,
        refused=[RefusedOut(path=one.path, why=one.why) for one in first.refusals] if first else [],
        files=first.files if first else 0,
        unpacked=first.unpacked if first else 0,
        kinds=[_kind_out(dropped, pack.game.profile.kinds[kind], kind, found) for kind, found in dropped.kinds.items()],
        folders=[ArchiveFolderOut(path=one.path, files=one.files, size=one.size) for one in dropped.folders],
        doubt=dropped.doubt(pack.game.profile.kinds),
        says_id=_said(dropped, "id"),
        says_name=_said(dropped, "name"),
        says_version=_said(dropped, "version"),
        like=dropped.like.name if dropped.like else "",
        own=ours,
        reading=dropped.reading,
    )


@router.get("/packs/{pack_id}/files/{sha256}", response=ReadingOut, operation_id="file_reading")
def file_reading(request: SignedIn, pack_id: UUID, sha256: Sha256) -> ReadingOut:
    pack = pack_for(request.user, pack_id, Action.EDIT)
    file = dropping.dropped_file(pack, sha256)
    return ReadingOut(ready=file.read_at is not None, done=file.done, total=file.unpacked, trouble=file.trouble)


@router.post("/packs/{pack_id}/own-builds/many", response=list[MadeRowOut], operation_id="make_own_builds")
def make_own_builds(request: SignedIn, pack_id: UUID, body: OwnBuildsIn) -> list[MadeRowOut]:
    """Many at once, each by itself: what cannot be made is told in its row, and keeps none of the others back."""
    pack = pack_for(request.user, pack_id, Action.EDIT)
    rows = []
    for one in body.builds:
        try:
            mod = own.make_build(request.user, pack, own.About(**one.dict()))
            rows.append(MadeRowOut(sha256=one.sha256, mod=mod.slug, name=mod.name, trouble=""))
        except ConvoyError as error:
            rows.append(MadeRowOut(sha256=one.sha256, mod="", name=one.name, trouble=error.sentence()))
    return rows


def _said(dropped: dropping.Dropped, field: str) -> str:
    told = dropped.marker.get(field, "")
    return told[:60] if isinstance(told, str) else ""


def _known_out(build: Build, there: set[str]) -> KnownOut:
    mod = build.mod
    return KnownOut(
        sha256=build.archive_sha256, mod=mod.slug, name=mod.name, version=build.version, already=mod.slug in there
    )


def _kind_out(dropped: dropping.Dropped, layout: KindLayout, kind: Kind, found: Inspection) -> KindOut:
    roots = [*found.roots] if layout.marker else ["", *(one.path for one in dropped.folders)]
    return KindOut(
        kind=kind,
        fits=bool(roots) and not found.refusals,
        root=found.root if found.root is None else found.root.rstrip("/"),
        roots=[one.rstrip("/") for one in roots],
        marker=layout.marker,
        left_out=found.left_out,
        notes=list(found.notes),
    )


@router.post("/packs/{pack_id}/own-builds", response=MadeOut, operation_id="make_own_build")
def make_own_build(request: SignedIn, pack_id: UUID, body: OwnBuildIn) -> MadeOut:
    pack = pack_for(request.user, pack_id, Action.EDIT)
    mod = own.make_build(request.user, pack, own.About(**body.dict()))
    return MadeOut(mod=mod.slug, name=mod.name)


@router.get("/licences", response=LicenceOut, operation_id="licence")
def licence(request: SignedIn, text: Annotated[Short, Query()] = "") -> LicenceOut:
    """What a licence lets a crew do."""
    means = meaning(text)
    return LicenceOut(licence=text, passing_on=means.passing_on, sentence=means.sentence)


@router.post("/packs/{pack_id}/draft/folder", response=TakeOverOut, operation_id="read_folder", openapi_extra=FILE_BODY)
def read_folder(request: SignedIn, pack_id: UUID) -> TakeOverOut:
    """What a listing, or a ZIP of a folder, comes to. Changes nothing: the edit `take over` does."""
    pack = pack_for(request.user, pack_id, Action.EDIT)
    read = takeover.propose(pack, upload_of(request))
    taken = read.taken

    def told(rows: list[Found]) -> list[FoundOut]:
        return [
            FoundOut(
                mod=one.mod,
                name=read.mods[one.mod].name,
                version=one.version,
                place=one.place,
                files=one.files,
                altered=list(one.altered[:TOLD]),
                missing=one.missing,
                already=one.mod in read.already,
                comes_along=one.mod in read.along,
                reason=read.reasons[one.mod],
            )
            for one in rows
        ]

    return TakeOverOut(
        found=told(taken.found),
        doubles=told(taken.doubles[:TOLD]),
        remnants=told(taken.remnants[:TOLD]),
        strangers=[StrangerOut(place=one.place, files=one.files, size=one.size) for one in taken.strangers[:TOLD]],
        strangers_in_all=len(taken.strangers),
        left_over=taken.left_over[:TOLD],
        left_over_in_all=len(taken.left_over),
        others=taken.others,
    )
