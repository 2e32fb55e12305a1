"""Playthroughs of a pack, and the last build that keeps their worlds."""

from uuid import UUID

from ninja import Router

from convoy_core.lock.playthroughs import Rule

from ...packs.services import pack_for
from ...people.rights import Action, SignedIn
from ...releases.lookup import current_release
from ...shapes import Done, Short
from .. import playthroughs
from ..shapes import (
    EndPlaythroughIn,
    ExceptionOut,
    KeepsOut,
    MilestoneIn,
    MilestoneOut,
    PassedOut,
    PlaythroughIn,
    PlaythroughOut,
    PlaythroughsOut,
)

router = Router(tags=["crew"])


@router.get("/packs/{pack_id}/playthroughs", response=PlaythroughsOut, operation_id="playthroughs")
def all_playthroughs(request: SignedIn, pack_id: UUID) -> PlaythroughsOut:
    """Open ones first."""
    pack = pack_for(request.user, pack_id, Action.SEE)
    current = current_release(pack)
    return PlaythroughsOut(
        playthroughs=[
            PlaythroughOut(
                id=shown.playthrough.pk,
                name=shown.playthrough.name,
                world=shown.playthrough.world,
                rule=Rule(shown.playthrough.rule),
                note=shown.playthrough.note,
                begun=shown.playthrough.begun.number,
                last=playthroughs.last_number(shown.playthrough, current),
                by=shown.playthrough.by.shown,
                at=shown.playthrough.at,
                ended_at=shown.playthrough.ended_at,
                ended_because=shown.playthrough.ended_because,
                exceptions=[
                    ExceptionOut(release=number, what=told.what, because=told.because)
                    for number, told in shown.exceptions
                ],
                milestones=[
                    MilestoneOut(name=each.name, by=each.by.shown, at=each.at, backed_up=many)
                    for each, many in shown.milestones
                ],
            )
            for shown in playthroughs.of_pack(request.user, pack)
        ],
        worlds=playthroughs.worlds_known(request.user, pack),
    )


@router.post("/packs/{pack_id}/playthroughs", response=PlaythroughsOut, operation_id="open_playthrough")
def open_playthrough(request: SignedIn, pack_id: UUID, body: PlaythroughIn) -> PlaythroughsOut:
    playthroughs.open_playthrough(request.user, pack_id, body.name, body.world, body.rule, body.release, body.note)
    return all_playthroughs(request, pack_id)


@router.post("/packs/{pack_id}/playthroughs/{playthrough_id}/end", response=Done, operation_id="end_playthrough")
def end_playthrough(request: SignedIn, pack_id: UUID, playthrough_id: UUID, body: EndPlaythroughIn) -> Done:
    playthroughs.end_playthrough(request.user, pack_id, playthrough_id, body.because)
    return Done()


@router.post("/packs/{pack_id}/playthroughs/{playthrough_id}/milestones", response=Done, operation_id="reach_milestone")
def reach_milestone(request: SignedIn, pack_id: UUID, playthrough_id: UUID, body: MilestoneIn) -> Done:
    playthroughs.reach_milestone(request.user, pack_id, playthrough_id, body.name)
    return Done()


@router.get("/packs/{pack_id}/draft/keeps/{mod}", response=KeepsOut, operation_id="last_that_keeps")
def last_that_keeps(request: SignedIn, pack_id: UUID, mod: Short) -> KeepsOut:
    """The last build of a mod that keeps the worlds that are played: found by trying each."""
    found = playthroughs.last_that_keeps(request.user, pack_id, mod)
    passed = [PassedOut(version=version, why=why) for version, why in found.passed]
    return KeepsOut(version=found.version, now=found.now, passed=passed)
