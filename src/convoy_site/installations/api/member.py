"""A member's own installations: joining, the page of one, what is asked of it, and its machines."""

from uuid import UUID

from django.conf import settings
from ninja import File, Router, UploadedFile

from convoy_core.words.errors import MalformedInput

from ...packs.plain_values import exact, plain
from ...packs.services import pack_for
from ...people.rights import Action, SignedIn
from ...releases.models import Release
from ...releases.seals import hidden_from
from ...shapes import Done, Short
from .. import agents, beside, choices, joining, orders, reports
from ..brought import bring
from ..models import Installation
from ..own_settings import machines_of
from ..page import all_releases, beside_out, page_of, row_of, shown
from ..shapes.member import (
    AgentFileOut,
    BroughtOut,
    ChoicesIn,
    HoldIn,
    InstallationPage,
    InstallationRow,
    JoinIn,
    MachineOut,
    MachineSettingsOut,
    NamedOut,
    OrderIn,
    PairingOut,
    ToldSettingOut,
)
from ..shapes.own import BesideOut, BesideTakeIn
from ..standings import stand, target_of
from ..veiled import veiled_beside

router = Router(tags=["installations"])


@router.post("/installations", response=InstallationRow, operation_id="join")
def join(request: SignedIn, body: JoinIn) -> InstallationRow:
    made = joining.join(request.user, body.code, body.name, body.side, body.machine)
    hidden = hidden_from(request.user, [made.pack_id])
    return InstallationRow(**row_of(stand([made], all_releases(made))[0], hidden))


@router.get("/installations", response=list[InstallationRow], operation_id="installations")
def installations(request: SignedIn) -> list[InstallationRow]:
    """One's own installations."""
    found = Installation.objects.aboard().filter(member=request.user, by_listing=False)
    mine = list(shown(found.select_related("pack__crew")))
    releases: dict[UUID, list[Release]] = {}
    theirs = Release.objects.filter(pack__in={one.pack_id for one in mine}).select_related("withdrawal")
    for release in theirs.only("number", "sha256", "pack", "channel", "published_at", "withdrawal__at").order_by("-pk"):
        releases.setdefault(release.pack_id, []).append(release)
    hidden = hidden_from(request.user, {one.pack_id for one in mine})
    return [InstallationRow(**row_of(stand([one], releases.get(one.pack_id, []))[0], hidden)) for one in mine]


@router.get("/machines", response=list[MachineOut], operation_id="machines")
def machines(request: SignedIn) -> list[MachineOut]:
    """One's own stand-in machines; none outside the demo."""
    return [MachineOut(slug=one.slug, name=one.name, memory_mb=one.memory_mb) for one in request.user.machines.all()]


@router.get("/packs/{pack_id}/settings/machines", response=list[MachineSettingsOut], operation_id="machine_settings")
def machine_settings(request: SignedIn, pack_id: UUID) -> list[MachineSettingsOut]:
    """What machines that follow a pack have otherwise, of those whose members let it be seen."""
    pack = pack_for(request.user, pack_id, Action.EDIT)
    return [
        MachineSettingsOut(
            installation=told.installation.pk,
            name=told.installation.name,
            member=told.installation.member.shown,
            own=told.installation.member_id == request.user.pk,
            heard_at=told.installation.heard_at,
            rows=[
                ToldSettingOut(
                    path=row["path"],
                    key=row["key"],
                    mine=plain(row["mine"]),
                    was=plain(row["was"]),
                    text=exact(row["mine"]),
                )
                for row in told.rows
            ],
        )
        for told in machines_of(pack)
    ]


@router.get("/installations/{installation_id}", response=InstallationPage, operation_id="installation")
def installation(request: SignedIn, installation_id: UUID) -> InstallationPage:
    return page_of(joining.installation_for(request.user, installation_id))


@router.delete("/installations/{installation_id}", response=Done, operation_id="remove_installation")
def remove(request: SignedIn, installation_id: UUID) -> Done:
    """Takes one's own installation off the list and the roll call. Files on its machine stay as they are."""
    joining.remove(request.user, installation_id)
    return Done()


@router.post("/installations/{installation_id}/pairing", response=PairingOut, operation_id="pairing")
def pairing(request: SignedIn, installation_id: UUID) -> PairingOut:
    made = joining.pairing_command(request.user, installation_id)
    return PairingOut(
        command=made.command,
        code=made.code,
        until=made.until,
        install=agents.install_command(),
        files=[
            AgentFileOut(
                system=one.system,
                version=one.version,
                address=f"{settings.ADDRESS}/agent/{one.name}",
                size=one.size,
                sha256=one.sha256,
            )
            for one in agents.agent_files()
        ],
    )


@router.post("/installations/{installation_id}/orders", response=Done, operation_id="order")
def order(request: SignedIn, installation_id: UUID, body: OrderIn) -> Done:
    """Asks the installation's agent for something. What came of it shows on the page."""
    given = body.dict(exclude={"what"}, exclude_defaults=True)
    if body.what == "step":
        given["done"] = body.done
    orders.ask(request.user, installation_id, body.what, given)
    return Done()


@router.post("/installations/{installation_id}/hold", response=Done, operation_id="hold_sync")
def hold(request: SignedIn, installation_id: UUID, body: HoldIn) -> Done:
    """Pauses, stops, or lets go on what the agent is doing."""
    orders.hold(request.user, installation_id, body.what)
    return Done()


@router.post("/installations/{installation_id}/choices", response=Done, operation_id="choose")
def choose(request: SignedIn, installation_id: UUID, body: ChoicesIn) -> Done:
    choices.choose(request.user, installation_id, choices.MemberChoices(**body.dict()))
    return Done()


@router.get("/installations/{installation_id}/beside", response=list[BesideOut], operation_id="offered_beside")
def offered_beside(request: SignedIn, installation_id: UUID) -> list[BesideOut]:
    """Collections of one's crews that could be taken up beside the pack, each with what it would bring."""
    one = joining.installation_for(request.user, installation_id)
    target = target_of(one, all_releases(one))
    found = beside_out(one, beside.offered(request.user, one, target))
    hidden = hidden_from(request.user, [one.pack_id])
    return veiled_beside(found) if target is not None and target.pk in hidden else found


@router.post("/installations/{installation_id}/beside", response=Done, operation_id="take_beside")
def take_beside(request: SignedIn, installation_id: UUID, body: BesideTakeIn) -> Done:
    if body.collection is not None:
        beside.take_up(request.user, installation_id, body.collection)
    else:
        beside.take_up_by_code(joining.installation_for(request.user, installation_id), body.code)
    return Done()


@router.delete("/installations/{installation_id}/beside/{collection_id}", response=Done, operation_id="leave_beside")
def leave_beside(request: SignedIn, installation_id: UUID, collection_id: UUID) -> Done:
    beside.leave(joining.installation_for(request.user, installation_id), collection_id)
    return Done()


@router.post("/installations/{installation_id}/brought", response=BroughtOut, operation_id="brought")
def brought(request: SignedIn, installation_id: UUID, file: File[UploadedFile]) -> BroughtOut:
    """A dropped file for an errand, on a stand-in machine: put where its agent looks, when it is a wanted one."""
    one = joining.installation_for(request.user, installation_id)
    if one.machine is None:
        raise MalformedInput(
            "Files are not sent through the site.",
            "This installation is on a machine of your own.",
            "Leave the file in your downloads: the agent recognises it there.",
        )
    found = bring(one, target_of(one, all_releases(one)), file)
    if found.last:
        orders.go_on_after_errands(request.user, installation_id)
    return BroughtOut(mod=found.mod, said=found.said)


@router.get("/installations/{installation_id}/known/{sha256}", response=NamedOut, operation_id="known_file")
def known_file(request: SignedIn, installation_id: UUID, sha256: Short) -> NamedOut:
    """Which build a file is that was hashed in the browser."""
    one = joining.installation_for(request.user, installation_id)
    return NamedOut(name=reports.known_archive(one.pack, sha256))
