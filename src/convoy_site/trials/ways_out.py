"""Ways out of what was narrowed down, each started on the bench before it is offered: leaving a mod out, another build
of it, another order.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from itertools import islice
from typing import Any

from convoy_core.words.errors import ConvoyError

from ..catalogue.models import Build
from ..catalogue.services import shelf
from ..packs import drafts
from ..packs.models import Draft, Pack
from ..packs.services import edit_draft
from ..packs.shapes.checking import WayOut
from ..packs.shapes.edits import MoveLines, TakeBuild
from ..people.models import User
from ..releases.as_files.packing import Subject, subject_of
from .ways import ways_without

MOST_BUILDS = 2
"""Other builds of one mod that are tried, the newest first."""

LOOKED_AT = 6
"""Builds of one mod of which it is looked whether they would come in."""

MOST_TRIED = 8


def ways_out(user: User, pack: Pack, mods: Sequence[str]) -> Iterator[tuple[WayOut, Subject]]:
    """Each with what would be started. Nothing in the draft changes."""
    names = drafts.names_of(pack, mods)
    tried = 0
    for way in (*ways_without(pack, list(mods)), *_orders(pack, mods, names)):
        if (found := _after(user, pack, way)) is not None:
            yield way, found
            tried += 1
    for mod in mods:
        for both in islice(_builds(user, pack, mod, names), MOST_BUILDS):
            if tried < MOST_TRIED:
                yield both
                tried += 1


def as_kept(way: WayOut, outcome: str, seconds: float) -> dict[str, Any]:
    return {**way.model_dump(mode="json"), "outcome": outcome, "seconds": round(seconds, 2)}


def _orders(pack: Pack, mods: Sequence[str], names: Mapping[str, str]) -> list[WayOut]:
    """Two lines of the pack's own, laid down the other way round."""
    order = [line.mod for line in drafts.lines_of(pack.draft) if line.mod in mods]
    if len(mods) != 2 or len(order) != 2:
        return []
    first, second = order
    move = MoveLines(do="move", mods=[second], before=first)
    return [WayOut(text=f"Lay {names[second]} down before {names[first]}", edits=[move], is_choice=True)]


def _builds(user: User, pack: Pack, mod: str, names: Mapping[str, str]) -> Iterator[tuple[WayOut, Subject]]:
    """Other builds that would really come in, the newest first."""
    now = pack.draft.picks.get(mod, "")
    rows = Build.objects.filter(mod__in=shelf(pack), mod__slug=mod, gone=False, refused="").exclude(version=now)
    for version in rows.order_by("-date", "-pk").values_list("version", flat=True)[:LOOKED_AT]:
        take = TakeBuild(do="take", mod=mod, version=version)
        way = WayOut(text=f"Take {names[mod]} {version}", edits=[take], is_choice=True)
        found = _after(user, pack, way)
        if found is not None and any(one.mod == mod and one.version == version for one in found.recipe.lock.builds):
            yield way, found


def _after(user: User, pack: Pack, way: WayOut) -> Subject | None:
    """What the draft would be; None where it would not come to one."""
    made: list[Subject] = []

    def look(draft: Draft) -> None:
        if not draft.unsettled:
            draft.pack.draft = draft
            made.append(replace(subject_of(draft.pack, ""), pack=pack))

    try:
        edit_draft(user, pack.pk, pack.draft.revision, way.edits, rehearse=True, look=look)
    except ConvoyError:
        return None
    return made[0] if made else None
