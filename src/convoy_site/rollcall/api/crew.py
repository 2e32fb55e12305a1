"""The crew's view: the roll call, the line, departures, comparing by a listing, and finding people and packs."""

from dataclasses import asdict
from typing import Literal
from uuid import UUID

from django.conf import settings
from ninja import File, Form, Router, UploadedFile

from convoy_core.lock.playthroughs import Rule
from convoy_core.lock.recipe import ReleaseChannel
from convoy_core.sync.messages import message
from convoy_core.sync.standing import what_keeps
from convoy_core.words.model import Side

from ...installations import progress
from ...installations.models import Departure, Installation
from ...installations.page import fit_out, shown, standing_out
from ...installations.shapes.member import ProgressOut
from ...installations.standings import Stood, stand
from ...installations.veiled import is_veiled, veiled, veiled_progress
from ...packs.models import Pack
from ...packs.services import pack_for
from ...packs.shapes.packs import ChangeOut
from ...people.models import Membership, User
from ...people.rights import Action, SignedIn
from ...releases.lookup import releases_of
from ...releases.models import Release
from ...releases.pending import pending_of
from ...releases.seals import hidden_from
from ...shapes import Done, Short
from .. import departures, listings, playthroughs
from ..board import figures
from ..listings import TooLong, compare
from ..shapes import (
    BoardOut,
    CalledRow,
    ComingIn,
    DepartureIn,
    DepartureOut,
    Found,
    LinePerson,
    LinePlaythrough,
    RollCall,
    StartedOut,
    StopOut,
    TheLine,
    WaitingOut,
)

BOARD_STOPS = 6
"""Releases of a pack that its line on the board shows."""

router = Router(tags=["crew"])


def _releases(pack: Pack) -> list[Release]:
    return list(releases_of(pack).select_related("withdrawal", "seal"))


def _stood(pack: Pack, releases: list[Release]) -> list[Stood]:
    return stand(shown(pack.installations.aboard()), releases)


def _called(request: SignedIn, pack: Pack, stood: list[Stood], releases: list[Release]) -> list[CalledRow]:
    by_pk = {release.pk: release for release in releases}
    hidden = hidden_from(request.user, [pack.pk])
    rows = []
    for found in stood:
        one, under_way = found.installation, ProgressOut.model_validate(progress.current_progress(found.installation))
        if is_veiled(found, hidden):
            found, under_way = veiled(found), veiled_progress(under_way)
        at = by_pk.get(one.release_id or 0)
        rows.append(
            CalledRow(
                installation=one.id,
                person=one.member.shown,
                name=one.name,
                mine=one.member_id == request.user.pk,
                side=Side(one.side),
                release=one.other_number or (at.number if at else ""),
                target=found.target.number if found.target else "",
                heard_at=one.heard_at,
                fingerprint=one.fingerprint,
                wanted=at.fingerprint if at else "",
                errands=len(one.about.get("errands", ())),
                by_listing=one.by_listing,
                standing=standing_out(found),
                keeps=what_keeps(found.standing, bool(at), len(one.about.get("errands", ()))),
                message=message(
                    one.member.shown.split()[0], pack.name, found.standing, f"{settings.ADDRESS}/installations/{one.id}"
                ),
                fit=fit_out(found),
                progress=under_way,
            )
        )
    return rows


def _current(releases: list[Release]) -> Release | None:
    return next((one for one in releases if one.is_open()), None)


@router.get("/packs/{pack_id}/roll-call", response=RollCall, operation_id="roll_call")
def roll_call(request: SignedIn, pack_id: UUID) -> RollCall:
    """Everybody against the newest release. A fixed number of queries, whatever the crew's size."""
    pack = pack_for(request.user, pack_id, Action.SEE)
    releases = _releases(pack)
    with_one = pack.installations.values("member")
    without = User.objects.filter(memberships__crew=pack.crew).exclude(pk__in=with_one).order_by("username")
    current = _current(releases)
    return RollCall(
        current=current.number if current else "",
        fingerprint=current.fingerprint if current else "",
        rows=_called(request, pack, _stood(pack, releases), releases),
        without=[user.shown for user in without],
    )


@router.get("/packs/{pack_id}/line", response=TheLine, operation_id="line")
def line(request: SignedIn, pack_id: UUID) -> TheLine:
    pack = pack_for(request.user, pack_id, Action.SEE)
    releases = _releases(pack)
    people = [
        LinePerson(
            installation=row.installation,
            person=row.person,
            initials="".join(word[0] for word in row.person.split()[:2]).upper(),
            name=row.name,
            server=row.side == "server",
            mine=row.mine,
            # One that the pack does not have stands nowhere on its line.
            release="" if row.standing.other else row.release,
            state=row.standing.state,
            to_do=row.standing.to_do,
            busy=bool(row.progress.phase) and not row.progress.error,
        )
        for row in _called(request, pack, _stood(pack, releases), releases)
    ]
    stops = [
        StopOut(
            number=one.number,
            channel=ReleaseChannel(one.channel),
            withdrawn=one.is_withdrawn,
            sealed=hasattr(one, "seal") and one.seal.is_closed,
            open=one.is_open(),
            published_at=one.published_at,
            changes=len(one.changes),
        )
        for one in reversed(releases)
    ]
    ahead = pending_of(pack.draft)
    current = _current(releases)
    played = [
        LinePlaythrough(
            id=one.pk,
            name=one.name,
            world=one.world,
            rule=Rule(one.rule),
            begun=one.begun.number,
            last=playthroughs.last_number(one, current),
            open=one.ended_at is None,
        )
        for one in pack.playthroughs.select_related("begun", "last")
    ]
    pending_changes = len(ahead.rows) + ahead.moved.base_moved
    return TheLine(stops=stops, pending=pending_changes, people=people, playthroughs=played)


@router.get("/packs/{pack_id}/board", response=BoardOut, operation_id="board")
def board(request: SignedIn, pack_id: UUID) -> BoardOut:
    """One pack on the evening's board: the end of its line, the next departure, and what is open in it."""
    pack = pack_for(request.user, pack_id, Action.SEE)
    shown = line(request, pack_id)
    found = figures(pack)
    coming = _departures(request, pack)[:1]
    return BoardOut(
        stops=shown.stops[-BOARD_STOPS:],
        pending=shown.pending,
        people=shown.people,
        playthroughs=shown.playthroughs,
        departure=coming[0] if coming else None,
        blockers=found.blockers,
        warnings=found.warnings,
        newer=found.newer,
    )


@router.post("/packs/{pack_id}/listing", response=CalledRow, operation_id="compare_listing")
def compare_listing(
    request: SignedIn, pack_id: UUID, file: File[UploadedFile], side: Form[Literal["player", "server"]] = "player"
) -> CalledRow:
    """Compares a listing of somebody's folder, and keeps it as their row of the roll call. Only names and hashes."""
    pack = pack_for(request.user, pack_id, Action.SEE)
    if (file.size or 0) > listings.MAX_LISTING:
        raise TooLong("This listing is too long.", now="List the game's folder alone.")
    made = compare(request.user, pack, file.read(), side)
    releases = _releases(pack)
    return _called(request, pack, stand([made], releases), releases)[0]


@router.delete("/packs/{pack_id}/listing/{installation_id}", response=Done, operation_id="forget_listing")
def forget_listing(request: SignedIn, pack_id: UUID, installation_id: UUID) -> Done:
    """Takes one's own row by listing out of the roll call again."""
    pack = pack_for(request.user, pack_id, Action.SEE)
    listings.forget_listing(request.user, pack, installation_id)
    return Done()


@router.get("/packs/{pack_id}/departures", response=list[DepartureOut], operation_id="departures")
def coming_up(request: SignedIn, pack_id: UUID) -> list[DepartureOut]:
    """Departures that are still to come, or on; the nearest first."""
    pack = pack_for(request.user, pack_id, Action.SEE)
    return _departures(request, pack)


def _departures(request: SignedIn, pack: Pack) -> list[DepartureOut]:
    found = departures.coming_up(pack)
    if not found:
        return []
    releases = _releases(pack)
    newest = _current(releases)
    stood = _stood(pack, releases)
    crew = list(User.objects.filter(memberships__crew=pack.crew).order_by("username"))
    return [_departure_out(request, one, newest, stood, crew) for one in found]


def _departure_out(
    request: SignedIn, one: Departure, newest: Release | None, stood: list[Stood], crew: list[User]
) -> DepartureOut:
    ready = departures.readiness(one, newest, stood, crew)
    last, changed = departures.since_last_time(one, newest, hidden_from(request.user, [one.pack_id]))
    needed = departures.needed_release(one, newest)
    answers = {answer.user_id: answer.comes for answer in one.answers.all()}
    return DepartureOut(
        id=one.id,
        at=one.at,
        release=one.release.number if one.release and one.release == needed else "",
        needed=needed.number if needed else "",
        note=one.note,
        set_by=one.set_by.shown,
        mine=answers.get(request.user.pk),
        coming=list(ready.coming),
        absent=list(ready.absent),
        silent=list(ready.silent),
        ready=ready.ready,
        waiting=[WaitingOut(who=who, to_do=to_do) for who, to_do in ready.waiting],
        started=[StartedOut(**asdict(each)) for each in departures.started(one, newest, stood)],
        last=last,
        changes=[ChangeOut(**change.as_data()) for change in changed],
    )


@router.post("/packs/{pack_id}/departures", response=list[DepartureOut], operation_id="set_departure")
def set_departure(request: SignedIn, pack_id: UUID, body: DepartureIn) -> list[DepartureOut]:
    departures.set_departure(request.user, pack_id, body.at, body.release, body.note)
    return coming_up(request, pack_id)


@router.post("/packs/{pack_id}/departures/{departure_id}/answer", response=Done, operation_id="answer_departure")
def answer_departure(request: SignedIn, pack_id: UUID, departure_id: UUID, body: ComingIn) -> Done:
    departures.answer(request.user, pack_id, departure_id, body.comes)
    return Done()


@router.put("/packs/{pack_id}/departures/{departure_id}", response=list[DepartureOut], operation_id="move_departure")
def move_departure(request: SignedIn, pack_id: UUID, departure_id: UUID, body: DepartureIn) -> list[DepartureOut]:
    departures.move_departure(request.user, pack_id, departure_id, body.at, body.release, body.note)
    return coming_up(request, pack_id)


@router.delete("/packs/{pack_id}/departures/{departure_id}", response=Done, operation_id="call_off_departure")
def call_off_departure(request: SignedIn, pack_id: UUID, departure_id: UUID) -> Done:
    departures.call_off(request.user, pack_id, departure_id)
    return Done()


@router.get("/find", response=list[Found], operation_id="find")
def find(request: SignedIn, text: Short) -> list[Found]:
    """Packs, people and own installations by part of their name; at most 8 of each."""
    crews = Membership.objects.filter(user=request.user).values("crew")
    packs = Pack.objects.filter(crew__in=crews, name__icontains=text).select_related("crew")[:8]
    aboard = Membership.objects.filter(crew__in=crews).select_related("user", "crew")
    people = [one for one in aboard.order_by("user__username") if text.casefold() in one.user.shown.casefold()][:8]
    mine = Installation.objects.filter(member=request.user, by_listing=False, name__icontains=text).select_related(
        "pack"
    )[:8]
    found = [
        Found(what="pack", name=one.name, hint=one.crew.name, address=f"/packs/{one.id}/assemble") for one in packs
    ]
    found += [
        Found(what="person", name=one.user.shown, hint=f"{one.role}, {one.crew.name}", address=f"/crews/{one.crew_id}")
        for one in people
    ]
    found += [
        Found(what="installation", name=one.name, hint=one.pack.name, address=f"/installations/{one.id}")
        for one in mine
    ]
    return found
