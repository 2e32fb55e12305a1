"""The page of one installation, from what its agent told and what its release holds."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from datetime import datetime
from typing import Any
from uuid import UUID

from django.db.models import QuerySet

from convoy_core.lock.beside import Beside
from convoy_core.lock.change_log import change_log
from convoy_core.lock.in_worlds import for_worlds
from convoy_core.lock.lock import Lock, LockedBuild
from convoy_core.lock.worlds import world_changes
from convoy_core.machine.memory import MB
from convoy_core.sync.errands import what_to_do
from convoy_core.sync.next_step import what_a_sync_does
from convoy_core.sync.standing import State
from convoy_core.words.model import Side

from ..catalogue.models import Source
from ..packs.shapes.packs import ChangeOut
from ..releases.charters import marks_of, newest_charter
from ..releases.lookup import recipe_of, releases_of
from ..releases.models import Release
from ..releases.seals import hidden_from
from ..releases.shapes import ReleaseRow, release_row
from . import beside, orders, progress
from .brought import errands_of
from .models import Installation
from .own_settings import offered_sets, own_settings
from .shapes.member import (
    BackupOut,
    ChoiceOut,
    DifferenceOut,
    ErrandOut,
    FitOut,
    HistoryOut,
    HoldsOut,
    InstallationPage,
    PlanOut,
    ProgressOut,
    StandingOut,
    StepOut,
    StrayedOut,
    WorldOut,
)
from .shapes.own import BesideOut, IntoWorldsOut, NotLaidOut, SavedWorldOut
from .standings import Stood, followed, needed_by, share_of, stand
from .veiled import is_veiled, veiled, veiled_page, veiled_progress


def standing_out(stood: Stood) -> StandingOut:
    found = stood.standing
    return StandingOut(
        state=found.state,
        behind=found.behind,
        to_do=found.to_do,
        since=stood.since,
        withdrawn=found.withdrawn,
        other=found.other,
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
    wanted = stood.current or stood.target
    needed = needed_by(stood.installation, wanted) if wanted else None
    return FitOut(
        machine=told.get("memory_mb", 0),
        disk_free=told.get("disk_free", 0),
        runtimes=told.get("runtimes", []),
        minimum=needed.minimum if needed else 0,
        recommended=needed.recommended if needed else 0,
        runtime=needed.runtime if needed else "",
        figure=stood.verdict.figure,
        ceiling=stood.verdict.ceiling,
        over=stood.verdict.over,
        obstacles=[one.what for one in stood.verdict.obstacles],
        remarks=list(stood.verdict.remarks),
        leave_out=list(stood.verdict.leave_out),
    )


def row_of(stood: Stood, hidden: Collection[int] = ()) -> dict[str, Any]:
    """`hidden`: releases, by key, of which its member is not shown what is in them."""
    one, under_way = stood.installation, ProgressOut.model_validate(progress.current_progress(stood.installation))
    if is_veiled(stood, hidden):
        stood, under_way = veiled(stood), veiled_progress(under_way)
    return {
        "id": one.id,
        "name": one.name,
        "pack_id": one.pack_id,
        "pack": one.pack.name,
        "emblem": one.pack.emblem,
        "crew": one.pack.crew.name,
        "side": one.side,
        "release": one.other_number or (one.release.number if one.release else ""),
        "current": stood.current.number if stood.current else "",
        "target": stood.target.number if stood.target else "",
        "heard_at": one.heard_at,
        "standing": standing_out(stood),
        "progress": under_way,
    }


def page_of(one: Installation) -> InstallationPage:
    """All that the page of one installation shows."""
    releases, holds = all_releases(one), one.holds
    most = holds["most_mb"].value
    stood = stand([one], releases, {one.pk: holds["memory_share"].value})[0]
    target, about = stood.target, one.about
    hidden = hidden_from(one.member, [one.pack_id])
    changes, plan = _to_come(one, target), _plan(_told_plan(one, target))
    rows = beside.rows_of(one, target)
    whole = beside.composed(one, target, rows) if target else None
    own = [build for each in rows if each.own for build in each.own.lock.builds]
    page = InstallationPage(
        **row_of(stood, hidden),
        base=target.base_text if target else "",
        key=newest_charter(one.pack.crew).charter.mark,
        fingerprint=one.fingerprint,
        wanted_fingerprint=target.fingerprint if target else "",
        paired=bool(one.token_hash),
        machine=one.machine.name if one.machine else "",
        watching=orders.is_watching(one),
        by_listing=one.by_listing,
        looked_at=about.get("at", ""),
        changes=changes,
        worlds=_worlds(one, target),
        plan=plan,
        errands=_errands(one, target, own),
        errand_minutes=about.get("errand_minutes", 0),
        choices=_choices(one, target, rows),
        beside=beside_out(one, [(each, whole) for each in rows]),
        worlds_here=[row["world"] for row in about.get("worlds", ())],
        saved=[SavedWorldOut(**row) for row in about.get("worlds", ())],
        into_worlds=_into_worlds(one, target),
        tells_settings=one.tells_settings,
        settings=own_settings(one, target),
        offered=offered_sets(one, target),
        steps=_steps(about.get("steps", []), whole.lock if whole else None),
        backups=[BackupOut(**row) for row in about.get("backups", [])],
        history=[HistoryOut(**row) for row in about.get("history", [])],
        undo=_undo(one, releases),
        had_before=about.get("had_before", 0),
        remarks=about.get("remarks", []),
        fit=fit_out(veiled(stood) if is_veiled(stood, hidden) else stood),
        releases=[ReleaseRow(**release_row(release, hidden=hidden)) for release in releases],
        sealed_until=_sealed_until(target, hidden),
        sync_does=_sync_does(stood, bool(changes) or _moves(plan)),
        over_limit=bool(most and plan and plan.fetch_bytes > most * MB),
        stays_at=stood.stays_at,
        trial=one.trial,
        holds={name: HoldsOut(value=told.value, source=told.source) for name, told in holds.items()},
        answer=one.answer.get("said", ""),
        refused=bool(one.answer.get("refused")),
    )
    return veiled_page(page, _known_steps(one, rows, hidden)) if is_veiled(stood, hidden) else page


def _known_steps(one: Installation, rows: Iterable[beside.Row], hidden: Collection[int]) -> set[str]:
    """Words of steps that are no secret: of the release that lies there, and of one's own collections."""
    own = {step.text for row in rows if row.own for step in row.own.lock.terms.steps}
    if not one.release_id or one.release_id in hidden:
        return own
    return own | {step.text for step in recipe_of(one.release_id).lock.terms.steps}


def _sealed_until(target: Release | None, hidden: Collection[int]) -> datetime | None:
    return target.seal.until if target is not None and target.pk in hidden else None


def _moves(plan: PlanOut | None) -> bool:
    return plan is not None and plan.place + plan.replace + plan.merge + plan.adjust + plan.remove > 0


def _sync_does(stood: Stood, has_changes: bool) -> str:
    one, target = stood.installation, stood.target
    if target is None:
        return ""
    has = one.release.number if one.release else ""
    # Releases are kept in the order in which they were published.
    is_earlier = one.release_id is not None and target.pk < one.release_id
    return what_a_sync_does(has, target.number, is_earlier, stood.standing.state is State.DIFFERS, has_changes)


def _undo(one: Installation, releases: list[Release]) -> str:
    """The release that taking the last sync back leads to; empty where that is not handed out any more."""
    number = one.about.get("undo", "")
    had = [release.number for release in releases if release.pk == one.release_id]
    return number if number in had or number in [each.number for each in followed(one, releases)] else ""


def all_releases(one: Installation) -> list[Release]:
    return list(releases_of(one.pack).select_related("published_by", "withdrawal", "seal"))


def _to_come(one: Installation, target: Release | None) -> list[ChangeOut]:
    if target is None or one.release_id == target.pk:
        return []
    before = share_of(one, recipe_of(one.release_id)) if one.release_id else None
    after = share_of(one, recipe_of(target.pk))
    return [ChangeOut(**row) for row in change_log(before, after)]


def _worlds(one: Installation, target: Release | None) -> list[WorldOut]:
    """As the agent's plan has it, which knows of worlds that lie there; before it has looked, by the two releases."""
    if told := _told_plan(one, target):
        return [WorldOut(**row) for row in told["worlds"]]
    if target is None or not one.release_id or one.release_id == target.pk:
        return []
    found = world_changes(share_of(one, recipe_of(one.release_id)), share_of(one, recipe_of(target.pk)))
    return [WorldOut(sentence=each.sentence, note=each.note) for each in found]


def _told_plan(one: Installation, target: Release | None) -> dict[str, Any] | None:
    """The agent's plan, while it is one for the release that is followed now."""
    told = one.about.get("plan")
    return told if told and target and told["release"] == target.number else None


def _plan(told: dict[str, Any] | None) -> PlanOut | None:
    if not told:
        return None
    counts = told["counts"]
    kept = {name: value for name, value in told.items() if name not in ("counts", "worlds")}
    return PlanOut(**kept, **{name: counts.get(name, 0) for name in ("place", "replace", "merge", "adjust", "remove")})


def beside_out(one: Installation, rows: Sequence[tuple[beside.Row, Beside | None]]) -> list[BesideOut]:
    """Each with what is to lie there, it among it; None where the pack has no release."""
    marks = marks_of({one.pack.crew, *(row.collection.crew for row, _ in rows)}) if rows else {}
    return [_one_beside(one, row, whole, marks) for row, whole in rows]


def _one_beside(one: Installation, row: beside.Row, whole: Beside | None, marks: Mapping[UUID, str]) -> BesideOut:
    collection, own, id = row.collection, row.own, str(row.collection.pk)
    mods = whole.mods.get(id, ()) if whole else ()
    builds = [build for build in own.lock.builds if build.mod in mods] if own else []
    left_out = [
        NotLaidOut(name=each.name, version=each.version, because=each.because)
        for each in (whole.left_out if whole else ())
        if each.collection == id
    ]
    told: dict[str, Any] = next((each for each in one.about.get("beside", ()) if each["pack"] == id), {})
    mark = marks[collection.crew_id]
    return BesideOut(
        id=collection.pk,
        name=collection.name,
        emblem=collection.emblem,
        crew=collection.crew.name,
        key=mark,
        number=row.release.number if row.release else "",
        why=_why_none(row),
        has=told.get("has", ""),
        mods=len(mods),
        off=told.get("off", 0),
        download=sum(build.archive.size for build in builds),
        errands=sum(not build.pickup.is_automatic for build in builds),
        steps=[step.text for step in own.lock.terms.steps] if own and (mods or not left_out) else [],
        notes=collection.notes,
        at_once=mark == marks[one.pack.crew_id],
        left_out=left_out,
    )


def _why_none(row: beside.Row) -> str:
    if not row.served:
        return f"You are not in {row.collection.crew.name} any more: what lies there stays as it is."
    return "" if row.release else "It has no open release that suits this base."


def _steps(told: list[dict[str, Any]], wanted: Lock | None) -> list[StepOut]:
    """The followed release's steps, told before its agent has looked; which of them are done is the agent's to say."""
    done = {row["id"]: row for row in told}
    steps = wanted.terms.steps if wanted else ()
    return [
        StepOut(
            **step.as_data(),
            done=done.get(step.id, {}).get("done", False),
            seen=done.get(step.id, {}).get("seen", False),
        )
        for step in steps
    ]


def _errands(one: Installation, target: Release | None, own: Iterable[LockedBuild]) -> list[ErrandOut]:
    builds = errands_of(one, target, own)
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


def _choices(one: Installation, target: Release | None, rows: Iterable[beside.Row]) -> list[ChoiceOut]:
    if target is None:
        return []
    # Asked of the whole share: what is left out is a choice still.
    side, lock = Side(one.side), recipe_of(target.pk).lock
    found = [("", build) for build in lock.share(side).choices]
    for own in filter(None, (row.own for row in rows)):
        theirs = own.lock.share(side).choices
        found += [(own.taken.name, build) for build in theirs if build.mod not in lock.by_mod]
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
            collection=collection,
        )
        for collection, build in found
    ]


def _into_worlds(one: Installation, target: Release | None) -> list[IntoWorldsOut]:
    if target is None:
        return []
    share = share_of(one, recipe_of(target.pk))
    there = one.about.get("worlds", ())
    return [
        IntoWorldsOut(
            mod=mod,
            name=share.by_mod[mod].name,
            version=share.by_mod[mod].version,
            folder=folder,
            chosen=one.worlds.get(mod, []),
            lies_in=[row["world"] for row in there if mod in row["holds"]],
            on_removal=share.by_mod[mod].on_removal,
        )
        for mod, folder in for_worlds(share).items()
    ]


def shown(found: QuerySet[Installation]) -> QuerySet[Installation]:
    return found.select_related("member", "machine", "release").defer(
        "release__document", "release__signature", "release__public_key", "release__changes"
    )
