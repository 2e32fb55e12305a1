"""Collections under a draft, and those that it could take up."""

from collections.abc import Mapping
from uuid import UUID

from ninja import Router

from convoy_core.draft.collections import Otherwise
from convoy_core.lock.suits import read_suits
from convoy_core.outside.fields import Fields
from convoy_core.settings.knowledge import as_words
from convoy_core.words.wording import listed

from ...people.models import User
from ...people.rights import Action, SignedIn
from .. import collections
from ..collections import Taken
from ..models import Pack
from ..services import pack_for
from ..shapes.packs import CollectionOut, OfferedOut, OtherwiseOut, SetOtherwiseOut, SuitsOut

router = Router(tags=["packs"])


@router.get("/packs/{pack_id}/draft/collections", response=list[OfferedOut], operation_id="offered_collections")
def offered(request: SignedIn, pack_id: UUID) -> list[OfferedOut]:
    """Collections of one's crews for the pack's game that it does not have, by name."""
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
    return [
        OfferedOut(
            id=one.pack.pk,
            name=one.pack.name,
            emblem=one.pack.emblem,
            crew=one.pack.crew.name,
            notes=one.pack.notes,
            suits=told.words if (told := suits_out(one.pack)) else "",
            number=one.newest.number if one.newest else "",
            mods=len(one.newest.lines) if one.newest else 0,
            why=one.why,
        )
        for one in collections.offered(request.user, pack)
    ]


def suits_out(pack: Pack) -> SuitsOut | None:
    if pack.suits is None:
        return None
    suits, profile = read_suits(Fields(pack.suits)), pack.game.profile
    loaders = {loader: asked.text for loader, asked in suits.loaders.items()}
    games = f"{profile.name} {'any version' if suits.games.text == '*' else suits.games.in_words()}"
    names = [profile.loader(one).name + ("" if text == "*" else f" {text}") for one, text in loaders.items()]
    return SuitsOut(games=suits.games.text, loaders=loaders, words=f"{games}, {listed(names)}" if names else games)


def collections_out(user: User, pack: Pack, names: Mapping[str, str]) -> list[CollectionOut]:
    """Those under a pack's draft; `names`: of its mods."""
    found = collections.taken(pack.draft)
    called = {one.collection.id: one.collection.name for one in found}
    crews = set(user.memberships.values_list("crew_id", flat=True)) if found else set()

    def otherwise(one: Otherwise) -> OtherwiseOut:
        instead = one.instead if one.by else pack.draft.picks.get(one.mod, "")
        return OtherwiseOut(
            mod=one.mod, name=names.get(one.mod, one.mod), version=one.version, instead=instead,
            by=called.get(one.by, ""),
        )  # fmt: skip

    return [_out(one, [otherwise(each) for each in one.otherwise], crews) for one in found]


def _out(one: Taken, otherwise: list[OtherwiseOut], crews: set[UUID]) -> CollectionOut:
    collection, pack = one.collection, one.pack
    return CollectionOut(
        id=collection.id,
        name=collection.name,
        emblem=pack.emblem if pack else "anchor",
        crew=pack.crew.name if pack else "",
        number=collection.number,
        held=one.held,
        newer=one.newer.number if one.newer else "",
        withdrawn=one.withdrawn,
        misfit=one.misfit,
        lines=len(collection.lines) - len(otherwise),
        shared=sum(each.version == each.instead for each in otherwise),
        settings=len(collection.tweaks),
        steps=len(collection.steps),
        otherwise=[each for each in otherwise if each.version != each.instead],
        sets_otherwise=[
            SetOtherwiseOut(
                path=theirs.path, key=list(theirs.key), theirs=as_words(theirs.value), ours=as_words(ours.value)
            )
            for theirs, ours in one.settings
        ],
        is_seen=pack is not None and pack.crew_id in crews,
    )
