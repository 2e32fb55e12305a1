"""Starting with what one wants to play: which base of a game has most of a list, or of a folder."""

from typing import Any
from uuid import UUID

from ninja import Router

from convoy_core.words.model import Base

from ...catalogue.models import Game
from ...people.rights import SignedIn
from ...receiving import upload_of
from ...shapes import FILE_BODY
from .. import beginning
from ..shapes.beginning import BeginningBaseOut, BeginningIn, BeginningOut
from ..shapes.packs import NamedMod

router = Router(tags=["packs"])


@router.post("/games/{game_id}/beginning", response=BeginningOut, operation_id="begin_with_list")
def begin_with_list(request: SignedIn, game_id: str, body: BeginningIn) -> BeginningOut:
    """What a pasted list comes to on each base of a game: asked before there is a pack."""
    return _beginning(beginning.with_list(request.user, game_id, body.crew, body.text))


@router.post(
    "/games/{game_id}/beginning/folder",
    response=BeginningOut,
    operation_id="begin_with_folder",
    openapi_extra=FILE_BODY,
)
def begin_with_folder(request: SignedIn, game_id: str, crew: UUID | None = None) -> BeginningOut:
    """The same for a folder's listing, or a ZIP of it."""
    return _beginning(beginning.with_folder(request.user, game_id, crew, upload_of(request)))


def _beginning(found: beginning.Beginning) -> BeginningOut:
    return BeginningOut(
        mods=[NamedMod(mod=mod.slug, name=mod.name) for mod in found.mods],
        unknown=found.unknown[:200],
        bases=[
            BeginningBaseOut(
                **_base(found.game, one.base),
                fits=one.exist,
                through=len(one.through),
                mods=[one.through.get(mod.slug, mod.slug) for mod in found.mods if mod.slug not in one.missing],
                missing=[found.names.get(mod, mod) for mod in one.missing][:50],
            )
            for one in found.bases
        ],
    )


def _base(game: Game, base: Base) -> dict[str, Any]:
    profile = game.profile
    return {
        "game_version": str(base.version),
        "loader": base.loader,
        "loader_version": str(base.loader_version or ""),
        "label": profile.base_in_words(base),
    }
