"""A draft as its page shows it."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any, NamedTuple
from uuid import UUID

from ninja import Router

from convoy_core.draft.collections import InEffect
from convoy_core.draft.lines import LineState, state_of
from convoy_core.draft.taking_back import next_to_redo, next_to_undo
from convoy_core.lock.terms import How
from convoy_core.machine.memory import Weight, demand
from convoy_core.machine.verdict import SHARES
from convoy_core.resolve import needed_by, why_not
from convoy_core.words.kept import Kept
from convoy_core.words.model import Base, Channel, Kind, Pickup, Reach, Side

from ...catalogue.services import BuildRow, ModRow
from ...people.models import User
from ...people.rights import Action, SignedIn
from ...remembered import Remembered
from .. import draft_terms, drafts, services
from ..drafts import OwnLine
from ..models import Pack
from ..plain_values import plain
from ..shapes.packs import DemandOut, DraftOut, Group, HandStepOut, LineOut, TweakOut, TweakSetOut
from .collections import collections_out

router = Router(tags=["packs"])

NOTHING = {"why": "", "core": [], "ways": []}
ORDER = {Group.CHOSEN: 0, Group.COLLECTION: 1, Group.BROUGHT_IN: 2}


@router.get("/packs/{pack_id}/draft", response=DraftOut, operation_id="draft")
def draft(request: SignedIn, pack_id: UUID) -> DraftOut:
    """Every line of the draft. A fixed number of queries, whatever its length."""
    return draft_out(request.user, services.pack_for(request.user, pack_id, Action.SEE_DRAFT))


@dataclass(frozen=True)
class _Page:
    """What a draft shows whoever looks: without collections, undoing and redoing; `names`: of its mods."""

    shown: DraftOut
    names: Mapping[str, str]


_pages: Remembered[UUID, _Page] = Remembered(24)
"""Of drafts that somebody looks at just now: one who edits makes the page that the others read."""


def draft_out(user: User, pack: Pack) -> DraftOut:
    """Kept until anything changes that it rests on. Never within an edit, whose draft may be taken back."""
    page = _pages.get(pack.pk, drafts.mark_of(pack.draft), lambda: _page(pack))
    done = services.done_by(user, pack.draft)
    own = {
        "collections": collections_out(user, pack, page.names),
        "undo": next_to_undo(done),
        "redo": next_to_redo(done),
    }
    return page.shown.model_copy(update=own)


def _page(pack: Pack) -> _Page:
    lines = {line.mod: line for line in drafts.lines_of(pack.draft)}
    under = drafts.taken_under(pack.draft).lines
    wanted = {*lines, *under, *pack.draft.picks}
    near, said = drafts.near_to(pack.draft, wanted), drafts.sayings_in(pack.draft)
    mods = {slug: near.mods[slug] for slug in wanted if slug in near.mods}
    builds = {slug: near.heard(slug, said) for slug in mods}
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
    newer = {
        slug: next((one.version.text for one in near.newer(pick, said) if not why_not(one, base, picks)), "")
        for slug, pick in picks.items()
    }
    rows = []
    for slug in wanted:
        seen = _Seen(
            slug,
            mods.get(slug),
            lines.get(slug) or under.get(slug),
            pack.draft.picks.get(slug, ""),
            picked.get(slug),
            askers.get(slug, []),
            newer.get(slug, ""),
            kept_for.get(slug, []),
            pack.draft.unsettled.get(slug, NOTHING),
            base,
        )
        rows.append(_rows.get((pack.pk, slug), seen, (), partial(_line_out, seen)))
    place = {mod: one.place for mod, one in under.items()}
    rows.sort(key=lambda row: (ORDER[row.group], row.order, place.get(row.mod, (0, 0)), row.name.casefold()))
    has_build = [row for row in rows if row.version]
    own = draft_terms.own_tweaks(pack.draft)
    holding = [*own, *(tweak for _, tweak in draft_terms.under_tweaks(pack.draft, own))]
    weights = [
        Weight(Kind(mods[slug].kind), build.unpacked, build.archive_size, build.memory)
        for slug, build in picked.items()
    ]
    asked = demand(weights, pack.game.profile.memory)
    shown = DraftOut(
        revision=pack.draft.revision,
        lines=rows,
        collections=[],
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
        undo=None,
        redo=None,
    )
    return _Page(shown, {slug: mod.name for slug, mod in mods.items()})


class _Seen(NamedTuple):
    """All that a line's row rests on."""

    slug: str
    mod: ModRow | None
    line: OwnLine | InEffect | None
    version: str
    build: BuildRow | None
    askers: list[str]
    newer: str
    kept_for: list[str]
    unsettled: dict[str, Any]
    base: Base


_rows = Kept()
"""Of all drafts, by pack and mod: an edit moves few of many."""


def _line_out(seen: _Seen) -> LineOut:
    slug, mod, line, version, build, askers, newer, kept_for, unsettled, base = seen
    theirs = line if isinstance(line, InEffect) else None
    own = line if isinstance(line, OwnLine) else None
    on = own is None or own.on
    verdict = build.core.verdict_on(base) if build and build.core.verdicts else None
    said = own or (theirs.line if theirs else None)
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
