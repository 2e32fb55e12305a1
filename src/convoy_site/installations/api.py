"""Joining, the member's page, the roll call, and the line."""

from datetime import datetime
from typing import Literal
from uuid import UUID

from django.http import HttpRequest
from ninja import Router, Schema

from convoy_core.diff import changes
from convoy_core.model import Side
from convoy_core.signing import key_fingerprint

from ..packs.api import ChangeOut
from ..packs.models import Pack
from ..packs.services import pack_for
from ..people.models import Membership, User
from ..people.rights import Action
from ..releases.api import ReleaseRow, release_row
from ..releases.keys import public_key
from ..releases.models import Release
from ..releases.services import pending_changes, recipe_of, releases_of
from ..shapes import Done, Name, Short
from . import services
from .models import Installation

router = Router(tags=["installations"])


class DifferenceOut(Schema):
    name: str
    what: str
    paths: list[str]
    counts: bool
    sentence: str


class StandingOut(Schema):
    """`state` in words; `to_do` is what this machine's person has to do, empty when nothing."""

    state: str
    behind: int
    differences: list[DifferenceOut]
    to_do: str


class ProgressOut(Schema):
    """What the agent is doing: waiting, fetching, placing, stopped. Bytes; `seconds_left` -1 when not known."""

    phase: str = ""
    what: str = ""
    done: int = 0
    total: int = 0
    seconds_left: int = -1
    error: str = ""


class InstallationRow(Schema):
    id: UUID
    name: str
    pack_id: UUID
    pack: str
    emblem: str
    crew: str
    side: str
    release: str
    current: str
    heard_at: datetime | None
    standing: StandingOut
    progress: ProgressOut


class InstallationPage(InstallationRow):
    base: str
    key: str
    fingerprint: str
    wanted_fingerprint: str
    paired: bool
    machine: str
    changes: list[ChangeOut]
    """What the current release has that this installation's has not."""
    releases: list[ReleaseRow]


class JoinIn(Schema):
    code: Short
    name: Name
    side: Literal["player", "server"] = "player"
    machine: Short = ""


class PairingOut(Schema):
    command: str
    code: str
    until: datetime


class SyncIn(Schema):
    extras_aside: bool = False


class MachineOut(Schema):
    slug: str
    name: str
    memory_mb: int


class CalledRow(Schema):
    """One row of the roll call."""

    installation: UUID
    person: str
    name: str
    mine: bool
    side: str
    release: str
    heard_at: datetime | None
    fingerprint: str
    standing: StandingOut
    progress: ProgressOut


class RollCall(Schema):
    """`without` names people of the crew that have no installation of this pack."""

    current: str
    fingerprint: str
    rows: list[CalledRow]
    without: list[str]


class LineMark(Schema):
    number: str
    channel: str
    published_at: datetime
    changes: int


class LinePerson(Schema):
    """Somebody on the line: at which release (empty: none yet), in which state."""

    installation: UUID
    person: str
    initials: str
    name: str
    server: bool
    mine: bool
    release: str
    state: str
    to_do: str


class TheLine(Schema):
    """The line: releases oldest first, the draft's pending changes, and who stands where."""

    marks: list[LineMark]
    pending: int
    people: list[LinePerson]


def _standing_out(standing: services.Standing) -> StandingOut:
    return StandingOut(
        state=standing.state,
        behind=standing.behind,
        to_do=standing.to_do,
        differences=[
            DifferenceOut(
                name=one.name, what=one.what, paths=list(one.paths[:50]), counts=one.counts, sentence=one.sentence()
            )
            for one in standing.differences
        ],
    )


def _row(stood: services.Stood, current: str) -> dict:
    one = stood.installation
    return {
        "id": one.id,
        "name": one.name,
        "pack_id": one.pack_id,
        "pack": one.pack.name,
        "emblem": one.pack.emblem,
        "crew": one.pack.crew.name,
        "side": one.side,
        "release": one.release.number if one.release else "",
        "current": current,
        "heard_at": one.heard_at,
        "standing": _standing_out(stood.standing),
        "progress": ProgressOut(**services.current_progress(one)),
    }


@router.post("/installations", response=InstallationRow, operation_id="join")
def join(request: HttpRequest, body: JoinIn) -> InstallationRow:
    made = services.join(request.user, body.code, body.name, body.side, body.machine)
    releases = list(releases_of(made.pack))
    return InstallationRow(**_row(services.stand(made.pack, [made], releases)[0], releases[0].number))


@router.get("/installations", response=list[InstallationRow], operation_id="installations")
def installations(request: HttpRequest) -> list[InstallationRow]:
    """One's own installations."""
    mine = list(_shown(Installation.objects.filter(member=request.user)))
    releases: dict[UUID, list[Release]] = {}
    for release in (
        Release.objects.filter(pack__in={one.pack_id for one in mine}).only("number", "pack").order_by("-pk")
    ):
        releases.setdefault(release.pack_id, []).append(release)
    rows = []
    for one in mine:
        of_pack = releases.get(one.pack_id, [])
        stood = services.stand(one.pack, [one], of_pack)[0]
        rows.append(InstallationRow(**_row(stood, of_pack[0].number if of_pack else "")))
    return rows


@router.get("/machines", response=list[MachineOut], operation_id="machines")
def machines(request: HttpRequest) -> list[MachineOut]:
    """One's own stand-in machines; none outside the demo."""
    return [MachineOut(slug=one.slug, name=one.name, memory_mb=one.memory_mb) for one in request.user.machines.all()]


@router.get("/installations/{installation_id}", response=InstallationPage, operation_id="installation")
def installation(request: HttpRequest, installation_id: UUID) -> InstallationPage:
    one = services.installation_for(request.user, installation_id)
    releases = list(releases_of(one.pack).select_related("published_by"))
    stood = services.stand(one.pack, [one], releases)[0]
    newest = releases[0] if releases else None
    return InstallationPage(
        **_row(stood, newest.number if newest else ""),
        base=newest.base_text if newest else "",
        key=key_fingerprint(public_key()),
        fingerprint=one.fingerprint,
        wanted_fingerprint=newest.fingerprint if newest else "",
        paired=bool(one.token_hash),
        machine=one.machine.name if one.machine else "",
        changes=_to_come(one, newest),
        releases=[ReleaseRow(**release_row(release)) for release in releases],
    )


def _to_come(one: Installation, newest: Release | None) -> list[ChangeOut]:
    if newest is None or one.release_id == newest.pk:
        return []
    side = Side(one.side)
    before = recipe_of(one.release_id).lock.share(side) if one.release_id else None
    return [ChangeOut(**change.as_data()) for change in changes(before, recipe_of(newest.pk).lock.share(side)).mods]


@router.post("/installations/{installation_id}/pairing", response=PairingOut, operation_id="pairing")
def pairing(request: HttpRequest, installation_id: UUID) -> PairingOut:
    made = services.pairing_command(request.user, installation_id)
    return PairingOut(command=made.command, code=made.code, until=made.until)


@router.post("/installations/{installation_id}/sync", response=Done, operation_id="sync")
def sync(request: HttpRequest, installation_id: UUID, body: SyncIn) -> Done:
    services.start_sync(request.user, installation_id, body.extras_aside)
    return Done()


def _shown(found):
    return found.select_related("pack__crew", "member", "machine", "release").defer(
        "release__document", "release__signature", "release__public_key", "release__changes"
    )


def _called(request: HttpRequest, pack: Pack, releases: list[Release]) -> list[CalledRow]:
    rows = []
    for stood in services.stand(pack, _shown(pack.installations.all()), releases):
        one = stood.installation
        rows.append(
            CalledRow(
                installation=one.id,
                person=one.member.shown,
                name=one.name,
                mine=one.member_id == request.user.pk,
                side=one.side,
                release=one.release.number if one.release else "",
                heard_at=one.heard_at,
                fingerprint=one.fingerprint,
                standing=_standing_out(stood.standing),
                progress=ProgressOut(**services.current_progress(one)),
            )
        )
    return rows


@router.get("/packs/{pack_id}/roll-call", response=RollCall, operation_id="roll_call")
def roll_call(request: HttpRequest, pack_id: UUID) -> RollCall:
    """Everybody against the newest release. A fixed number of queries, whatever the crew's size."""
    pack = pack_for(request.user, pack_id, Action.SEE)
    releases = list(releases_of(pack))
    with_one = pack.installations.values("member")
    without = User.objects.filter(memberships__crew=pack.crew).exclude(pk__in=with_one).order_by("username")
    return RollCall(
        current=releases[0].number if releases else "",
        fingerprint=releases[0].fingerprint if releases else "",
        rows=_called(request, pack, releases),
        without=[user.shown for user in without],
    )


@router.get("/packs/{pack_id}/line", response=TheLine, operation_id="line")
def line(request: HttpRequest, pack_id: UUID) -> TheLine:
    pack = pack_for(request.user, pack_id, Action.SEE)
    releases = list(releases_of(pack))
    people = [
        LinePerson(
            installation=row.installation,
            person=row.person,
            initials="".join(word[0] for word in row.person.split()[:2]).upper(),
            name=row.name,
            server=row.side == "server",
            mine=row.mine,
            release=row.release,
            state=row.standing.state,
            to_do=row.standing.to_do,
        )
        for row in _called(request, pack, releases)
    ]
    marks = [
        LineMark(number=one.number, channel=one.channel, published_at=one.published_at, changes=len(one.changes))
        for one in reversed(releases)
    ]
    return TheLine(marks=marks, pending=len(pending_changes(pack.draft)[0]), people=people)


class Found(Schema):
    """Something the command palette can go to."""

    what: Literal["pack", "person", "installation"]
    name: str
    hint: str
    address: str


@router.get("/find", response=list[Found], operation_id="find")
def find(request: HttpRequest, text: Short) -> list[Found]:
    """Packs, people and own installations by part of their name; at most 8 of each."""
    crews = Membership.objects.filter(user=request.user).values("crew")
    packs = Pack.objects.filter(crew__in=crews, name__icontains=text).select_related("crew")[:8]
    people = Membership.objects.filter(crew__in=crews).select_related("user", "crew")
    people = [one for one in people.order_by("user__username") if text.casefold() in one.user.shown.casefold()][:8]
    mine = Installation.objects.filter(member=request.user, name__icontains=text).select_related("pack")[:8]
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
