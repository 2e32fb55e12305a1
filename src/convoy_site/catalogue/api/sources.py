"""Sources of a crew, and one source: looked at, added, read, paused, removed."""

from uuid import UUID

from ninja import Router

from convoy_core.trust.signing import key_fingerprint
from convoy_core.words.model import Pickup

from ...people.rights import Action, SignedIn
from ...people.services import crew_for
from ...people.tries import count_use
from ...shapes import Done
from .. import keeping_sources as keeping
from ..models import Source, SourceState
from ..shapes.sources import AddressIn, LookOut, PauseIn, SourceIn, SourcePage, SourceRow, UsingOut

router = Router(tags=["catalogue"])

LOOKS, LOOKS_WITHIN = 60, 3600
"""How often somebody may have the site ask at an address: it is not to be used to knock at doors."""


@router.get("/crews/{crew_id}/sources", response=list[SourceRow], operation_id="sources")
def sources(request: SignedIn, crew_id: UUID) -> list[SourceRow]:
    crew = crew_for(request.user, crew_id, Action.SEE)
    return [source_row(one) for one in keeping.sources_of(crew)]


@router.post("/crews/{crew_id}/sources/look", response=LookOut, operation_id="look_at_source")
def look_at_source(request: SignedIn, crew_id: UUID, body: AddressIn) -> LookOut:
    crew_for(request.user, crew_id, Action.SOURCES)
    return looked_at(request, body.address)


@router.post("/crews/{crew_id}/sources", response=SourceRow, operation_id="add_source")
def add_source(request: SignedIn, crew_id: UUID, body: SourceIn) -> SourceRow:
    crew = crew_for(request.user, crew_id, Action.SOURCES)
    return source_row(keeping.add_source(request.user, crew, new_source(body)))


@router.get("/sources/{source_id}", response=SourcePage, operation_id="source")
def source(request: SignedIn, source_id: str) -> SourcePage:
    return source_page(request, keeping.source_for(request.user, source_id))


@router.post("/sources/{source_id}/pause", response=SourcePage, operation_id="pause_source")
def pause_source(request: SignedIn, source_id: str, body: PauseIn) -> SourcePage:
    return source_page(request, keeping.pause(request.user, source_id, body.paused))


@router.post("/sources/{source_id}/reading", response=SourcePage, operation_id="read_source")
def read_source(request: SignedIn, source_id: str) -> SourcePage:
    return source_page(request, keeping.read_now(request.user, source_id))


@router.delete("/sources/{source_id}", response=Done, operation_id="remove_source")
def remove_source(request: SignedIn, source_id: str) -> Done:
    keeping.remove_source(request.user, source_id)
    return Done()


def looked_at(request: SignedIn, address: str) -> LookOut:
    count_use("looks", str(request.user.pk), LOOKS, LOOKS_WITHIN)
    found = keeping.look_at(address)
    return LookOut(
        address=found.address,
        name=found.name or keeping.suggested_name(found.address),
        game=found.game,
        pickup=found.pickup,
        key=found.key,
        fingerprint=found.fingerprint,
        pages=found.pages,
        has_versions=found.has_versions,
        profile=found.profile,
    )


def new_source(body: SourceIn) -> keeping.NewSource:
    return keeping.NewSource(body.address, body.game, body.name, body.pickup, body.key, body.follow)


def source_row(one: Source) -> SourceRow:
    return SourceRow(
        id=one.pk,
        name=one.name,
        game=one.game_id,
        game_name=one.game.name,
        address=one.address,
        pickup=Pickup(one.pickup),
        state=SourceState(one.state),
        fingerprint=key_fingerprint(bytes.fromhex(one.key)) if one.key else "",
        added_by=one.added_by.shown if one.added_by else "",
        read_at=one.read_at,
        trouble=one.trouble,
        rest_until=one.rest_until,
        pages_done=one.pages_done,
        pages_changed=one.pages_changed,
        mods=getattr(one, "mod_count", 0),
    )


def source_page(request: SignedIn, one: Source) -> SourcePage:
    size = keeping.size_of(one)
    may_change = keeping.may_change(request.user, one)
    row = source_row(one).model_copy(update={"mods": one.mods.count()})
    return SourcePage(
        **row.model_dump(),
        builds=size.builds,
        bytes=size.bytes,
        refused=size.refused,
        gone=size.gone,
        bytes_read=one.bytes_read,
        troubles=keeping.troubles_of(one),
        # Whose packs they are is told to nobody else than whoever could take the source away.
        using=[UsingOut(name=name, builds=count) for name, count in keeping.packs_using(one)] if may_change else [],
        follows=one.game.follows_id == one.pk,
        may_change=may_change,
    )
