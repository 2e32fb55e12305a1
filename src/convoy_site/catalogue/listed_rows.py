"""Writes what a source lists into the database: mods and builds, new ones added, vanished ones marked."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import date
from typing import Any, NamedTuple

from django.db import transaction
from django.db.models import F, Q

from convoy_core.outside.catalogue import ListedBuild, ListedMod
from convoy_core.outside.takeover import largest_hashes
from convoy_core.words.model import Build as CoreBuild
from convoy_core.words.profile import GameProfile

from .models import Build, BuildPlace, Mod, Source, SourceState
from .search import WORDS
from .vocabulary import note_words

UPDATED = (
    "name", "summary", "author", "category", "kind", "licence", "page", "downloads", "counterpart", "updated",
    "provides", "fits", "followers", "rating", "added", "needs", "sides", "reaches", "channels", "on_removal",
    "pictures", "source",
)  # fmt: skip
BATCH = 1000


@transaction.atomic
def keep_mods(source: Source, listed: Sequence[ListedMod]) -> list[str]:
    """Writes mods and builds; gives a sentence for each that was not taken.

    A mod belongs to the source that listed it first. Another one that lists it is a further place of the builds whose
    files are the very same, and brings no build of its own: nobody slips a build into somebody else's mod.
    """
    owners = _owners(source, [one.id for one in listed])
    ours = {one.id: one for one in listed if owners.get(one.id, source.pk) == source.pk}
    theirs = {one.id: one for one in listed if one.id not in ours}
    troubles = _keep_places(source, theirs)
    if len(ours) + len(theirs) < len(listed):
        troubles.append("It lists a mod twice; the last one was taken.")
    rows = Mod.objects.bulk_create(
        [_mod_row(source, one) for one in ours.values()],
        batch_size=BATCH,
        update_conflicts=True,
        unique_fields=["game", "slug", "crew"],
        update_fields=UPDATED,
    )
    pks = [row.pk for row in rows]
    Mod.objects.filter(pk__in=pks).update(words=WORDS)
    note_words(pks)
    return troubles + keep_builds([(row, one.builds) for row, one in zip(rows, ours.values(), strict=True)])


def _owners(source: Source, slugs: Sequence[str]) -> dict[str, str]:
    """Slug to the source that a mod belongs to, among what those see who see this source. A source that was removed
    keeps none: the next that lists its mods takes them over. A crew's own mod stands before a public one of its name.
    """
    seen = Q(crew=None) | Q(crew=source.crew_id) if source.crew_id else Q(crew=None)
    rows = Mod.objects.filter(seen, game=source.game, slug__in=slugs).exclude(source__state=SourceState.REMOVED)
    return dict(rows.order_by(F("crew_id").asc(nulls_first=True)).values_list("slug", "source_id"))


def _keep_places(source: Source, listed: Mapping[str, ListedMod]) -> list[str]:
    """Notes a source as a further place of builds that others list; gives a sentence for each mod with other builds."""
    if not listed:
        return []
    seen = Q(mod__crew=None) | Q(mod__crew=source.crew_id) if source.crew_id else Q(mod__crew=None)
    builds = Build.objects.filter(seen, mod__game=source.game, mod__slug__in=listed).exclude(mod__source=source)
    known = {
        (slug, version, sha256): (pk, owner)
        for slug, version, sha256, pk, owner in builds.values_list(
            "mod__slug", "version", "archive_sha256", "pk", "mod__source__name"
        )
    }
    owners = {slug: owner for (slug, _, _), (_, owner) in known.items()}
    places, troubles = [], []
    for slug, mod in listed.items():
        others = []
        for one in mod.builds:
            found = known.get((slug, one.build.version.text, one.archive.sha256))
            if found and one.urls:
                places.append(BuildPlace(build_id=found[0], source=source, url=one.urls[0]))
            elif not found:
                others.append(one.build.version.text)
        if others:
            told = f"{', '.join(others[:3])}{' and more' if len(others) > 3 else ''}"
            troubles.append(
                f"{slug}: {owners.get(slug, 'another source')} has it already, without this build: {told}; not taken."
            )
    BuildPlace.objects.filter(source=source, build__mod__slug__in=listed).delete()
    BuildPlace.objects.bulk_create(places, batch_size=BATCH, ignore_conflicts=True)
    return troubles


def forget_all_but(source: Source, slugs: Iterable[str]) -> None:
    """Marks the builds of every other mod of a source as gone: it lists them no longer."""
    slugs = list(slugs)
    Build.objects.filter(mod__source=source, gone=False).exclude(mod__slug__in=slugs).update(gone=True)
    source.places.exclude(build__mod__slug__in=slugs).delete()


class _Known(NamedTuple):
    """What is kept of a build already. `pk` is 0 for one that is listed twice just now."""

    pk: int
    sha256: str
    gone: bool
    url: str
    mirrors: list[str]
    claims: dict[str, Any]

    @property
    def says(self) -> tuple[str, list[str], dict[str, Any]]:
        return self.url, self.mirrors, self.claims


MAY_CHANGE = ("url", "mirrors", "claims")
"""What a source may say otherwise of a build that it listed before: where it lies, and what it says of itself."""


def keep_builds(listed: Sequence[tuple[Mod, Sequence[ListedBuild]]]) -> list[str]:
    """Adds new builds, marks vanished ones, notes what is said otherwise of known ones; a known version with another
    archive is refused and named.
    """
    known: dict[int, dict[str, _Known]] = {}
    found = Build.objects.filter(mod__in=[mod for mod, _ in listed])
    for row in found.values("mod_id", "version", "pk", "archive_sha256", "gone", "url", "mirrors", "claims"):
        kept_row = _Known(row["pk"], row["archive_sha256"], row["gone"], row["url"], row["mirrors"], row["claims"])
        known.setdefault(row["mod_id"], {})[row["version"]] = kept_row
    troubles, fresh, vanished, back, moved = [], [], [], [], []
    for mod, builds in listed:
        there = known.get(mod.pk, {})
        names = {one.build.version.text for one in builds}
        vanished += [one.pk for version, one in there.items() if version not in names and not one.gone]
        for one in builds:
            kept = there.get(one.build.version.text)
            says = (one.urls[0] if one.urls else ""), list(one.urls[1:]), one.claims.as_data()
            if kept is None:
                fresh.append(build_row(mod, one))
                there[one.build.version.text] = _Known(0, one.archive.sha256, False, *says)
            elif kept.sha256 != one.archive.sha256:
                troubles.append(f"{mod.slug} {one.build.version}: listed with another archive than before; not taken.")
            else:
                if kept.gone:
                    back.append(kept.pk)
                if kept.pk and kept.says != says:
                    moved.append(Build(pk=kept.pk, **dict(zip(MAY_CHANGE, says, strict=True))))
    Build.objects.bulk_create(fresh, batch_size=BATCH)
    Build.objects.filter(pk__in=vanished).update(gone=True)
    Build.objects.filter(pk__in=back).update(gone=False)
    Build.objects.bulk_update(moved, MAY_CHANGE, batch_size=BATCH)
    return troubles


def _mod_row(source: Source, listed: ListedMod) -> Mod:
    return Mod(
        game=source.game,
        source=source,
        crew_id=source.crew_id,
        slug=listed.id,
        name=listed.name,
        summary=listed.summary,
        author=listed.author,
        category=listed.category,
        kind=listed.kind,
        licence=listed.licence,
        page=listed.page,
        downloads=listed.downloads,
        counterpart=listed.counterpart,
        followers=listed.followers,
        rating=listed.rating,
        on_removal=listed.on_removal,
        pictures=list(listed.pictures),
        **summed_up(listed.builds, source.game.profile),
    )


def summed_up(builds: Sequence[ListedBuild], profile: GameProfile) -> dict[str, object]:
    """What a mod's row says of all its builds: the finder filters and sorts by it."""
    dates = [day for one in builds if (day := _day(one.date))]
    return {
        "updated": max(dates, default=None),
        "added": min(dates, default=None),
        "needs": sorted({name for one in builds for name in one.build.needs}),
        "sides": sorted({one.side for one in builds}),
        "reaches": sorted({one.reach for one in builds}),
        "channels": sorted({one.build.channel for one in builds}),
        "provides": sorted({name for one in builds for name in one.build.provides}),
        "fits": fits([one.build for one in builds if not one.refused], profile),
    }


def build_row(mod: Mod, listed: ListedBuild) -> Build:
    build = listed.build
    return Build(
        mod=mod,
        version=build.version.text,
        channel=build.channel,
        date=_day(listed.date),
        side=listed.side,
        reach=listed.reach,
        relations={
            "games": build.games.text,
            "loaders": {name: str(wanted) for name, wanted in build.loaders.items()},
            "needs": {name: str(wanted) for name, wanted in build.needs.items()},
            "breaks": {name: str(wanted) for name, wanted in build.breaks.items()},
            "provides": {name: str(version) for name, version in build.provides.items()},
        },
        claims=listed.claims.as_data(),
        archive_name=listed.archive.name,
        archive_size=listed.archive.size,
        archive_sha256=listed.archive.sha256,
        url=listed.urls[0] if listed.urls else "",
        mirrors=list(listed.urls[1:]),
        files=[[file.path, file.size, file.sha256] for file in listed.files],
        unpacked=sum(file.size for file in listed.files),
        memory=listed.memory,
        short_hashes=largest_hashes(listed.files),
        root=listed.root,
        refused=listed.refused[:600],
        change_log=listed.change_log,
    )


def fits(installable: Sequence[CoreBuild], profile: GameProfile) -> list[str]:
    """Every `VERSION` and `VERSION/LOADER` that some installable build is made for: what the finder filters by."""
    found = set()
    for game in profile.versions:
        for build in installable:
            if not build.games.holds(game.version):
                continue
            if not build.loaders:
                found.add(str(game.version))
            for loader in profile.loaders:
                wanted = build.loaders.get(loader.id)
                runs = any(wanted.holds(one.version) for one in loader.versions_for(game.version)) if wanted else False
                if runs or not build.loaders:
                    found.add(f"{game.version}/{loader.id}")
    return sorted(found)


def _day(text: str) -> date | None:
    try:
        return date.fromisoformat(text)
    except ValueError:
        return None
