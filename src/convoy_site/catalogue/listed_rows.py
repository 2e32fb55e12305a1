"""Writes what a source lists into the database: mods and builds, new ones added, vanished ones marked."""

from collections.abc import Iterable, Sequence
from datetime import date

from django.db import transaction

from convoy_core.outside.catalogue import ListedBuild, ListedMod
from convoy_core.outside.takeover import largest_hashes
from convoy_core.words.profile import GameProfile

from .models import Build, Mod, Source
from .search import WORDS

UPDATED = (
    "name", "summary", "author", "category", "kind", "licence", "page", "downloads", "counterpart", "updated",
    "provides", "fits", "followers", "rating", "added", "needs", "sides", "reaches", "channels", "on_removal",
    "pictures",
)  # fmt: skip
BATCH = 1000


@transaction.atomic
def keep_mods(source: Source, listed: Sequence[ListedMod]) -> list[str]:
    """Writes mods and builds; gives a sentence for each that was not taken."""
    known = dict(
        Mod.objects.filter(game=source.game, slug__in=[one.id for one in listed]).values_list("slug", "source_id")
    )
    ours = {one.id: one for one in listed if known.get(one.id, source.id) == source.id}
    troubles = [f"{one.id}: {known[one.id]} has it already." for one in listed if one.id not in ours]
    if len(ours) + len(troubles) < len(listed):
        troubles.append("It lists a mod twice; the last one was taken.")
    rows = Mod.objects.bulk_create(
        [_mod_row(source, one) for one in ours.values()],
        batch_size=BATCH,
        update_conflicts=True,
        unique_fields=["game", "slug"],
        update_fields=UPDATED,
    )
    Mod.objects.filter(pk__in=[row.pk for row in rows]).update(words=WORDS)
    return troubles + keep_builds([(row, one.builds) for row, one in zip(rows, ours.values(), strict=True)])


def forget_all_but(source: Source, slugs: Iterable[str]) -> None:
    """Marks the builds of every other mod of a source as gone: it lists them no longer."""
    Build.objects.filter(mod__source=source, gone=False).exclude(mod__slug__in=list(slugs)).update(gone=True)


def keep_builds(listed: Sequence[tuple[Mod, Sequence[ListedBuild]]]) -> list[str]:
    """Adds new builds, marks vanished ones; a known version with another archive is refused and named."""
    known: dict[int, dict[str, tuple[int, str, bool]]] = {}
    found = Build.objects.filter(mod__in=[mod for mod, _ in listed])
    for of, version, pk, sha256, gone in found.values_list("mod_id", "version", "pk", "archive_sha256", "gone"):
        known.setdefault(of, {})[version] = (pk, sha256, gone)
    troubles, fresh, vanished, back = [], [], [], []
    for mod, builds in listed:
        there = known.get(mod.pk, {})
        names = {one.build.version.text for one in builds}
        vanished += [pk for version, (pk, _, gone) in there.items() if version not in names and not gone]
        for one in builds:
            if one.build.version.text not in there:
                fresh.append(build_row(mod, one))
                there[one.build.version.text] = (0, one.archive.sha256, False)
            elif there[one.build.version.text][1] != one.archive.sha256:
                troubles.append(f"{mod.slug} {one.build.version}: listed with another archive than before; not taken.")
            elif there[one.build.version.text][2]:
                back.append(there[one.build.version.text][0])
    Build.objects.bulk_create(fresh, batch_size=BATCH)
    Build.objects.filter(pk__in=vanished).update(gone=True)
    Build.objects.filter(pk__in=back).update(gone=False)
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
        "fits": _fits(builds, profile),
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


def _fits(builds: Sequence[ListedBuild], profile: GameProfile) -> list[str]:
    """Every `VERSION` and `VERSION/LOADER` that some installable build is made for: what the finder filters by."""
    installable = [one.build for one in builds if not one.refused]
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
