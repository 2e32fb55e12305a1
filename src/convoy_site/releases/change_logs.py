"""What changed between any two releases, with the mods' own change logs in between; and announcements before and after
publishing.
"""

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from convoy_core.lock.change_log import What
from convoy_core.lock.whole_log import whole_log
from convoy_core.lock.worlds import world_changes
from convoy_core.words.errors import ConvoyError
from convoy_core.words.versions import Version, parse_version

from ..catalogue.models import Build
from ..catalogue.services import shelf
from ..packs import draft_layers
from ..packs.models import Pack
from ..packs.services import pack_for
from ..people.models import User
from ..people.rights import Action
from .lookup import recipe_of, release_before, release_numbered
from .models import Release
from .services import announce, as_recipe

MOST_LOGS = 12
"""Logs of one mod between two releases, the newest first: nobody reads further here; the mod's own page has all."""


@dataclass(frozen=True)
class ModLog:
    """What a mod's author says of one of its builds."""

    version: str
    text: str


@dataclass(frozen=True)
class ChangeLog:
    """From `since` (None: nothing was there) to `until`. `logs`: by mod, the newest first. `worlds`: sentences."""

    since: Release | None
    until: Release
    rows: tuple[dict[str, Any], ...]
    logs: dict[str, list[ModLog]]
    worlds: tuple[str, ...]


def change_log_between(pack: Pack, since: str, until: str) -> ChangeLog:
    """Between any two releases of a pack, whichever came first; `since` of nothing: from the start. Raises NotFound."""
    before = release_numbered(pack, since) if since else None
    after = release_numbered(pack, until)
    old, new = recipe_of(before.pk) if before else None, recipe_of(after.pk)
    rows = whole_log(old, new)
    worlds = world_changes(old.lock, new.lock) if old else ()
    told = tuple(" ".join(filter(None, (f"{one.sentence}.", one.note))) for one in worlds)
    return ChangeLog(before, after, rows, mods_own_logs(pack, rows), told)


def mods_own_logs(pack: Pack, rows: Iterable[dict[str, Any]]) -> dict[str, list[ModLog]]:
    """What their authors say of all builds after the earlier one, up to the later one. One query."""
    spans = {
        row["mod"]: (_version(row["before"]), _version(row["after"]))
        for row in rows
        if row["what"] in (What.UPDATED, What.TAKEN_BACK)
    }
    found: dict[str, list[tuple[Version, ModLog]]] = defaultdict(list)
    builds = Build.objects.filter(mod__in=shelf(pack).filter(slug__in=spans)).exclude(change_log="")
    for slug, version, text in builds.values_list("mod__slug", "version", "change_log"):
        one, other = spans[slug]
        at = _version(version)
        if one and other and at and min(one, other) < at <= max(one, other):
            found[slug].append((at, ModLog(version, text)))
    return {
        slug: [log for _, log in sorted(logs, key=lambda row: row[0], reverse=True)][:MOST_LOGS]
        for slug, logs in found.items()
    }


def _version(text: str) -> Version | None:
    try:
        return parse_version(text)
    except ConvoyError:
        return None


def announcement_of_draft(user: User, pack_id: UUID, number: str, channel: str, notes: str) -> str:
    """What the product would say if the draft were published now."""
    pack = pack_for(user, pack_id, Action.PUBLISH)
    before = release_before(pack, channel)
    earlier = recipe_of(before.pk) if before else None
    seen = draft_layers.seen(pack.draft)
    lock = draft_layers.lock_of(pack.draft, with_files=False, seen=seen)
    needed = draft_layers.needed_by_draft(pack.draft, seen)
    return announce(pack, before, as_recipe(pack, number, channel, notes, lock, needed, earlier))
