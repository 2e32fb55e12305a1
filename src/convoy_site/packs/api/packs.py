"""Packs, and the edits of their drafts."""

from typing import Annotated, Any
from uuid import UUID

from django.db.models import Count, F, OuterRef, Q, QuerySet, Subquery
from ninja import Query, Router

from convoy_core.draft.surprises import effects
from convoy_core.draft.taking_back import taken_back

from ...people.models import Membership, Role
from ...people.rights import Action, SignedIn
from .. import drafts, services
from ..models import Pack, open_releases
from ..shapes.packs import (
    ChangeOut,
    EditOut,
    EditsIn,
    NamedMod,
    OtherBuildOut,
    OutcomeOut,
    PackChange,
    PackIn,
    PackOut,
    PackRow,
    StayingOut,
    UnsettledOut,
    base_out,
)
from .collections import suits_out
from .draft_pages import draft_out

router = Router(tags=["packs"])

EDITS_SHOWN = 100


@router.get("/packs", response=list[PackRow], operation_id="packs")
def packs(request: SignedIn) -> list[PackRow]:
    roles = dict(Membership.objects.filter(user=request.user).values_list("crew_id", "role"))
    found = _listed().filter(crew__in=roles).order_by("name")
    return [PackRow(**_row(pack, roles[pack.crew_id])) for pack in found]


def _listed() -> QuerySet[Pack]:
    """Packs with what their rows show: `chosen`, `installed`, and the number of the release that is `open`."""
    aboard = Q(installations__member__memberships__crew=F("crew"))
    its_open = Pack.objects.filter(open_releases(), pk=OuterRef("pk"))
    return Pack.objects.select_related("crew", "game", "draft").annotate(
        chosen=Count("draft__lines", distinct=True),
        installed=Count("installations", filter=aboard, distinct=True),
        open=Subquery(its_open.order_by("-releases__pk").values("releases__number")[:1]),
    )


def _row(pack: Any, role: str) -> dict[str, Any]:
    return {
        "id": pack.id,
        "name": pack.name,
        "emblem": pack.emblem,
        "group": pack.group,
        "crew": pack.crew.name,
        "role": Role.MEMBER if pack.retired_at else role,
        "suits": suits_out(pack),
        "retired": (pack.retired_because or "Nobody said why.") if pack.retired_at else "",
        "base": base_out(pack),
        "chosen": pack.chosen,
        "newest_release": pack.open or "",
        "installations": pack.installed,
    }


@router.post("/packs", response=PackOut, operation_id="start_pack")
def start_pack(request: SignedIn, body: PackIn) -> PackOut:
    suits = (body.suits.games, body.suits.loaders) if body.suits else None
    pack = services.start_pack(request.user, services.NewPack(**{**body.dict(), "suits": suits}))
    return pack_page(request, pack.id)


@router.get("/packs/{pack_id}", response=PackOut, operation_id="pack")
def pack_page(request: SignedIn, pack_id: UUID) -> PackOut:
    services.pack_for(request.user, pack_id, Action.SEE)
    pack = _listed().get(pk=pack_id)
    role = Membership.objects.get(crew=pack.crew, user=request.user).role
    owns = role == Role.OWNER
    return PackOut(
        **_row(pack, role), owner=owns, crew_id=pack.crew_id, notes=pack.notes, revision=pack.draft.revision,
        kept=pack.draft.kept, kept_until=pack.draft.kept_until if pack.draft.is_kept else None,
    )  # fmt: skip


@router.patch("/packs/{pack_id}", response=PackOut, operation_id="describe_pack")
def describe_pack(request: SignedIn, pack_id: UUID, body: PackChange) -> PackOut:
    changed = {name: value for name, value in body.dict(exclude_unset=True).items() if value is not None}
    if body.suits is not None:
        changed["suits"] = (body.suits.games, body.suits.loaders)
    services.describe_pack(request.user, pack_id, **changed)
    return pack_page(request, pack_id)


@router.post("/packs/{pack_id}/draft/edits", response=OutcomeOut, operation_id="edit_draft")
def edit_draft(request: SignedIn, pack_id: UUID, body: EditsIn) -> OutcomeOut:
    outcome = services.edit_draft(request.user, pack_id, body.revision, body.edits, body.rehearse, body.ask)
    told = outcome_out(pack_id, outcome)
    if body.with_draft and outcome.draft is not None:
        told.draft = draft_out(request.user, outcome.draft.pack)
    return told


def outcome_out(pack_id: UUID, outcome: services.Outcome) -> OutcomeOut:
    askers = {mod for mods in outcome.staying.values() for mod in mods}
    spoken = {*outcome.unsettled, *outcome.left_out, *outcome.staying, *askers, *(o.mod for o in outcome.other_builds)}
    names = drafts.names_of(Pack.objects.get(pk=pack_id), spoken)

    def told(lines: dict[str, Any]) -> list[UnsettledOut]:
        return [UnsettledOut(mod=mod, name=names[mod], **one) for mod, one in lines.items()]

    return OutcomeOut(
        revision=outcome.revision,
        sentence=outcome.sentence,
        changes=[ChangeOut(**change.as_data()) for change in outcome.changes],
        unsettled=told(outcome.unsettled),
        left_out=told(outcome.left_out),
        settled_again=outcome.settled_again,
        meanwhile=outcome.meanwhile,
        staying=[
            StayingOut(mod=mod, name=names[mod], for_lines=[NamedMod(mod=one, name=names[one]) for one in lines])
            for mod, lines in outcome.staying.items()
        ],
        other_builds=[
            OtherBuildOut(mod=one.mod, name=names[one.mod], version=one.version, wanted=one.wanted, why=one.why)
            for one in outcome.other_builds
        ],
        effects=effects(outcome.changes, len(outcome.unsettled)),
        more=outcome.more,
        kept=outcome.kept,
    )


@router.get("/packs/{pack_id}/draft/edits", response=list[EditOut], operation_id="edits")
def edits(request: SignedIn, pack_id: UUID, since: Annotated[int, Query(ge=0, lt=2**31)] = 0) -> list[EditOut]:
    """The last hundred edits after a revision, newest first."""
    pack = services.pack_for(request.user, pack_id, Action.SEE_DRAFT)
    found = list(pack.draft.edits.filter(revision__gt=since).select_related("by").defer("did")[:EDITS_SHOWN])
    gone = taken_back([services.as_done(one, request.user) for one in found])
    return [
        EditOut(
            revision=one.revision,
            by=one.by.shown,
            at=one.at,
            sentence=one.sentence,
            subjects=one.subjects,
            mine=one.by_id == request.user.pk,
            takes_back=one.takes_back,
            taken_back=one.revision in gone,
        )
        for one in found
    ]
