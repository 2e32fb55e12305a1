"""The finder, and one mod: in the inspector and on its own page."""

from collections.abc import Sequence
from typing import Annotated
from uuid import UUID

from django.db.models import Q, QuerySet
from django.http import HttpResponse
from ninja import Path, Query, Router

from convoy_core.outside.claims import read_claims
from convoy_core.outside.fields import Fields
from convoy_core.resolve import why_not
from convoy_core.words.licences import meaning
from convoy_core.words.model import Base, Channel, Kind, Pickup, Reach, Side, Verdict
from convoy_core.words.wording import listed

from ...catalogue import pictures
from ...catalogue.models import Addition, Build, Mod, Source, SourceState
from ...catalogue.sayings import own_claims
from ...catalogue.search import Asked, search
from ...catalogue.services import build_rows, core_of, fit_of, shelf
from ...people.rights import Action, NotFound, SignedIn
from ...shapes import Short
from .. import drafts, mod_pages
from ..models import Pack
from ..services import pack_for
from ..shapes.mods import (
    AddedOut,
    AddedPart,
    BuildOut,
    FacetOut,
    FacetValue,
    FileOut,
    FinderPage,
    FinderRow,
    Freshness,
    ModPage,
    MoreOfMod,
    NeighbourOut,
    PackUse,
    VerdictOut,
)

router = Router(tags=["catalogue"])


@router.get("/packs/{pack_id}/catalogue", response=FinderPage, operation_id="finder")
def finder(
    request: SignedIn,
    pack_id: UUID,
    asked: Annotated[Asked, Query()],
) -> FinderPage:
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
    base = drafts.base_of(pack.draft)
    said = drafts.sayings_in(pack.draft)
    spoken_for = said.works_on(base) if asked.fitting_only else ()
    found = search(shelf(pack), pack.game.profile, base, asked, spoken_for)
    rows = []
    builds = build_rows(said, {mod.pk: mod.slug for mod in found.mods})
    picks = drafts.picked_builds(pack)
    for mod in found.mods:
        fit = fit_of(builds[mod.pk], base, picks)
        rows.append(
            FinderRow(
                slug=mod.slug,
                name=mod.name,
                summary=mod.summary,
                author=mod.author,
                category=mod.category,
                kind=Kind(mod.kind),
                downloads=mod.downloads,
                followers=mod.followers,
                rating=mod.rating,
                updated=mod.updated,
                added=mod.added,
                pickup=Pickup(found.pickups[mod.source_id]),
                fit_version=fit.version,
                reason=fit.reason,
                needs=list(fit.needs),
                picture=bool(mod.pictures),
            )
        )
    sources = [
        Freshness(
            name=one.name,
            pickup=Pickup(one.pickup),
            read_at=one.read_at,
            trouble=one.trouble,
            pages_done=one.pages_done,
            pages_changed=one.pages_changed,
            rest_until=one.rest_until,
        )
        for one in _seen_sources(pack)
    ]
    facets = [
        FacetOut(name=name, values=[FacetValue(value=value, count=count) for value, count in values])
        for name, values in found.facets.items()
    ]
    return FinderPage(rows=rows, total=found.total, page=found.page, pages=found.pages, facets=facets, sources=sources)


@router.get("/packs/{pack_id}/mods/{slug}", response=ModPage, operation_id="mod")
def mod(request: SignedIn, pack_id: UUID, slug: Short) -> ModPage:
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
    found = _mod(pack, slug)
    base = drafts.base_of(pack.draft)
    picks = drafts.picked_builds(pack)
    builds = []
    said = drafts.sayings_in(pack.draft)
    rows = [(one, said.heard(core_of(one, slug))) for one in found.builds.filter(gone=False)]
    related = {mod for _, core in rows for mod in (*core.needs, *core.breaks, *core.provides)}
    names = drafts.names_of(pack, {*related, *picks, slug, *filter(None, [found.counterpart])})
    for one, core in rows:
        ruled_out = one.refused or why_not(core, base, picks, names)
        builds.append((core.version, _build_out(one, ruled_out, core.verdicts, base)))
    builds.sort(key=lambda pair: pair[0], reverse=True)
    return ModPage(
        slug=found.slug,
        name=found.name,
        summary=found.summary,
        author=found.author,
        category=found.category,
        kind=Kind(found.kind),
        licence=found.licence,
        downloads=found.downloads,
        source=found.source.name,
        pickup=Pickup(found.source.pickup),
        page=found.page,
        counterpart=found.counterpart,
        builds=[shown for _, shown in builds],
        comes=fit_of(build_rows(said, {found.pk: slug})[found.pk], base, picks).version,
        added=_added_out(said.additions.get(slug)),
        names={mod: names[mod] for mod in (*related, *filter(None, [found.counterpart]))},
    )


def _mod(pack: Pack, slug: str) -> Mod:
    found = shelf(pack).filter(slug=slug).select_related("source").first()
    if found is None:
        raise NotFound(f"No source has {slug}.")
    return found


def _added_out(added: Addition | None) -> AddedOut | None:
    if added is None:
        return None
    claims = read_claims(Fields(added.claims))
    return AddedOut(
        touches=list(claims.touches),
        rebuilds=list(claims.rebuilds),
        partners=list(claims.partners),
        parts=[AddedPart(name=part.name, folders=list(part.folders)) for part in claims.parts],
        side=added.side,
        reach=added.reach,
        note=added.note,
        by=added.by.shown,
        on=added.on,
    )


def _build_out(build: Build, ruled_out: str, verdicts: Sequence[Verdict], base: Base) -> BuildOut:
    claims = own_claims(build)
    return BuildOut(
        version=build.version,
        channel=Channel(build.channel),
        date=build.date,
        **build.relations,
        side=Side(build.side),
        reach=Reach(build.reach),
        archive_size=build.archive_size,
        files=len(build.files),
        change_log=build.change_log,
        ruled_out=ruled_out,
        touches=list(claims.touches),
        rebuilds=list(claims.rebuilds),
        partners=list(claims.partners),
        verdicts=[VerdictOut(works=one.works, here=one.is_about(base), sentence=one.sentence()) for one in verdicts],
    )


@router.get("/packs/{pack_id}/mods/{slug}/more", response=MoreOfMod, operation_id="more_of_mod")
def more_of_mod(request: SignedIn, pack_id: UUID, slug: Short) -> MoreOfMod:
    """What the mod's own page shows beside what the inspector does."""
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
    found = _mod(pack, slug)
    more = mod_pages.more_of(request.user, pack, found, drafts.base_of(pack.draft), pack.draft.picks)
    means = meaning(found.licence)
    names = dict(shelf(pack).filter(slug__in=more.touched).values_list("slug", "name"))
    files = more.build.files if more.build else []
    return MoreOfMod(
        pictures=len(found.pictures),
        on_removal=found.on_removal,
        licence_sentence=means.sentence,
        passing_on=means.passing_on,
        needed_by=[_neighbour(one) for one in more.needed_by],
        needed_by_in_all=more.needed_by_in_all,
        counterpart=NeighbourOut(mod=more.counterpart.slug, name=more.counterpart.name, what=more.counterpart.summary)
        if more.counterpart
        else None,
        in_packs=[PackUse(id=one.id, name=one.name, version=version) for one, version in more.in_packs],
        version=more.build.version if more.build else "",
        carries=[FileOut(path=path, size=size) for path, size, _ in sorted(files)[: mod_pages.SHOWN]],
        carries_in_all=len(files),
        touches=[
            NeighbourOut(mod=mod, name=names.get(mod, mod), what=listed(paths[:3]))
            for mod, paths in more.touched.items()
        ],
    )


def _neighbour(mod: Mod) -> NeighbourOut:
    return NeighbourOut(mod=mod.slug, name=mod.name, what=mod.summary)


@router.get("/packs/{pack_id}/mods/{slug}/pictures/{number}", operation_id="mod_picture")
def mod_picture(
    request: SignedIn, pack_id: UUID, slug: Short, number: Annotated[int, Path(ge=0, le=20)]
) -> HttpResponse:
    """A picture of a mod, as WebP of 640 by 360 points."""
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
    drawn = pictures.picture(_mod(pack, slug), number)
    return HttpResponse(drawn, content_type="image/webp", headers={"Cache-Control": "private, max-age=86400"})


def _seen_sources(pack: Pack) -> QuerySet[Source]:
    """Sources of which the pack can have mods, those of its crew among them."""
    seen = Q(crew=None) | Q(crew=pack.crew_id)
    return pack.game.sources.filter(seen, is_own=False).exclude(state=SourceState.REMOVED).order_by("name")
