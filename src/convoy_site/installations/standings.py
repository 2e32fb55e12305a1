"""Where each installation stands: its report against the releases that it follows, and its machine against the pack."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from functools import lru_cache
from uuid import UUID

from django.utils import timezone

from convoy_core.checks import Follower
from convoy_core.lock.lock import Lock
from convoy_core.lock.recipe import Recipe
from convoy_core.machine.memory import Needed, lighter
from convoy_core.machine.verdict import Choice, Machine, Verdict, judge
from convoy_core.sync.deviations import Deviation, Report, Strayed
from convoy_core.sync.standing import Course, Standing, State, standing
from convoy_core.words.model import Side

from ..packs.models import Pack
from ..people.rights import NotFound
from ..releases.lookup import recipe_of, releases_of
from ..releases.models import Release
from .models import Installation


@dataclass(frozen=True)
class Stood:
    """`target`: the release that the installation follows by its member's choice; `current`: the pack's, for it;
    `stays_at`: the number of the one that its member chose to stay at, while that is open.
    """

    installation: Installation
    standing: Standing
    verdict: Verdict
    current: Release | None
    target: Release | None
    stays_at: str
    since: datetime | None
    """Since when it is as it is; empty in step."""


def followed(one: Installation, releases: Sequence[Release]) -> list[Release]:
    """Releases that an installation may have, newest first: none that is withdrawn, trial ones by choice alone."""
    return [release for release in releases if release.is_open(one.trial)]


def target_of(one: Installation, releases: Sequence[Release]) -> Release | None:
    """The release that an installation is to have. A choice to stay ends where its release is withdrawn; while none is
    open to it, it stays at what it has.
    """
    open_to = followed(one, releases)
    newest = open_to[0] if open_to else _among(releases, one.release_id)
    return _among(open_to, one.stays_at_id) or newest


def _among(releases: Sequence[Release], pk: int | None) -> Release | None:
    return next((release for release in releases if release.pk == pk), None)


def share_of(one: Installation, recipe: Recipe) -> Lock:
    """What belongs on an installation's machine: its side's share, without what its member leaves out."""
    return recipe.lock.share(Side(one.side)).without(one.left_out)


def machine_of(one: Installation) -> Machine:
    """What its agent said of the machine; before that, what is known of a stand-in."""
    told = one.about.get("machine", {})
    if told:
        return Machine(told["memory_mb"], told["disk_free"], tuple(told["runtimes"]))
    if one.machine:
        return Machine(one.machine.memory_mb, one.machine.disk_free, tuple(one.machine.runtimes))
    return Machine()


def stand(
    installations: Iterable[Installation], releases: Sequence[Release], shares: Mapping[UUID, int] | None = None
) -> list[Stood]:
    """Where each stands. `releases`: the pack's, newest first, with their withdrawals. Locks are read only where files
    deviate, and are kept in memory. `shares`: percent of memory that a machine safely gives, where that was settled: it
    moves the figure that is told, and never whether a pack runs.
    """
    now = timezone.now()
    return [_stand(one, releases, now, (shares or {}).get(one.pk, 0)) for one in installations]


def _stand(one: Installation, releases: Sequence[Release], now: datetime, memory_share: int) -> Stood:
    open_to = followed(one, releases)
    current = open_to[0] if open_to else None
    target = target_of(one, releases)
    verdict = _fits(one, current or target, memory_share)
    hashes = {release.number: release.sha256 for release in releases}
    course = Course(current.number if current else "", [release.number for release in open_to[1:]], hashes)
    share = None
    if one.deviations and one.release_id:
        share = share_of(one, recipe_of(one.release_id))
    stays = _among(open_to, one.stays_at_id)
    stays_at = stays.number if stays else ""
    errands = len(one.about.get("errands", ()))
    found = standing(_report(one), course, share, now, verdict.obstacles, errands, stays_at)
    has = _among(releases, one.release_id)
    if has and has.is_withdrawn:
        found = replace(found, withdrawn=f"Release {has.number} was withdrawn: {has.withdrawal.why}")
    return Stood(one, found, verdict, current, target, stays_at, _since(one, found, has, open_to))


def needed_by(one: Installation, release: Release) -> Needed:
    """What a release demands of an installation's machine: its side's share, without what its member leaves out."""
    return _demand(release.pk, Side(one.side), tuple(one.left_out))[0]


@lru_cache(maxsize=512)
def _demand(release_pk: int, side: Side, left_out: tuple[str, ...]) -> tuple[Needed, list[Choice]]:
    """What a share demands, and what its member may leave out. Kept in memory: a release never changes."""
    recipe = recipe_of(release_pk)
    bare = recipe.lock.bare.share(side).without(left_out)
    choices = [Choice(build.name, build.memory) for build in bare.choices]
    return lighter(recipe.needed, _memory(recipe.lock) - _memory(bare)), choices


def _memory(lock: Lock) -> int:
    return sum(build.memory for build in lock.builds)


def _fits(one: Installation, wanted: Release | None, memory_share: int) -> Verdict:
    if wanted is None:
        return judge(Needed(), machine_of(one), _still_to_place(one))
    needed, choices = _demand(wanted.pk, Side(one.side), tuple(one.left_out))
    return judge(needed, machine_of(one), _still_to_place(one), choices, memory_share)


def _still_to_place(one: Installation) -> int:
    plan = one.about.get("plan", {})
    return int(plan.get("place_bytes", 0)) + int(plan.get("fetch_bytes", 0))


def _report(one: Installation) -> Report | None:
    if one.heard_at is None:
        return None
    return Report(
        one.other_number or (one.release.number if one.release_id and one.release else ""),
        one.heard_at,
        {path: Deviation(what) for path, what in one.deviations.items()},
        one.fingerprint,
        tuple(Strayed(**row) for row in one.strayed),
        one.has,
        one.harmless,
        one.other_sha256 or (one.release.sha256 if one.release_id and one.release else ""),
    )


def _since(one: Installation, found: Standing, has: Release | None, open_to: Sequence[Release]) -> datetime | None:
    """Behind: since what it has was withdrawn, or since the first release that it lacks. Differs: since that was told.
    Unheard: since the last word.
    """
    if found.state is State.IN_STEP:
        return None
    if found.state is State.UNHEARD:
        return one.heard_at or one.started_at
    if found.state is State.DIFFERS:
        return one.since
    if has and has.is_withdrawn:
        return max(has.withdrawal.at, one.started_at)
    if found.behind and open_to:
        lacking = open_to[min(found.behind, len(open_to)) - 1]
        return max(lacking.published_at, one.started_at)
    return one.heard_at


def release_for(installation: Installation, number: str) -> Release:
    """A release with its document, for an installation that may have it, or has it. Raises NotFound, saying why not."""
    one = installation
    found = one.pack.releases.select_related("withdrawal").filter(number=number).first()
    if found is None:
        raise NotFound(f"{one.pack.name} has no release {number}.")
    if found.pk == one.release_id:
        return found
    if found.is_withdrawn:
        raise NotFound(f"Release {number} was withdrawn.", found.withdrawal.why, "Choose another one.")
    if not found.is_open(one.trial):
        raise NotFound(
            f"Release {number} is for trial only.",
            now="Choose to follow trial releases on the installation's page first.",
        )
    return found


def followers_of(pack: Pack) -> list[Follower]:
    """The machines that follow a pack, for the checks: what each has, and what it lacks of its release."""
    releases = list(releases_of(pack).select_related("withdrawal"))
    shown = pack.installations.aboard().select_related("member", "machine").prefetch_related("release")
    return [
        Follower(
            f"{one.installation.member.shown} ({one.installation.name})",
            machine_of(one.installation),
            tuple(each.sentence() for each in one.standing.differences if each.counts),
        )
        for one in stand(shown, releases)
    ]
