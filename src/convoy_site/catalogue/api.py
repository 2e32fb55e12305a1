"""Games and their bases, the finder, and one mod in the inspector."""

from datetime import date, datetime
from typing import Annotated
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from ninja import Path, Query, Router, Schema

from convoy_core.resolve import why_not
from convoy_core.words.licences import meaning
from convoy_core.words.model import misfit
from convoy_core.words.profile import GameChannel
from convoy_core.words.wording import listed

from ..packs import drafts
from ..packs.models import Pack
from ..packs.services import pack_for
from ..people.rights import Action, NotFound
from ..shapes import Short
from . import pages
from .models import Game, Mod
from .search import Asked, search
from .services import build_rows, core_of, fit_of, shelf

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
    picture: bool


class SourceState(Schema):
    name: str
    pickup: str
    read_at: datetime | None
    trouble: str
    pages_done: int
    pages_changed: int
    rest_until: datetime | None
    """`pages_done` below `pages_changed`: it is being read, or will be read on from there."""


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


class FileOut(Schema):
    path: str
    size: int


class PackUse(Schema):
    """A pack of mine that has the mod, and in which build."""

    id: UUID
    name: str
    version: str


class NeighbourOut(Schema):
    """Another mod that this one's page speaks of."""

    mod: str
    name: str
    what: str


class MoreOfMod(Schema):
    """What only the mod's own page shows. `touches` are paths of its newest fitting build that others of the draft
    place, too; `carries` its first files.
    """

    pictures: int
    on_removal: str
    licence_sentence: str
    passing_on: str
    needed_by: list[NeighbourOut]
    needed_by_in_all: int
    counterpart: NeighbourOut | None
    in_packs: list[PackUse]
    version: str
    carries: list[FileOut]
    carries_in_all: int
    touches: list[NeighbourOut]


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
    asked: Annotated[Asked, Query()],
) -> FinderPage:
    pack = pack_for(request.user, pack_id, Action.SEE)
    base = drafts.base_of(pack.draft)
    found = search(shelf(pack), pack.game.profile, base, asked)
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
                picture=bool(mod.pictures),
            )
        )
    sources = [
        SourceState(
            name=one.name,
            pickup=one.pickup,
            read_at=one.read_at,
            trouble=one.trouble,
            pages_done=one.pages_done,
            pages_changed=one.pages_changed,
            rest_until=one.rest_until,
        )
        for one in pack.game.sources.filter(crew=None).order_by("name")
    ]
    facets = [
        FacetOut(name=name, values=[FacetValue(value=value, count=count) for value, count in values])
        for name, values in found.facets.items()
    ]
    return FinderPage(rows=rows, total=found.total, page=found.page, pages=found.pages, facets=facets, sources=sources)


@router.get("/packs/{pack_id}/mods/{slug}", response=ModPage, operation_id="mod")
def mod(request: HttpRequest, pack_id: UUID, slug: Short) -> ModPage:
    pack = pack_for(request.user, pack_id, Action.SEE)
    found = _mod(pack, slug)
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


def _mod(pack: Pack, slug: str) -> Mod:
    found = shelf(pack).filter(slug=slug).select_related("source").first()
    if found is None:
        raise NotFound(f"No source has {slug}.")
    return found


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


@router.get("/packs/{pack_id}/mods/{slug}/more", response=MoreOfMod, operation_id="more_of_mod")
def more_of_mod(request: HttpRequest, pack_id: UUID, slug: Short) -> MoreOfMod:
    """What the mod's own page shows beside what the inspector does."""
    pack = pack_for(request.user, pack_id, Action.SEE)
    found = _mod(pack, slug)
    more = pages.more_of(request.user, pack, found, drafts.base_of(pack.draft), pack.draft.picks)
    means = meaning(found.licence)
    names = dict(shelf(pack).filter(slug__in=more.touched).values_list("slug", "name"))
    files = more.build.files if more.build else []
    return MoreOfMod(
        pictures=len(found.pictures),
        on_removal=found.on_removal,
        licence_sentence=means.sentence,
        passing_on=means.passing_on,
        needed_by=[NeighbourOut(mod=one.slug, name=one.name, what=one.summary) for one in more.needed_by],
        needed_by_in_all=more.needed_by_in_all,
        counterpart=more.counterpart
        and NeighbourOut(mod=more.counterpart.slug, name=more.counterpart.name, what=more.counterpart.summary),
        in_packs=[PackUse(id=one.id, name=one.name, version=version) for one, version in more.in_packs],
        version=more.build.version if more.build else "",
        carries=[FileOut(path=path, size=size) for path, size, _ in sorted(files)[: pages.SHOWN]],
        carries_in_all=len(files),
        touches=[
            NeighbourOut(mod=mod, name=names.get(mod, mod), what=listed(paths[:3]))
            for mod, paths in more.touched.items()
        ],
    )


@router.get("/packs/{pack_id}/mods/{slug}/pictures/{number}", operation_id="mod_picture")
def mod_picture(
    request: HttpRequest, pack_id: UUID, slug: Short, number: Annotated[int, Path(ge=0, le=20)]
) -> HttpResponse:
    """A picture of a mod, as WebP of 640 by 360 points."""
    pack = pack_for(request.user, pack_id, Action.SEE)
    drawn = pages.picture(_mod(pack, slug), number)
    return HttpResponse(drawn, content_type="image/webp", headers={"Cache-Control": "private, max-age=86400"})
