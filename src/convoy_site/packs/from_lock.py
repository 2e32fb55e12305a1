"""A draft that begins as what somebody's release holds: lines, builds, settings, steps, parts, winners, own files."""

from collections.abc import Collection, Mapping
from pathlib import Path

from convoy_core.conflicts.laying import EVERYTHING
from convoy_core.draft.parts import as_rule
from convoy_core.lock.lock import OVERLAY, Lock
from convoy_io.zips import opened

from ..catalogue.drawing import Drawing
from ..catalogue.models import Addition, Build
from ..catalogue.services import shelf
from ..people.models import User
from . import drafts, own_files
from .edits import TooManyLines
from .history import difference, moment
from .models import Draft, Edit, Line, Pack
from .shapes.edits import MAX_LINES


def here(pack: Drawing, lock: Lock) -> set[str]:
    """Mods of a lock whose very build this pack can draw on: the same id, version and archive."""
    wanted = {(one.mod, one.version, one.archive.sha256) for one in lock.builds}
    rows = Build.objects.filter(mod__in=shelf(pack), archive_sha256__in={sha256 for _, _, sha256 in wanted}, refused="")
    found = rows.values_list("mod__slug", "version", "archive_sha256")
    return {mod for mod, version, sha256 in found if (mod, version, sha256) in wanted}


def listed_here(pack: Drawing, mods: Collection[str]) -> set[str]:
    """Mods of these that some source here lists, in whatever builds."""
    return set(shelf(pack).filter(slug__in=mods).values_list("slug", flat=True))


def fill(user: User, pack: Pack, lock: Lock, own_archive: Path | None, sentence: str) -> None:
    """Fills the empty draft of a new pack, in a transaction. `own_archive`: where the archive of the pack's own files
    lies; `sentence`: what the draft's history says of it. What cannot be had here becomes a line without a build.
    Raises TooManyLines, and what keeping files raises.
    """
    draft = Draft.objects.select_for_update().get(pack=pack)
    draft.pack = pack
    then = moment(draft)
    have = here(pack, lock)
    chosen = [one for one in lock.builds if one.chosen and one.mod != OVERLAY]
    if len(chosen) > MAX_LINES:
        raise TooManyLines(f"A draft holds at most {MAX_LINES} lines; this pack has {len(chosen)}.")
    Line.objects.bulk_create(
        Line(draft=draft, mod=one.mod, order=at, optional=one.optional, advice=one.advice[:200])
        for at, one in enumerate(chosen, 1)
    )
    _say_what_differs(user, pack, lock, have)
    draft.picks = {one.mod: one.version for one in lock.builds if one.mod in have}
    draft.tweaks = [one.as_data() for one in lock.terms.tweaks]
    draft.steps = [one.as_data() for one in lock.terms.steps]
    draft.winners = dict(lock.winners)
    draft.set_aside = "\n".join(lock.set_aside)
    rules = {one.mod: as_rule(one.claims, one.laid).as_data() for one in lock.builds if one.laid != EVERYTHING}
    draft.parts = {mod: rule for mod, rule in rules.items() if rule}
    if own_archive is not None:
        draft.own_files = own_files.composed(pack, own_files.described(pack, _own_files(user, pack, lock, own_archive)))
    drafts.read_anew(draft)
    settled = drafts.settle_draft(draft)
    draft.picks = {mod: build.version.text for mod, build in settled.picks.items()}
    draft.unsettled = {mod: drafts.as_kept(draft, one) for mod, one in settled.unsettled.items()}
    draft.revision += 1
    draft.save()
    subjects = [one.mod for one in chosen]
    did = difference(then, moment(draft))
    Edit.objects.create(
        draft=draft, revision=draft.revision, by=user, subjects=subjects, sentence=sentence[:400], did=did
    )
    pack.draft = draft


def _say_what_differs(user: User, pack: Pack, lock: Lock, have: Collection[str]) -> None:
    """Where the other crew said on which side a build runs, or how far it reaches, this one says so too."""
    rows = Build.objects.filter(mod__in=shelf(pack).filter(slug__in=have)).select_related("mod")
    said: Mapping[tuple[str, str], Build] = {(row.mod.slug, row.version): row for row in rows.defer("files")}
    for one in lock.builds:
        row = said.get((one.mod, one.version))
        if row is None or (row.side, row.reach) == (one.side, one.reach):
            continue
        Addition.objects.get_or_create(
            crew=pack.crew,
            game=pack.game,
            mod=one.mod,
            defaults={"side": one.side, "reach": one.reach, "note": "as the pack's file has it", "by": user,
                      "on": row.seen.date()},
        )  # fmt: skip


def _own_files(user: User, pack: Pack, lock: Lock, archive: Path) -> dict[str, str]:
    """Path to sha256 of the pack's own files, kept for the crew."""
    found = {}
    with opened(archive) as packed:
        for file in (*lock.files, *lock.covered):
            if file.mod == OVERLAY:
                data = b"".join(packed.blocks(packed.get(file.member)))
                found[file.path] = own_files.keep(user, pack, data, file.path)
    return found
