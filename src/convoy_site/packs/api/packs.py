"""Packs, their drafts and edits, and what the checks found."""

from typing import Annotated, Any
from uuid import UUID

from django.db.models import Count, F, OuterRef, Q, QuerySet, Subquery
from ninja import Query, Router

from convoy_core.draft.collections import InEffect
from convoy_core.draft.lines import LineState, state_of
from convoy_core.draft.surprises import effects
from convoy_core.draft.taking_back import next_to_redo, next_to_undo, taken_back
from convoy_core.lock.terms import How
from convoy_core.machine.memory import Weight, demand
from convoy_core.machine.verdict import SHARES
from convoy_core.resolve import needed_by
from convoy_core.words.model import Base, Channel, Kind, Pickup, Reach, Side

from ...catalogue.kept import reach
from ...catalogue.services import BuildRow, ModRow, heard_rows, newer_than
from ...people.models import Membership, Role, User
from ...people.rights import Action, SignedIn
from .. import draft_terms, drafts, services
from ..models import Line, Pack, open_releases
from ..plain_values import plain
from ..shapes.packs import (
    ChangeOut,
    DemandOut,
    DraftOut,
    EditOut,
    EditsIn,
    Group,
    HandStepOut,
    LineOut,
    NamedMod,
    OtherBuildOut,
    OutcomeOut,
    PackChange,
    PackIn,
    PackOut,
    PackRow,
    StayingOut,
    TweakOut,
    TweakSetOut,
    UnsettledOut,
    base_out,
)
from .collections import collections_out, suits_out

router = Router(tags=["packs"])

NOTHING = {"why": "", "core": [], "ways": []}
EDITS_SHOWN = 100
ORDER = {Group.CHOSEN: 0, Group.COLLECTION: 1, Group.BROUGHT_IN: 2}


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


@router.get("/packs/{pack_id}/draft", response=DraftOut, operation_id="draft")
def draft(request: SignedIn, pack_id: UUID) -> DraftOut:
    """Every line of the draft. A fixed number of queries, whatever its length."""
    return _draft_out(request.user, services.pack_for(request.user, pack_id, Action.SEE_DRAFT))


def _draft_out(user: User, pack: Pack) -> DraftOut:
    lines = {line.mod: line for line in drafts.lines_of(pack.draft)}
    under = drafts.taken_under(pack.draft).lines
    wanted = {*lines, *under, *pack.draft.picks}
    near, said = reach(pack, wanted, pack.draft.pk), drafts.sayings_in(pack.draft)
    mods = {slug: near.mods[slug] for slug in wanted if slug in near.mods}
    builds = {slug: heard_rows(said, near.rows[slug]) for slug in mods}
    picked = {
        slug: build
        for slug, version in pack.draft.picks.items()
        for build in builds.get(slug, ())
        if build.version == version
    }
    picks = {slug: build.core for slug, build in picked.items()}
    askers = needed_by(picks)
    kept_for = drafts.kept_for(pack.draft, builds, picks)
    base = drafts.base_of(pack.draft)
    newer = {slug: newer_than(pick, builds[slug], base, picks) for slug, pick in picks.items()}
    rows = [
        _line_out(
            slug,
            pack,
            mods.get(slug),
            lines.get(slug) or under.get(slug),
            picked.get(slug),
            askers.get(slug, []),
            newer.get(slug, ""),
            kept_for.get(slug, []),
            base,
        )
        for slug in wanted
    ]
    place = {mod: one.place for mod, one in under.items()}
    rows.sort(key=lambda row: (ORDER[row.group], row.order, place.get(row.mod, (0, 0)), row.name.casefold()))
    has_build = [row for row in rows if row.version]
    done = services.done_by(user, pack.draft)
    own = draft_terms.own_tweaks(pack.draft)
    holding = [*own, *(tweak for _, tweak in draft_terms.under_tweaks(pack.draft, own))]
    weights = [
        Weight(Kind(mods[slug].kind), build.unpacked, build.archive_size, build.memory)
        for slug, build in picked.items()
    ]
    asked = demand(weights, pack.game.profile.memory)
    return DraftOut(
        revision=pack.draft.revision,
        lines=rows,
        collections=collections_out(user, pack, {slug: mod.name for slug, mod in mods.items()}),
        chosen=sum(row.group is Group.CHOSEN for row in has_build),
        through=sum(row.group is Group.COLLECTION for row in has_build),
        brought_in=sum(row.group is Group.BROUGHT_IN for row in has_build),
        unsettled=sum(row.state is LineState.UNSETTLED for row in rows),
        off=sum(row.state in (LineState.OFF, LineState.KEPT) for row in rows),
        download=sum(row.size for row in has_build),
        errands=sum(row.errand for row in has_build),
        demand=DemandOut(
            minimum=asked.minimum,
            recommended=asked.recommended,
            disk=asked.disk,
            estimated=asked.estimated,
            comfortable_machine=asked.comfortable_machine,
            smallest_machine=asked.smallest_machine,
            shares=SHARES,
        ),
        tweaks=[TweakOut(**{**one, "value": plain(one["value"])}) for one in pack.draft.tweaks],
        holding=len(holding),
        enforced=sum(one.how is How.ENFORCED for one in holding),
        tweak_sets=[TweakSetOut(id=one, **told) for one, told in draft_terms.sets_of(pack.draft).items()],
        steps=[HandStepOut(**one) for one in pack.draft.steps],
        undo=next_to_undo(done),
        redo=next_to_redo(done),
    )


def _line_out(
    slug: str,
    pack: Pack,
    mod: ModRow | None,
    line: Line | InEffect | None,
    build: BuildRow | None,
    askers: list[str],
    newer: str,
    kept_for: list[str],
    base: Base,
) -> LineOut:
    version = pack.draft.picks.get(slug, "")
    theirs = line if isinstance(line, InEffect) else None
    own = line if isinstance(line, Line) else None
    on = own is None or own.on
    verdict = build.core.verdict_on(base) if build and build.core.verdicts else None
    said = own or (theirs.line if theirs else None)
    unsettled = pack.draft.unsettled.get(slug, NOTHING)
    return LineOut(
        mod=slug,
        name=mod.name if mod else slug,
        summary=mod.summary if mod else "",
        kind=Kind(mod.kind) if mod else "",
        group=Group.CHOSEN if own else Group.COLLECTION if theirs else Group.BROUGHT_IN,
        collection=theirs.collection.id if theirs else "",
        state=state_of(on, bool(version)),
        on=on,
        why=unsettled["why"],
        ways=unsettled["ways"],
        version=version,
        channel=Channel(build.channel) if build else "",
        # What a collection fixes moves with the collection.
        newer="" if theirs else newer,
        held=bool(own and own.held_version),
        held_because=own.held_because if own else "",
        order=own.order if own else 0,
        side=Side(build.side) if build else "",
        reach=Reach(build.reach) if build else "",
        size=build.archive_size if build else 0,
        pickup=Pickup(mod.pickup) if mod else "",
        errand=mod is not None and not Pickup(mod.pickup).is_automatic,
        licence=mod.licence if mod else "",
        needed_by=askers,
        kept_for=kept_for,
        optional=said.optional if said else False,
        advice=said.advice if said else "",
        tags=own.tags if own else [],
        note=own.note if own else "",
        updated=mod.updated if mod else None,
        category=mod.category if mod else "",
        verdict=verdict.sentence() if verdict else "",
    )


@router.post("/packs/{pack_id}/draft/edits", response=OutcomeOut, operation_id="edit_draft")
def edit_draft(request: SignedIn, pack_id: UUID, body: EditsIn) -> OutcomeOut:
    outcome = services.edit_draft(request.user, pack_id, body.revision, body.edits, body.rehearse, body.ask)
    told = outcome_out(pack_id, outcome)
    if body.with_draft and outcome.draft is not None:
        told.draft = _draft_out(request.user, outcome.draft.pack)
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
