"""Releases and their change logs, publishing, and join codes."""

from collections import Counter
from dataclasses import asdict
from typing import Literal
from urllib.parse import quote
from uuid import UUID

from django.http import HttpResponse
from django.utils import timezone
from ninja import File, Router, UploadedFile

from convoy_core.handing_out.announcement import as_markdown
from convoy_core.lock.papers import progress_in
from convoy_core.lock.recipe import ReleaseChannel
from convoy_core.trust import bundle
from convoy_core.trust.signed import LONGEST, read_signed
from convoy_core.trust.signing import key_fingerprint
from convoy_core.words.codes import show_code
from convoy_core.words.model import Side

from ...packs.services import pack_for
from ...packs.shapes.packs import ChangeOut
from ...people.rights import MAY, Action, SignedIn, role_in
from ...people.services import crew_for, owner_of
from ...shapes import Done, Short
from .. import change_logs, changing_hands, changing_keys, charters, join_codes, lookup, seals, services, waiting
from ..handing_out import Form, as_list
from ..keys import own_keys
from ..models import JoinCode
from ..pending import pending_of
from ..shapes import (
    AnnouncementIn,
    AnnouncementOut,
    BuildLog,
    ChangeLogOut,
    CharterOut,
    CodeIn,
    CodeOut,
    DespiteOut,
    DutyOut,
    KeyOut,
    LetInIn,
    LoggedChange,
    MoveIn,
    OpenedCode,
    Pending,
    PromoteIn,
    PublishedOut,
    PublishIn,
    ReleaseOut,
    ReleaseRow,
    ToSignOut,
    UnsignedOut,
    WaitsOut,
    WithdrawIn,
    release_row,
)

router = Router(tags=["releases"])


@router.get("/packs/{pack_id}/releases", response=list[ReleaseRow], operation_id="releases")
def releases(request: SignedIn, pack_id: UUID) -> list[ReleaseRow]:
    """Every release, newest first."""
    pack = pack_for(request.user, pack_id, Action.SEE)
    found = list(lookup.releases_of(pack).select_related("published_by", "withdrawal", "seal"))
    only_one = sum(one.is_open() for one in found) == 1
    hidden = seals.hidden_from(request.user, [pack.pk])
    return [ReleaseRow(**release_row(one, only_one, hidden)) for one in found]


@router.get("/packs/{pack_id}/releases/{number}", response=ReleaseOut, operation_id="release")
def release(request: SignedIn, pack_id: UUID, number: Short) -> ReleaseOut:
    pack = pack_for(request.user, pack_id, Action.SEE)
    found = lookup.release_numbered(pack, number)
    hidden = seals.hidden_from(request.user, [pack.pk])
    row = {**release_row(found, hidden=hidden), "base": found.base_text, "since": lookup.told_against(pack, found)}
    if found.pk in hidden:
        return ReleaseOut(**row, notes="", changes=[], announcement="", announcement_markdown="", let_in=[], despite=[])
    curates = role_in(request.user, pack.crew) in MAY[Action.EDIT]
    sealed = row["sealed_until"] is not None and curates
    return ReleaseOut(
        **row,
        notes=found.notes,
        changes=found.changes,
        announcement=found.announcement,
        announcement_markdown=as_markdown(found.announcement),
        let_in=sorted(one.username for one in found.seal.let_in.all()) if sealed else [],
        despite=[DespiteOut(what=one.what, because=one.because) for one in lookup.recipe_of(found.pk).despite],
    )


@router.put("/packs/{pack_id}/releases/{number}/let-in", response=Done, operation_id="let_in")
def let_in(request: SignedIn, pack_id: UUID, number: Short, body: LetInIn) -> Done:
    """Who sees a sealed release beside its curators."""
    seals.let_in(request.user, pack_id, number, body.people)
    return Done()


@router.get("/packs/{pack_id}/releases/{number}/list/{form}", operation_id="release_list")
def release_list(
    request: SignedIn, pack_id: UUID, number: Short, form: Form, side: Literal["player", "server"] = "player"
) -> HttpResponse:
    """A release as a list: to read, or for another program. `side`: whose share, where it is for one machine."""
    pack = pack_for(request.user, pack_id, Action.SEE)
    seals.refuse_hidden(request.user, pack, [lookup.release_numbered(pack, number)])
    made = as_list(pack, number, form, Side(side))
    reply = HttpResponse(made.content, content_type=f"{made.kind}; charset=utf-8")
    reply["Content-Disposition"] = f"attachment; filename*=UTF-8''{quote(made.name)}"
    return reply


@router.get("/packs/{pack_id}/change-log", response=ChangeLogOut, operation_id="change_log")
def change_log(request: SignedIn, pack_id: UUID, until: Short, since: Short = "") -> ChangeLogOut:
    """All that changed between two releases, whichever came first, with the mods' own change logs."""
    pack = pack_for(request.user, pack_id, Action.SEE)
    found = change_logs.change_log_between(pack, since, until)
    seals.refuse_hidden(request.user, pack, [found.since, found.until])
    return ChangeLogOut(
        since=since,
        until=until,
        base_before=found.since.base_text if found.since else "",
        base=found.until.base_text,
        rows=[
            LoggedChange(
                **row,
                logs=[BuildLog(version=one.version, text=one.text) for one in found.logs.get(row["mod"], ())],
            )
            for row in found.rows
        ],
        worlds=list(found.worlds),
    )


@router.post("/packs/{pack_id}/announcement", response=AnnouncementOut, operation_id="announcement")
def announcement(request: SignedIn, pack_id: UUID, body: AnnouncementIn) -> AnnouncementOut:
    """The announcement as the product writes it for the draft as it is now."""
    text = change_logs.announcement_of_draft(request.user, pack_id, body.number, body.channel, body.notes)
    return AnnouncementOut(text=text)


@router.get("/packs/{pack_id}/pending", response=Pending, operation_id="pending")
def pending(request: SignedIn, pack_id: UUID, channel: ReleaseChannel = ReleaseChannel.STABLE) -> Pending:
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
    found = pending_of(pack.draft, channel)
    newest = lookup.newest_release(pack)
    return Pending(
        revision=pack.draft.revision,
        since=found.before.number if found.before else "",
        suggested=_next_number(newest.number) if newest else "1.0.0",
        nothing=found.nothing,
        empty=not pack.draft.picks,
        trial=found.same.number if found.same else "",
        base_before=found.before.base_text if found.before and found.moved.base_moved else "",
        base=pack.game.profile.base_in_words(found.lock.base),
        changes=[ChangeOut(**row) for row in found.rows],
    )


def _next_number(number: str) -> str:
    """The next middle number: `1.4.2` gives `1.5.0`."""
    parts = [int(part) for part in number.split("-")[0].split(".")]
    if len(parts) == 1:
        return str(parts[0] + 1)
    return ".".join(str(part) for part in (parts[0], parts[1] + 1, *([0] * (len(parts) - 2))))


@router.post("/packs/{pack_id}/releases", response=PublishedOut, operation_id="publish")
def publish(request: SignedIn, pack_id: UUID, body: PublishIn) -> PublishedOut:
    made = services.publish(
        request.user,
        pack_id,
        body.revision,
        body.number,
        body.channel,
        body.notes,
        body.despite,
        body.announcement,
        body.sealed_until,
        body.let_in,
    )
    return PublishedOut(number=body.number, waits=made is None)


@router.post("/packs/{pack_id}/releases/{number}/promotion", response=PublishedOut, operation_id="promote")
def promote(request: SignedIn, pack_id: UUID, number: Short, body: PromoteIn) -> PublishedOut:
    """Makes a trial release stable, with its very lock."""
    made = services.promote(request.user, pack_id, number, body.number, body.notes, body.despite.strip())
    return PublishedOut(number=body.number, waits=made is None)


@router.get("/packs/{pack_id}/to-sign", response=ToSignOut, operation_id="to_sign")
def to_sign(request: SignedIn, pack_id: UUID) -> ToSignOut:
    """What the pack's people have to sign before anybody gets it."""
    found = waiting.to_sign(pack_for(request.user, pack_id, Action.SEE))
    waits = WaitsOut(**asdict(found.waits)) if found.waits else None
    return ToSignOut(waits=waits, older=list(found.older))


@router.get("/packs/{pack_id}/to-sign/file", operation_id="to_sign_file")
def to_sign_file(request: SignedIn, pack_id: UUID) -> HttpResponse:
    """The file that is taken to where the keys are."""
    pack = pack_for(request.user, pack_id, Action.PUBLISH)
    return _as_file(waiting.bundle(pack), "to-sign.json")


@router.post("/packs/{pack_id}/to-sign/file", response=PublishedOut, operation_id="bring_signatures")
def bring_signatures(request: SignedIn, pack_id: UUID, file: File[UploadedFile]) -> PublishedOut:
    """That file, signed. `waits`: more signatures are missing still."""
    made = waiting.bring_signatures(request.user, pack_id, _content(file, bundle.MOST_BYTES))
    return PublishedOut(number=made.number if made else "", waits=made is None)


@router.delete("/packs/{pack_id}/to-sign", response=Done, operation_id="drop_waiting")
def drop_waiting(request: SignedIn, pack_id: UUID) -> Done:
    """Gives up the release that waits for signatures."""
    waiting.drop_waiting(request.user, pack_id)
    return Done()


@router.get("/crews/{crew_id}/charter", response=CharterOut, operation_id="charter")
def charter(request: SignedIn, crew_id: UUID) -> CharterOut:
    """Which keys may sign what for a crew."""
    crew = crew_for(request.user, crew_id, Action.SEE)
    found = charters.newest_charter(crew).charter
    return CharterOut(
        mark=found.mark,
        version=found.version,
        expires=found.expires,
        ends_soon=found.is_over(timezone.now() + charters.TELL_BEFORE),
        duties=[
            DutyOut(
                duty=duty,
                threshold=held.threshold,
                keys=[
                    KeyOut(fingerprint=key_fingerprint(key), public=key.hex(), on_site=key in own_keys())
                    for key in held.keys
                ],
            )
            for duty, held in found.duties.items()
        ],
        unsigned=[
            UnsignedOut(pack=pack.pk, name=pack.name, releases=count)
            for pack, count in Counter(one.pack for one in charters.unsigned_releases(crew, found)).items()
        ],
        may_change=role_in(request.user, crew) in MAY[Action.KEYS],
    )


@router.get("/crews/{crew_id}/charter/file", operation_id="charter_file")
def charter_file(request: SignedIn, crew_id: UUID) -> HttpResponse:
    """The charter as it is signed: what its owner makes the next one from."""
    crew = crew_for(request.user, crew_id, Action.SEE)
    return _as_file(charters.newest_charter(crew).signed.as_bytes(), "charter.json")


@router.post("/crews/{crew_id}/charter/file", response=Done, operation_id="bring_charter")
def bring_charter(request: SignedIn, crew_id: UUID, file: File[UploadedFile]) -> Done:
    """The next charter, signed."""
    crew_for(request.user, crew_id, Action.KEYS)
    changing_keys.take_charter(request.user, crew_id, read_signed(_content(file, LONGEST)))
    return Done()


def _as_file(data: bytes, name: str) -> HttpResponse:
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return HttpResponse(data, content_type="application/json", headers=headers)


def _content(file: UploadedFile, most: int) -> bytes:
    """Read one byte further than may be, so that the reader says what is wrong."""
    return bytes(file.read(most + 1))


@router.post("/packs/{pack_id}/releases/{number}/withdrawal", response=Done, operation_id="withdraw_release")
def withdraw_release(request: SignedIn, pack_id: UUID, number: Short, body: WithdrawIn) -> Done:
    """Nobody is to install this release any more. It stays in the list, with the reason."""
    services.withdraw_release(request.user, pack_id, number, body.why)
    return Done()


@router.post("/packs/{pack_id}/retirement", response=Done, operation_id="retire_pack")
def retire_pack(request: SignedIn, pack_id: UUID, body: WithdrawIn) -> Done:
    changing_hands.retire(request.user, pack_id, body.why)
    return Done()


@router.delete("/packs/{pack_id}/retirement", response=Done, operation_id="bring_pack_back")
def bring_pack_back(request: SignedIn, pack_id: UUID) -> Done:
    changing_hands.bring_back(request.user, pack_id)
    return Done()


@router.put("/packs/{pack_id}/crew", response=Done, operation_id="move_pack")
def move_pack(request: SignedIn, pack_id: UUID, body: MoveIn) -> Done:
    changing_hands.move(request.user, pack_id, body.crew)
    return Done()


@router.get("/packs/{pack_id}/codes", response=list[CodeOut], operation_id="codes")
def codes(request: SignedIn, pack_id: UUID) -> list[CodeOut]:
    pack = pack_for(request.user, pack_id, Action.HAND_OUT)
    return [_code_out(one) for one in pack.codes.select_related("made_by")]


@router.post("/packs/{pack_id}/codes", response=CodeOut, operation_id="make_code")
def make_code(request: SignedIn, pack_id: UUID, body: CodeIn) -> CodeOut:
    return _code_out(join_codes.make_join_code(request.user, pack_id, body.uses))


@router.delete("/packs/{pack_id}/codes/{code}", response=Done, operation_id="withdraw_code")
def withdraw_code(request: SignedIn, pack_id: UUID, code: Short) -> Done:
    join_codes.withdraw_code(request.user, pack_id, code)
    return Done()


def _code_out(code: JoinCode) -> CodeOut:
    return CodeOut(
        code=show_code(code.code),
        made_by=code.made_by.shown,
        made_at=code.made_at,
        uses_left=code.uses_left,
        withdrawn=code.withdrawn_at is not None,
    )


@router.get("/codes/{code}", response=OpenedCode, operation_id="open_code")
def open_code(request: SignedIn, code: Short) -> OpenedCode:
    """What a join code opens, before anything is joined."""
    found = join_codes.open_code(request.user, code)
    current = lookup.current_release(found.pack)
    newest = current or lookup.newest_release(found.pack)
    assert newest is not None
    lock, hidden = lookup.recipe_of(newest.pk).lock, seals.hidden_from(request.user, [found.pack_id])
    return OpenedCode(
        code=show_code(found.code),
        pack=found.pack.name,
        emblem=found.pack.emblem,
        crew=found.pack.crew.name,
        owner=owner_of(found.pack.crew),
        notes=found.pack.notes,
        base=newest.base_text,
        release=current.number if current else "",
        builds=newest.builds,
        download=sum(build.archive.size for build in lock.builds),
        already_in_crew=found.pack.crew.memberships.filter(user=request.user).exists(),
        changes_progress=[] if newest.pk in hidden else [build.name for build in progress_in(lock)],
        is_collection=found.pack.is_collection,
        game=found.pack.game_id,
    )
