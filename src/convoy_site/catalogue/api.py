"""Games and their bases, the finder, and one mod in the inspector."""

from datetime import date, datetime
from typing import Annotated
from uuid import UUID

from django.http import HttpRequest
from ninja import Query, Router, Schema

from convoy_core.model import misfit
from convoy_core.profile import GameChannel
from convoy_core.resolve import why_not

from ..packs import drafts
from ..packs.services import pack_for
from ..people.rights import Action, NotFound
from ..shapes import Short
from .models import Game, Mod
from .search import Asked, Sort, search
from .services import build_rows, core_of, fit_of

router = Router(tags=["catalogue"])


class LoaderVersionOut(Schema):
    version: str
    recommended: bool


class LoaderOut(Schema):
    id: str
    name: str
    versions: list[LoaderVersionOut]


class GameVersionOut(Schema):
    """`loaders` lists only what runs on this game version, newest first."""

    version: str
    label: str
    channel: GameChannel
    runtime: str
    loaders: list[LoaderOut]


class GameOut(Schema):
    id: str
    name: str
    summary: str
    versions: list[GameVersionOut]


class FinderRow(Schema):
    """A mod in the finder. `fit_version` is empty where nothing fits, and `reason` says why."""

    slug: str
    name: str
    summary: str
    author: str
    category: str
    kind: str
    downloads: int
    followers: int
    rating: int
    updated: date | None
    pickup: str
    fit_version: str
    reason: str
    needs: list[str]


class SourceState(Schema):
    name: str
    pickup: str
    read_at: datetime | None
    trouble: str


class FinderIn(Schema):
    """What is looked for; empty means any. `needs`: mods that need this one; `since`: with a build since this day."""

    text: Short = ""
    kind: Short = ""
    category: Short = ""
    pickup: Short = ""
    licence: Short = ""
    side: Short = ""
    reach: Short = ""
    channel: Short = ""
    needs: Short = ""
    since: date | None = None
    fitting_only: bool = True
    sort: Sort = Sort.BEST
    page: int = 1


class FacetValue(Schema):
    value: str
    count: int


class FacetOut(Schema):
    name: str
    values: list[FacetValue]


class FinderPage(Schema):
    rows: list[FinderRow]
    total: int
    page: int
    pages: int
    facets: list[FacetOut]
    sources: list[SourceState]


class BuildOut(Schema):
    """One build with why it is ruled out in this draft (empty: it can be taken)."""

    version: str
    channel: str
    date: date | None
    games: str
    loaders: dict[str, str]
    needs: dict[str, str]
    breaks: dict[str, str]
    provides: dict[str, str]
    side: str
    reach: str
    archive_size: int
    files: int
    change_log: str
    ruled_out: str


class ModPage(Schema):
    slug: str
    name: str
    summary: str
    author: str
    category: str
    kind: str
    licence: str
    downloads: int
    source: str
    pickup: str
    page: str
    counterpart: str
    builds: list[BuildOut]


@router.get("/games", response=list[GameOut], operation_id="games")
def games(request: HttpRequest) -> list[GameOut]:
    return [_game_out(game) for game in Game.objects.order_by("name")]


def _game_out(game: Game) -> GameOut:
    profile = game.profile
    versions = [
        GameVersionOut(
            version=str(one.version),
            label=one.label,
            channel=one.channel,
            runtime=one.runtime,
            loaders=[
                LoaderOut(
                    id=loader.id,
                    name=loader.name,
                    versions=[
                        LoaderVersionOut(version=str(each.version), recommended=each.recommended)
                        for each in loader.versions_for(one.version)
                    ],
                )
                for loader in profile.loaders
                if loader.versions_for(one.version)
            ],
        )
        for one in profile.versions
    ]
    return GameOut(id=game.id, name=profile.name, summary=profile.summary, versions=versions)


@router.get("/packs/{pack_id}/catalogue", response=FinderPage, operation_id="finder")
def finder(
    request: HttpRequest,
    pack_id: UUID,
    asked: Annotated[FinderIn, Query()],
) -> FinderPage:
    pack = pack_for(request.user, pack_id, Action.SEE)
    base = drafts.base_of(pack.draft)
    found = search(pack.game, base, Asked(**asked.dict()))
    rows = []
    builds = build_rows({mod.pk: mod.slug for mod in found.mods})
    for mod in found.mods:
        fit = fit_of(builds[mod.pk], base)
        rows.append(
            FinderRow(
                slug=mod.slug,
                name=mod.name,
                summary=mod.summary,
                author=mod.author,
                category=mod.category,
                kind=mod.kind,
                downloads=mod.downloads,
                followers=mod.followers,
                rating=mod.rating,
                updated=mod.updated,
                pickup=mod.source.pickup,
                fit_version=fit.version,
                reason=fit.reason,
                needs=list(fit.needs),
            )
        )
    sources = [
        SourceState(name=one.name, pickup=one.pickup, read_at=one.read_at, trouble=one.trouble)
        for one in pack.game.sources.order_by("name")
    ]
    facets = [
        FacetOut(name=name, values=[FacetValue(value=value, count=count) for value, count in values])
        for name, values in found.facets.items()
    ]
    return FinderPage(rows=rows, total=found.total, page=found.page, pages=found.pages, facets=facets, sources=sources)


@router.get("/packs/{pack_id}/mods/{slug}", response=ModPage, operation_id="mod")
def mod(request: HttpRequest, pack_id: UUID, slug: Short) -> ModPage:
    pack = pack_for(request.user, pack_id, Action.SEE)
    found = Mod.objects.filter(game=pack.game, slug=slug).select_related("source").first()
    if found is None:
        raise NotFound(f"No source has {slug}.")
    base = drafts.base_of(pack.draft)
    picks = drafts.picked_builds(pack)
    builds = []
    for one in found.builds.filter(gone=False):
        core = core_of(one, slug)
        ruled_out = one.refused or misfit(core, base) or why_not(core, base, picks)
        builds.append((core.version, _build_out(one, ruled_out)))
    builds.sort(key=lambda pair: pair[0], reverse=True)
    return ModPage(
        slug=found.slug,
        name=found.name,
        summary=found.summary,
        author=found.author,
        category=found.category,
        kind=found.kind,
        licence=found.licence,
        downloads=found.downloads,
        source=found.source.name,
        pickup=found.source.pickup,
        page=found.page,
        counterpart=found.counterpart,
        builds=[shown for _, shown in builds],
    )


def _build_out(build, ruled_out: str) -> BuildOut:
    return BuildOut(
        version=build.version,
        channel=build.channel,
        date=build.date,
        **build.relations,
        side=build.side,
        reach=build.reach,
        archive_size=build.archive_size,
        files=len(build.files),
        change_log=build.change_log,
        ruled_out=ruled_out,
    )
