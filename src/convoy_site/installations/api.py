"""A member's own installations: joining, the page of one, what is asked of it, and its machines."""

from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from django.http import HttpRequest
from ninja import File, Router, Schema, UploadedFile
from pydantic import Field

from convoy_core.diff import change_log
from convoy_core.errands import what_to_do
from convoy_core.errors import MalformedInput
from convoy_core.lock import LockedBuild
from convoy_core.model import AUTOMATIC_PICKUPS
from convoy_core.signing import key_fingerprint

from ..catalogue.models import Source
from ..packs.api import ChangeOut
from ..releases.api import ReleaseRow, release_row
from ..releases.keys import public_key
from ..releases.models import Release
from ..releases.services import recipe_of, releases_of
from ..shapes import Done, Name, Short
from . import asking, services
from .bringing import bring
from .models import Installation
from .standings import Stood, needed_by, share_of, stand, target_of

router = Router(tags=["installations"])


class StrayedOut(Schema):
    path: str
    key: str
    wanted: str
    there: str


class DifferenceOut(Schema):
    """`version` is the build as the release has it, `has` the one that lies there instead, where it is known."""

    name: str
    what: str
    paths: list[str]
    counts: bool
    sentence: str
    version: str
    has: str
    strayed: list[StrayedOut]


class StandingOut(Schema):
    """`state` in words; `to_do` is what this machine's person has to do, empty when nothing; `since` when it began."""

    state: str
    behind: int
    differences: list[DifferenceOut]
    to_do: str
    since: datetime | None


class FitOut(Schema):
    """MB. `figure`: memory to give the game here; `obstacles`: why it cannot run; `remarks`: what is tight."""

    machine: int
    minimum: int
    recommended: int
    figure: int
    disk_free: int
    runtime: str
    runtimes: list[str]
    obstacles: list[str]
    remarks: list[str]
    leave_out: list[str]
    """Optional mods without which memory is no obstacle any more."""


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
    target: str
    heard_at: datetime | None
    standing: StandingOut
    progress: ProgressOut


class WorldOut(Schema):
    sentence: str
    note: str


class PlanOut(Schema):
    """What a sync would do, by the agent's last look. Paths are cut to 200 of a kind; counts are whole."""

    release: str
    place: int
    replace: int
    merge: int
    remove: int
    left_alone: int
    merged: list[str]
    mine: list[str]
    aside: list[str]
    extras: list[str]
    fetch: int
    fetch_bytes: int
    place_bytes: int
    seconds: int
    worlds: list[WorldOut]


class ErrandOut(Schema):
    mod: str
    name: str
    version: str
    file: str
    size: int
    sha256: str
    source: str
    page: str
    pickup: str
    instructions: str


class ChoiceOut(Schema):
    """An optional mod. `memory`: MB that it takes; `fresh`: its member has not been asked about it yet."""

    mod: str
    name: str
    version: str
    advice: str
    size: int
    memory: int
    taken: bool
    fresh: bool


class StepOut(Schema):
    """`seen`: the agent's own check says that it is done."""

    id: str
    text: str
    check: str
    path: str
    done: bool
    seen: bool


class BackupOut(Schema):
    id: str
    made_at: datetime
    why: str
    release: str
    by_hand: bool
    files: int
    size: int


class SettingOut(Schema):
    key: str
    mine: str
    new: str


class NoteOut(Schema):
    """What merging did to one settings file: `kept` is the member's, `overruled` what must match."""

    path: str
    changed: list[str] = []
    kept: list[SettingOut] = []
    overruled: list[SettingOut] = []
    problem: str = ""
    beside: str = ""


class HistoryOut(Schema):
    """One sync that changed something. `id` begins with its date."""

    id: str
    before: str
    release: str
    counts: dict[str, int]
    moved: list[str]
    notes: list[NoteOut]
    backup: str
    undoes: bool


class InstallationPage(InstallationRow):
    base: str
    key: str
    fingerprint: str
    wanted_fingerprint: str
    paired: bool
    machine: str
    watching: bool
    by_listing: bool
    looked_at: str
    """When the plan was made; empty while nobody looked."""
    changes: list[ChangeOut]
    """What the followed release has that this installation's has not."""
    plan: PlanOut | None
    errands: list[ErrandOut]
    errand_minutes: int
    choices: list[ChoiceOut]
    steps: list[StepOut]
    backups: list[BackupOut]
    history: list[HistoryOut]
    undo: str
    """The release that taking the last sync back leads to; empty when there is nothing to take back."""
    fit: FitOut
    releases: list[ReleaseRow]
    stays_at: str
    trial: bool
    line_kb: int
    most_mb: int
    answer: str
    refused: bool


class JoinIn(Schema):
    code: Short
    name: Name
    side: Literal["player", "server"] = "player"
    machine: Short = ""


class PairingOut(Schema):
    """`install` gets the agent onto a machine that has none; empty where the site has none to hand out."""

    command: str
    code: str
    until: datetime
    install: str


class OrderIn(Schema):
    """What is asked of the agent. Which fields count depends on `what`; the agent checks them again."""

    what: Literal["look", "sync", "undo", "back up", "restore", "drop backup", "step", "put back", "leave"]
    extras_aside: bool = False
    only: list[Annotated[str, Field(max_length=300)]] = Field(default=[], max_length=2_000)
    anyway: bool = False
    thorough: bool = False
    backup: Short = ""
    id: Short = ""
    step: Short = ""
    done: bool = True
    keep_all: bool = False


class HoldIn(Schema):
    what: Literal["", "pause", "stop"]


class ChoicesIn(Schema):
    """What is left out stays as it is."""

    stays_at: Short | None = None
    trial: bool | None = None
    left_out: list[Name] | None = Field(default=None, max_length=500)
    asked_about: list[Name] | None = Field(default=None, max_length=500)
    line_kb: Annotated[int, Field(ge=0, lt=2**31)] | None = None
    most_mb: Annotated[int, Field(ge=0, lt=2**31)] | None = None


class BroughtOut(Schema):
    """What a dropped file is: the errand that it does (`mod`), or what else it is, in words."""

    mod: str
    said: str


class MachineOut(Schema):
    slug: str
    name: str
    memory_mb: int


def standing_out(stood: Stood) -> StandingOut:
    found = stood.standing
    return StandingOut(
        state=found.state,
        behind=found.behind,
        to_do=found.to_do,
        since=stood.since,
        differences=[
            DifferenceOut(
                name=one.name,
                what=one.what,
                paths=list(one.paths[:50]),
                counts=one.counts,
                sentence=one.sentence(),
                version=one.version,
                has=one.has,
                strayed=[
                    StrayedOut(path=row.path, key=row.key, wanted=row.wanted, there=row.there) for row in one.strayed
                ],
            )
            for one in found.differences
        ],
    )


def fit_out(stood: Stood) -> FitOut:
    told = stood.installation.about.get("machine", {})
    needed = needed_by(stood.installation, stood.current) if stood.current else None
    return FitOut(
        machine=told.get("memory_mb", 0),
        disk_free=told.get("disk_free", 0),
        runtimes=told.get("runtimes", []),
        minimum=needed.minimum if needed else 0,
        recommended=needed.recommended if needed else 0,
        runtime=needed.runtime if needed else "",
        figure=stood.verdict.figure,
        obstacles=list(stood.verdict.obstacles),
        remarks=list(stood.verdict.remarks),
        leave_out=list(stood.verdict.leave_out),
    )


def _row(stood: Stood) -> dict[str, Any]:
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
        "current": stood.current.number if stood.current else "",
        "target": stood.target.number if stood.target else "",
        "heard_at": one.heard_at,
        "standing": standing_out(stood),
        "progress": ProgressOut(**services.current_progress(one)),
    }


@router.post("/installations", response=InstallationRow, operation_id="join")
def join(request: HttpRequest, body: JoinIn) -> InstallationRow:
    made = services.join(request.user, body.code, body.name, body.side, body.machine)
    return InstallationRow(**_row(stand([made], _releases(made))[0]))


@router.get("/installations", response=list[InstallationRow], operation_id="installations")
def installations(request: HttpRequest) -> list[InstallationRow]:
    """One's own installations."""
    mine = list(shown(Installation.objects.filter(member=request.user, by_listing=False)))
    releases: dict[UUID, list[Release]] = {}
    found = Release.objects.filter(pack__in={one.pack_id for one in mine}).select_related("withdrawal")
    for release in found.only("number", "pack", "channel", "published_at", "withdrawal__at").order_by("-pk"):
        releases.setdefault(release.pack_id, []).append(release)
    return [InstallationRow(**_row(stand([one], releases.get(one.pack_id, []))[0])) for one in mine]


@router.get("/machines", response=list[MachineOut], operation_id="machines")
def machines(request: HttpRequest) -> list[MachineOut]:
    """One's own stand-in machines; none outside the demo."""
    return [MachineOut(slug=one.slug, name=one.name, memory_mb=one.memory_mb) for one in request.user.machines.all()]


@router.get("/installations/{installation_id}", response=InstallationPage, operation_id="installation")
def installation(request: HttpRequest, installation_id: UUID) -> InstallationPage:
    one = services.installation_for(request.user, installation_id)
    releases = _releases(one)
    stood = stand([one], releases)[0]
    target, about = stood.target, one.about
    return InstallationPage(
        **_row(stood),
        base=target.base_text if target else "",
        key=key_fingerprint(public_key()),
        fingerprint=one.fingerprint,
        wanted_fingerprint=target.fingerprint if target else "",
        paired=bool(one.token_hash),
        machine=one.machine.name if one.machine else "",
        watching=asking.is_watching(one),
        by_listing=one.by_listing,
        looked_at=about.get("at", ""),
        changes=_to_come(one, target),
        plan=_plan(about.get("plan"), target),
        errands=_errands(one, target),
        errand_minutes=about.get("errand_minutes", 0),
        choices=_choices(one, target),
        steps=_steps(about.get("steps", []), target),
        backups=[BackupOut(**row) for row in about.get("backups", [])],
        history=[HistoryOut(**row) for row in about.get("history", [])],
        undo=about.get("undo", ""),
        fit=fit_out(stood),
        releases=[ReleaseRow(**release_row(release)) for release in releases],
        stays_at=next((release.number for release in releases if release.pk == one.stays_at_id), ""),
        trial=one.trial,
        line_kb=one.line_kb,
        most_mb=one.most_mb,
        answer=one.answer.get("said", ""),
        refused=bool(one.answer.get("refused")),
    )


def _releases(one: Installation) -> list[Release]:
    return list(releases_of(one.pack).select_related("published_by", "withdrawal"))


def _to_come(one: Installation, target: Release | None) -> list[ChangeOut]:
    if target is None or one.release_id == target.pk:
        return []
    before = share_of(one, recipe_of(one.release_id)) if one.release_id else None
    after = share_of(one, recipe_of(target.pk))
    return [ChangeOut(**row) for row in change_log(before, after)]


def _plan(told: dict[str, Any] | None, target: Release | None) -> PlanOut | None:
    """The agent's plan, while it is one for the release that is followed now."""
    if not told or target is None or told["release"] != target.number:
        return None
    counts = told["counts"]
    kept = {name: value for name, value in told.items() if name != "counts"}
    return PlanOut(**kept, **{name: counts.get(name, 0) for name in ("place", "replace", "merge", "remove")})


def _steps(told: list[dict[str, Any]], target: Release | None) -> list[StepOut]:
    """The followed release's steps, told before its agent has looked; which of them are done is the agent's to say."""
    done = {row["id"]: row for row in told}
    steps = recipe_of(target.pk).lock.terms.steps if target else ()
    return [
        StepOut(
            **step.as_data(),
            done=done.get(step.id, {}).get("done", False),
            seen=done.get(step.id, {}).get("seen", False),
        )
        for step in steps
    ]


def _errands(one: Installation, target: Release | None) -> list[ErrandOut]:
    wanted = set(one.about.get("errands", ()))
    if not wanted or target is None:
        return []
    builds = [
        build
        for build in recipe_of(target.pk).lock.builds
        if build.mod in wanted and build.pickup not in AUTOMATIC_PICKUPS
    ]
    sources = {row.pk: row for row in Source.objects.filter(pk__in={build.source for build in builds})}
    return [_errand(build, sources.get(build.source)) for build in builds]


def _errand(build: LockedBuild, source: Source | None) -> ErrandOut:
    return ErrandOut(
        mod=build.mod,
        name=build.name,
        version=build.version,
        file=build.archive.name,
        size=build.archive.size,
        sha256=build.archive.sha256,
        source=source.name if source else build.source,
        page=f"{source.address.rstrip('/')}/{build.page}" if source else "",
        pickup=build.pickup,
        instructions=what_to_do(build),
    )


def _choices(one: Installation, target: Release | None) -> list[ChoiceOut]:
    if target is None:
        return []
    # Asked of the whole share: what is left out is a choice still.
    share = recipe_of(target.pk).lock.share(services.side_of(one))
    return [
        ChoiceOut(
            mod=build.mod,
            name=build.name,
            version=build.version,
            advice=build.advice,
            size=build.archive.size,
            memory=build.memory,
            taken=build.mod not in one.left_out,
            fresh=build.mod not in one.asked_about,
        )
        for build in share.choices
    ]


@router.delete("/installations/{installation_id}", response=Done, operation_id="remove_installation")
def remove(request: HttpRequest, installation_id: UUID) -> Done:
    """Takes one's own installation off the list and the roll call. Files on its machine stay as they are."""
    services.remove(request.user, installation_id)
    return Done()


@router.post("/installations/{installation_id}/pairing", response=PairingOut, operation_id="pairing")
def pairing(request: HttpRequest, installation_id: UUID) -> PairingOut:
    made = services.pairing_command(request.user, installation_id)
    return PairingOut(command=made.command, code=made.code, until=made.until, install=made.install)


@router.post("/installations/{installation_id}/orders", response=Done, operation_id="order")
def order(request: HttpRequest, installation_id: UUID, body: OrderIn) -> Done:
    """Asks the installation's agent for something. What came of it shows on the page."""
    given = body.dict(exclude={"what"}, exclude_defaults=True)
    if body.what == "step":
        given["done"] = body.done
    asking.ask(request.user, installation_id, body.what, given)
    return Done()


@router.post("/installations/{installation_id}/hold", response=Done, operation_id="hold_sync")
def hold(request: HttpRequest, installation_id: UUID, body: HoldIn) -> Done:
    """Pauses, stops, or lets go on what the agent is doing."""
    asking.hold(request.user, installation_id, body.what)
    return Done()


@router.post("/installations/{installation_id}/choices", response=Done, operation_id="choose")
def choose(request: HttpRequest, installation_id: UUID, body: ChoicesIn) -> Done:
    asking.choose(request.user, installation_id, asking.Choices(**body.dict()))
    return Done()


@router.post("/installations/{installation_id}/brought", response=BroughtOut, operation_id="brought")
def brought(request: HttpRequest, installation_id: UUID, file: File[UploadedFile]) -> BroughtOut:
    """A dropped file for an errand, on a stand-in machine: put where its agent looks, when it is a wanted one."""
    one = services.installation_for(request.user, installation_id)
    if one.machine is None:
        raise MalformedInput(
            "Files are not sent through the site.",
            "This installation is on a machine of your own.",
            "Leave the file in your downloads: the agent recognises it there.",
        )
    found = bring(one, target_of(one, _releases(one)), file)
    if found.last:
        asking.go_on_after_errands(request.user, installation_id)
    return BroughtOut(mod=found.mod, said=found.said)


class NamedOut(Schema):
    """Which build a file is, in words; empty when no source has it."""

    name: str


@router.get("/installations/{installation_id}/known/{sha256}", response=NamedOut, operation_id="known_file")
def known_file(request: HttpRequest, installation_id: UUID, sha256: Short) -> NamedOut:
    """Which build a file is that was hashed in the browser."""
    one = services.installation_for(request.user, installation_id)
    return NamedOut(name=services.known_archive(one.pack, sha256))


def shown(found):
    return found.select_related("pack__crew", "member", "machine", "release").defer(
        "release__document", "release__signature", "release__public_key", "release__changes"
    )
