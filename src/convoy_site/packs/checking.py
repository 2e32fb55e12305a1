"""What the checks look at, gathered from the draft, the catalogue, the readings and whoever follows the pack.

Releases, installations and trials stand above packs; what the checks ask of them they hand down when the site starts
(`ASKED`).
"""

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, TypeVar
from uuid import UUID

from django.db.models import Count, Max, Q

from convoy_core.checks import DraftLine, Finding, Follower, NoBuild, Patch, Playing, Subject, Tried, Way, run_checks
from convoy_core.lock.lock import Lock
from convoy_core.resolve import why_not
from convoy_core.settings.formats import Key
from convoy_core.settings.readings import Reading
from convoy_core.words.kept import Kept
from convoy_core.words.model import Base, Channel, Kind, misfit
from convoy_core.words.model import Build as CoreBuild

from ..catalogue import readings
from ..catalogue.claiming import waiting
from ..catalogue.kept import Reach
from ..catalogue.models import Build, OwnClaim, Source
from ..catalogue.models import Reading as ReadingRow
from ..catalogue.sayings import Sayings
from ..catalogue.services import BuildRow, ModRow, build_rows, core_of, shelf
from ..remembered import Remembered
from . import collections, draft_layers, draft_terms, drafts
from .models import Draft, Pack
from .outlook import counterparts_of

Made = TypeVar("Made")


@dataclass
class Around:
    """Whom to ask for what stands above packs: the release that members have, and the machines that follow a pack."""

    last_release: Callable[[Pack], Lock | None]
    followers: Callable[[Pack], Sequence[Follower]]
    set_otherwise: Callable[[Pack], Collection[tuple[str, Key]]]
    """Settings that somebody who plays the pack has otherwise, as far as they let it be seen."""
    playing: Callable[[Pack], Sequence[Playing]]
    """The open playthroughs of a pack."""
    written: Callable[[Pack], Mapping[str, str]]
    """Settings files that no build carries and that somebody's game wrote, path to sha256, likewise."""
    tried: Callable[[Pack], Tried | None]
    """How the bench's last start of the draft as it is went."""


ASKED = Around(lambda pack: None, lambda pack: (), lambda pack: (), lambda pack: (), lambda pack: {}, lambda pack: None)
"""Set by releases, installations and trials when the site starts."""


def subject_of(draft: Draft) -> Subject:
    """Everything that the checks look at, once."""
    return _subject(draft, draft_layers.look_at(draft), ASKED.playing(draft.pack), ASKED.tried(draft.pack))


def _subject(draft: Draft, seen: draft_layers.Seen, playing: Sequence[Playing], tried: Tried | None) -> Subject:
    pack = draft.pack
    lines = {line.mod: line for line in drafts.lines_of(draft)}
    theirs = drafts.taken_under(draft).lines
    wanted = {*lines, *theirs, *draft.picks, *draft.unsettled}
    near, said = drafts.near_to(draft, wanted), drafts.sayings_in(draft)
    mods = {slug: near.mods[slug] for slug in wanted if slug in near.mods}
    rows = {slug: near.heard(slug, said) for slug in wanted}
    base = drafts.base_of(draft)
    picked = {slug: row for slug, version in draft.picks.items() for row in rows[slug] if row.version == version}
    cores = {core.mod: core for core in drafts.as_drafted(draft, (row.core for row in picked.values()))}
    layers = draft_layers.layers(draft, seen=seen)
    found: dict[str, Reading] = {}
    patches = _patches(pack, near.mark, cores, base, said)
    subject = Subject(
        profile=pack.game.profile,
        base=base,
        layers=layers,
        terms=draft_terms.terms_of(draft),
        lines={
            slug: DraftLine(
                mods[slug].name if slug in mods else slug,
                line.on,
                line.held_version,
                slug in mods and mods[slug].kind == Kind.LIBRARY,
            )
            for slug, line in lines.items()
        }
        | {
            slug: DraftLine(mods[slug].name if slug in mods else slug, collection=one.collection.id)
            for slug, one in theirs.items()
        },
        under=collections.under(draft),
        unsettled=_without_build(pack, mods, rows),
        cores=cores,
        readings=found,
        winners=draft_layers.winners_of(draft),
        set_aside=draft_layers.set_aside_of(draft),
        set_aside_text=draft.set_aside,
        gone={slug for slug, row in picked.items() if row.gone},
        newest=_newest(near, picked, base, said),
        patches=patches,
        before=ASKED.last_release(pack),
        followers=ASKED.followers(pack),
        playing=playing,
        drafted=draft_layers.lock_of(draft, seen=seen) if playing else None,
        needed=draft_layers.needed_by_draft(draft, seen),
        names=drafts.names_of(pack, {mod for build, _ in layers for mod in build.claims.partners}),
        written=ASKED.written(pack),
        tried=tried,
        unreviewed=waiting(pack, [build for build, _ in layers]),
        kept=_kept,
        kept_whole=_kept_whole,
        draft=draft.pk,
    )
    found |= readings.known(pack, subject.to_read)
    return subject


def _without_build(
    pack: Pack, mods: Mapping[str, ModRow], rows: Mapping[str, Sequence[BuildRow]]
) -> dict[str, NoBuild]:
    unsettled = pack.draft.unsettled
    if not unsettled:
        return {}
    others = counterparts_of(shelf(pack), list(unsettled.keys() & mods.keys()))
    names = drafts.names_of(pack, {one for many in others.values() for one in many})
    counterparts = {slug: _fitting(pack, found, names) for slug, found in others.items()}
    told = {}
    for slug, why in unsettled.items():
        usable = [row.core for row in rows[slug] if not row.gone and not row.refused]
        refused = "" if usable else next((row.refused for row in rows[slug] if row.refused), "")
        told[slug] = NoBuild(
            mods[slug].name if slug in mods else slug,
            why["why"],
            tuple(Way(way["text"], (way["edit"],), is_choice=True) for way in why["ways"]),
            max(usable, key=lambda build: build.version, default=None),
            refused,
            counterparts.get(slug, {}),
        )
    return told


def _fitting(pack: Pack, others: Sequence[str], names: dict[str, str]) -> dict[str, str]:
    """Of some mods those that have a build for the draft's base, with their names."""
    base = drafts.base_of(pack.draft)
    mods = dict(shelf(pack).filter(slug__in=others).values_list("pk", "slug"))
    rows = build_rows(drafts.sayings_in(pack.draft), mods)
    return {
        slug: names[slug]
        for pk, slug in mods.items()
        if any(not row.gone and not row.refused and not misfit(row.core, base) for row in rows[pk])
    }


def _newest(near: Reach, picked: Mapping[str, BuildRow], base: Base, said: Sayings) -> dict[str, CoreBuild]:
    """For each mod its newest stable build that fits the base, where the draft has an older one, or one that is
    gone.
    """
    found = {}
    for slug, row in picked.items():
        others = near.newer(row.core, said)
        if row.gone:
            usable = (one for one in near.heard(slug, said) if not one.gone and not one.refused)
            stable = (one.core for one in usable if one.channel == Channel.STABLE)
            others = sorted(
                (one for one in stable if one.version != row.core.version), key=lambda one: one.version, reverse=True
            )
        newest = next((one for one in others if not misfit(one, base)), None)
        if newest is not None:
            found[slug] = newest
    return found


def _patches(pack: Pack, mark: str, cores: dict[str, CoreBuild], base: Base, said: Sayings) -> list[Patch]:
    """Mods of the catalogue that join some of the draft's, would come in as they are, and are not there."""
    found: dict[str, Patch] = {}
    for row in _joining.get((pack.crew_id, pack.game_id), mark, lambda: _that_join(pack)):
        slug, partners = row.mod.slug, tuple(row.claims["partners"])
        if slug in cores or len(partners) < 2 or not cores.keys() >= set(partners):
            continue
        if not why_not(said.heard(core_of(row, slug)), base, cores):
            found[slug] = Patch(slug, row.mod.name, partners)
    return [found[slug] for slug in sorted(found)]


def _that_join(pack: Pack) -> list[Build]:
    rows = Build.objects.filter(mod__in=shelf(pack), claims__has_key="partners", gone=False, refused="")
    return list(rows.select_related("mod").defer("files", "mod__words"))


def findings(draft: Draft) -> list[Finding]:
    return run_checks(subject_of(draft))


@dataclass(frozen=True)
class Checked:
    """A draft as it is checked."""

    subject: Subject
    _made: dict[str, Any] = field(default_factory=dict)

    def once(self, name: str, make: Callable[[], Made]) -> Made:
        """What a page makes of it, made for the first who asks."""
        if name not in self._made:
            self._made[name] = make()
        made: Made = self._made[name]
        return made

    @cached_property
    def findings(self) -> Sequence[Finding]:
        return run_checks(self.subject)

    @cached_property
    def sizes(self) -> Mapping[str, int]:
        """Path to bytes of all that the draft lays down, or would but for what is set aside."""
        return {path: size for files in self.subject.files.values() for path, size in files.sizes.items()}


_kept = Kept(10_000)
"""Of all drafts: what one edit leaves as it was is not worked out again."""

_kept_whole = Kept(24)
"""Two of each draft that somebody looks at just now; some ten MB of one with 60,000 files."""


def forget(pack: Pack) -> None:
    """What was checked rests on something that changed besides edits."""
    _checked.forget(pack.pk)


_checked: Remembered[UUID, Checked] = Remembered(12)
"""Of drafts that somebody looks at just now."""

_joining: Remembered[tuple[UUID, str], Sequence[Build]] = Remembered(24)
"""By crew and game, while the catalogue is as it was: builds that join mods, whatever is in a draft."""


def checked(draft: Draft) -> Checked:
    """For pages that show it: the subject and its findings, kept until anything changes that they rest on. Never within
    an edit, whose draft may be taken back.
    """
    playing, tried = ASKED.playing(draft.pack), ASKED.tried(draft.pack)
    mark = _mark(draft, playing, tried)
    return _checked.get(draft.pack_id, mark, lambda: Checked(_subject(draft, draft_layers.seen(draft), playing, tried)))


def _mark(draft: Draft, playing: Sequence[Playing], tried: Tried | None) -> tuple[object, ...]:
    """What the draft rests on itself, and beside it sources, readings, releases, machines."""
    pack = draft.pack
    sources = tuple(Source.objects.filter(game=pack.game_id).values_list("pk", "read_at", "state").order_by("pk"))
    read = ReadingRow.objects.aggregate(newest=Max("pk"))["newest"]
    telling = Count("pk", filter=Q(tells_settings=True))
    followed = pack.installations.aggregate(heard=Max("heard_at"), many=Count("pk"), telling=telling)
    released = pack.releases.aggregate(newest=Max("pk"), gone=Count("withdrawal"))
    played = tuple((one.id, one.name, one.rule) for one in playing)
    return (
        *drafts.mark_of(draft), _reviewed(pack), sources, read, *followed.values(), *released.values(), played, tried,
    )  # fmt: skip


def _reviewed(pack: Pack) -> tuple[object, ...]:
    if not pack.crew.reviews:
        return ()
    return tuple(OwnClaim.objects.filter(build__mod__crew=pack.crew_id).aggregate(Max("at"), Count("pk")).values())


def laid_down(draft: Draft, finding: Finding) -> dict[str, Any] | None:
    """Why a finding is laid down, by whom and when; None where it is not, or what it rests on has changed since."""
    told: dict[str, Any] | None = draft.laid_down.get(finding.id)
    return told if told is not None and told["evidence"] in ("", finding.mark) else None


def open_findings(draft: Draft, found: Iterable[Finding] | None = None) -> list[Finding]:
    """Those that are not laid down."""
    return [one for one in (findings(draft) if found is None else found) if laid_down(draft, one) is None]
