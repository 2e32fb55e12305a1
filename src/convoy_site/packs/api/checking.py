"""Check: findings and ways to mend them, who meets whom, parts, what is set aside, own files."""

from typing import Annotated
from uuid import UUID

from ninja import Query, Router

from convoy_core.checks import Finding, Subject
from convoy_core.lock.lock import OVERLAY
from convoy_core.words.errors import ConvoyError

from ...catalogue import after
from ...people.rights import Action, SignedIn
from ...receiving import upload_of
from ...shapes import FILE_BODY, Sha256, Short
from .. import checking, laying_edits, mending, overlaps, own_files, services
from ..models import Draft
from ..parts import parts_of
from ..services import pack_for
from ..shapes.checking import (
    AsideOut,
    CaughtOut,
    CheckedOut,
    FindingIn,
    FindingOut,
    LaidDownOut,
    LaidIn,
    ListIn,
    MendedOut,
    MendIn,
    MendOut,
    OpenedOut,
    OverlapNode,
    OverlapOut,
    OverlapPair,
    OwnFileOut,
    OwnFilesOut,
    OwnTextIn,
    OwnTextOut,
    OwnVersionOut,
    PairOut,
    PartsOut,
    TriedOut,
    WayOut,
)
from ..shapes.edits import PlaceOwn, SetAside
from ..shapes.packs import OutcomeOut
from .packs import outcome_out

router = Router(tags=["packs"])


@router.get("/packs/{pack_id}/findings", response=CheckedOut, operation_id="findings")
def findings(request: SignedIn, pack_id: UUID) -> CheckedOut:
    """Every finding, gravest first, those that are laid down among them; and whether files are being read."""
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
    seen = checking.checked(pack.draft)
    wanted = seen.subject.to_read
    unread = len(wanted - seen.subject.readings.keys())
    return CheckedOut(
        revision=pack.draft.revision,
        findings=seen.once("findings", lambda: [finding_out(pack.draft, one) for one in seen.findings]),
        reading=after.is_reading_files(str(pack.pk)),
        unread=unread,
        read=len(wanted) - unread,
    )


@router.get("/packs/{pack_id}/finding", response=OpenedOut, operation_id="finding")
def opened(request: SignedIn, pack_id: UUID, asked: Annotated[FindingIn, Query()]) -> OpenedOut:
    """One finding's evidence, and its ways to mend it, not tried yet."""
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
    one = mending.finding_among(checking.checked(pack.draft).findings, asked.finding)
    return OpenedOut(
        evidence=list(one.evidence),
        ways=[WayOut(text=way.text, edits=mending.edits_of(way), is_choice=way.is_choice) for way in one.ways],
    )


def finding_out(draft: Draft, one: Finding) -> FindingOut:
    told = checking.laid_down(draft, one)
    return FindingOut(
        id=one.id,
        mark=one.mark,
        check=one.check,
        severity=one.severity,
        mod="" if one.mod == OVERLAY else one.mod,
        what=one.what,
        why=one.why,
        now=one.now,
        may_be_safe=any(not way.is_choice for way in one.ways),
        pair=list(one.pair or ()),
        laid_down=LaidDownOut(because=told["because"], by=told["by"], at=told["at"]) if told else None,
    )


@router.post("/packs/{pack_id}/findings/read", response=CheckedOut, operation_id="read_files")
def read_files(request: SignedIn, pack_id: UUID) -> CheckedOut:
    """Has the worker read what is not read yet."""
    pack = pack_for(request.user, pack_id, Action.EDIT)
    after.read_files_soon(str(pack.pk))
    return findings(request, pack_id)


@router.post("/packs/{pack_id}/findings/ways", response=list[TriedOut], operation_id="ways")
def ways(request: SignedIn, pack_id: UUID, body: FindingIn) -> list[TriedOut]:
    """The ways to mend one finding, each rehearsed and told in one line. Keeps nothing."""
    return [
        TriedOut(text=one.way.text, line=one.line, mends=one.mends, is_safe=one.is_safe)
        for one in mending.ways_of(request.user, pack_id, body.finding)
    ]


@router.post("/packs/{pack_id}/findings/mend", response=MendOut, operation_id="mend")
def mend(request: SignedIn, pack_id: UUID, body: MendIn) -> MendOut:
    """Mends all that is safe: what changes nothing but what it mends."""
    mended, revision = mending.mend_safe(request.user, pack_id, body.revision, body.rehearse)
    return MendOut(revision=revision, mended=[MendedOut(what=one.what, way=one.way) for one in mended])


@router.get("/packs/{pack_id}/overlap", response=OverlapOut, operation_id="overlap")
def overlap(request: SignedIn, pack_id: UUID) -> OverlapOut:
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
    seen = checking.checked(pack.draft)
    return seen.once("overlap", lambda: _overlap(seen.subject))


def _overlap(subject: Subject) -> OverlapOut:
    pairs = overlaps.overlaps(subject)
    met = {mod for pair in pairs for mod in (pair.one, pair.other)}
    return OverlapOut(
        nodes=[
            OverlapNode(mod=build.mod, name=build.name, order=at, files=len(files))
            for at, (build, files) in enumerate(subject.layers)
            if build.mod in met
        ],
        pairs=[
            OverlapPair(
                one=pair.one,
                other=pair.other,
                paths=len(pair.paths),
                keys=pair.keys,
                lost=pair.lost,
                unread=pair.unread,
                won_by_other=pair.won_by_other,
                decided=pair.decided,
                names=pair.names,
            )
            for pair in pairs
        ],
    )


@router.get("/packs/{pack_id}/overlap/{one}/{other}", response=PairOut, operation_id="overlap_pair")
def overlap_pair(request: SignedIn, pack_id: UUID, one: Short, other: Short) -> PairOut:
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
    return PairOut(**overlaps.side_by_side(checking.checked(pack.draft).subject, one, other))


@router.get("/packs/{pack_id}/parts/{mod}", response=PartsOut, operation_id="parts")
def parts(request: SignedIn, pack_id: UUID, mod: Short) -> PartsOut:
    """Which files of a mod's build the draft lays down, by part and by path."""
    return PartsOut(**parts_of(pack_for(request.user, pack_id, Action.SEE_DRAFT), mod))


@router.get("/packs/{pack_id}/set-aside", response=AsideOut, operation_id="set_aside")
def set_aside(request: SignedIn, pack_id: UUID) -> AsideOut:
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
    return _aside(checking.checked(pack.draft), pack.draft.set_aside)


@router.post("/packs/{pack_id}/set-aside", response=AsideOut, operation_id="try_set_aside")
def try_set_aside(request: SignedIn, pack_id: UUID, body: ListIn) -> AsideOut:
    """What each line of a list would catch. Keeps nothing."""
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
    seen = checking.checked(pack.draft)
    found = _aside(seen, body.text)
    try:
        laying_edits.refuse_aside(pack.draft, SetAside(do="set aside", text=body.text), seen.subject.builds.values())
    except ConvoyError as error:
        found.refused = error.sentence()
    return found


def _aside(seen: checking.Checked, text: str) -> AsideOut:
    lines = [CaughtOut(**row._asdict()) for row in laying_edits.caught(seen.sizes, text)]
    return AsideOut(
        text=text,
        lines=lines,
        files=sum(one.files for one in lines),
        size=sum(one.size for one in lines),
        refused="",
    )


@router.get("/packs/{pack_id}/own-files", response=OwnFilesOut, operation_id="own_files")
def list_own_files(request: SignedIn, pack_id: UUID) -> OwnFilesOut:
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
    files = pack.draft.own_files.get("files", {})
    return OwnFilesOut(
        files=[OwnFileOut(path=path, is_text=own_files.is_text(path), **told) for path, told in files.items()],
        size=sum(one["size"] for one in files.values()),
    )


@router.post("/packs/{pack_id}/own-files", response=OutcomeOut, operation_id="lay_own_files", openapi_extra=FILE_BODY)
def lay_own_files(
    request: SignedIn,
    pack_id: UUID,
    asked: Annotated[LaidIn, Query()],
) -> OutcomeOut:
    """Lays a dropped file, or the members of a dropped ZIP, over everything, below a folder of the installation."""
    pack = pack_for(request.user, pack_id, Action.EDIT)
    taken = own_files.take(request.user, pack, asked.name, upload_of(request), asked.unpack)
    placed = own_files.placed_under(asked.folder, taken)
    return _laid(request, pack_id, asked.revision, PlaceOwn(do="own files", add=placed))


@router.put("/packs/{pack_id}/own-files/text", response=OutcomeOut, operation_id="write_own_file")
def write_own_file(request: SignedIn, pack_id: UUID, body: OwnTextIn) -> OutcomeOut:
    """Writes one of the pack's own files as text: a new one, or an edited one. What was there is kept."""
    pack = pack_for(request.user, pack_id, Action.EDIT)
    sha256 = own_files.keep(request.user, pack, body.text.encode(), body.path)
    return _laid(request, pack_id, body.revision, PlaceOwn(do="own files", add={body.path: sha256}))


def _laid(request: SignedIn, pack_id: UUID, revision: int, edit: PlaceOwn) -> OutcomeOut:
    return outcome_out(pack_id, services.edit_draft(request.user, pack_id, revision, [edit]))


@router.get("/packs/{pack_id}/own-files/text/{sha256}", response=OwnTextOut, operation_id="own_file_text")
def own_file_text(request: SignedIn, pack_id: UUID, sha256: Sha256) -> OwnTextOut:
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
    return OwnTextOut(text=own_files.text_of(pack, sha256))


@router.get("/packs/{pack_id}/own-files/versions", response=list[OwnVersionOut], operation_id="own_file_versions")
def own_file_versions(request: SignedIn, pack_id: UUID, path: Annotated[Short, Query()]) -> list[OwnVersionOut]:
    """Every content that lay at a path, newest first: the way back."""
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
    return [OwnVersionOut(**one) for one in own_files.versions_of(pack, path)]
