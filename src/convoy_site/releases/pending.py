"""What publishing a draft would change for those who follow its pack."""

from dataclasses import dataclass, replace
from typing import Any
from uuid import UUID

from convoy_core.lock.change_log import Changes, changes, laying_changes, terms_changes
from convoy_core.lock.lock import Lock
from convoy_core.lock.recipe import ReleaseChannel
from convoy_core.lock.terms import Terms
from convoy_core.lock.whole_log import demand_changes

from ..packs import draft_layers, drafts
from ..packs.models import Draft
from ..remembered import Remembered
from .lookup import recipe_of, release_before, releases_of
from .models import Release, open_ones


@dataclass(frozen=True)
class Pending:
    """What publishing the draft in a channel would change: against `before` (None: the first one), with `lock` (without
    files). `same`: the newest open trial release, where its lock is exactly this.
    """

    before: Release | None
    lock: Lock
    moved: Changes
    rows: tuple[dict[str, Any], ...]
    nothing: bool
    same: Release | None


_pendings: Remembered[tuple[UUID, str], Pending] = Remembered(24)
"""Of drafts that somebody looks at just now, by pack and channel."""


def pending_of(draft: Draft, channel: str = ReleaseChannel.STABLE) -> Pending:
    """For pages that show it, again and again while they are open: kept until anything changes that it rests on. Never
    within an edit, whose draft may be taken back.
    """
    pack = draft.pack
    before, trial = release_before(pack, channel), releases_of(pack).filter(open_ones(trial=True)).first()
    mark = (*drafts.mark_of(draft), before and before.pk, trial and (trial.pk, trial.channel))
    found = _pendings.get((draft.pack_id, channel), mark, lambda: _pending(draft, before, trial))
    return replace(found, before=before, same=trial if found.same else None)


def _pending(draft: Draft, before: Release | None, trial: Release | None) -> Pending:
    seen = draft_layers.seen(draft)
    lock = draft_layers.lock_of(draft, with_files=False, seen=seen)
    said = recipe_of(before.pk).lock if before else None
    moved = changes(said, lock)
    rows = (
        *(one.as_data() for one in moved.mods),
        *terms_changes(said.terms if said else Terms(), lock.terms),
        *laying_changes(said, lock),
        *(demand_changes(recipe_of(before.pk).needed, draft_layers.needed_by_draft(draft, seen)) if before else ()),
    )
    same = trial and trial.channel == ReleaseChannel.TRIAL and is_same(recipe_of(trial.pk).lock, lock)
    nothing = said is not None and not moved and is_same(said, lock)
    return Pending(before, lock, moved, rows, nothing, trial if same else None)


def is_same(one: Lock, other: Lock) -> bool:
    """Whether two locks mean the same for members. Their files follow from their builds, and the order of these."""

    def told(lock: Lock) -> list[tuple[object, ...]]:
        return [
            (
                build.mod,
                build.version,
                build.archive.sha256,
                build.optional,
                build.advice,
                build.chosen,
                build.laid,
                build.collection,
                build.side,
                build.reach,
                build.claims,
            )
            for build in lock.builds
        ]

    same_ground = one.base == other.base and one.terms == other.terms and one.collections == other.collections
    return (
        same_ground and one.winners == other.winners and one.set_aside == other.set_aside and told(one) == told(other)
    )
