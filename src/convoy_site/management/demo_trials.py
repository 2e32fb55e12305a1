"""The demo's bench: a draft that was started again and again, and failed in a way of its own each time;
and the last of them narrowed down.
"""

from uuid import UUID

from ..packs.models import Pack
from ..packs.services import NewPack, edit_draft, start_pack
from ..packs.shapes.edits import AddMods, EditIn, RemoveMod
from ..people.models import User
from ..trials import narrowing, services, trying
from ..trials.bench import has_bench

GAME = "tillerway"

FIRST = ["night-lanterns", "heron-almanac", "quiet-deck", "fog-over-fen"]
TRIED: tuple[tuple[list[str], list[str]], ...] = (
    (["market-makers", "guild-economy"], []),
    (["slack-water"], ["guild-economy"]),
    (["ghost-barge", "moon-tables"], ["slack-water"]),
)
"""What comes in and goes before each trial: two that rebuild one thing, one that hangs, two that fail together."""


def on_the_bench(curator: User, crew: UUID) -> Pack | None:
    """None where this machine has no bench."""
    if not has_bench(GAME):
        return None
    pack = start_pack(
        curator,
        NewPack(
            crew=crew,
            game=GAME,
            name="Ghost Watch",
            emblem="kite",
            group="When it is dark enough",
            notes="Strange lights, tried on the bench first. Nobody plays this yet.",
            game_version="2.1.0",
            loader="bosun",
            loader_version="5.2.0",
        ),
    )
    _edit(curator, pack, AddMods(do="add many", mods=FIRST))
    _try(curator, pack)
    for added, removed in TRIED:
        _edit(curator, pack, AddMods(do="add many", mods=added), *(RemoveMod(do="remove", mod=mod) for mod in removed))
        trial = _try(curator, pack)
    narrowing.narrow_down(narrowing.ask(curator, pack.id, trial, 1.0).pk)
    return pack


def _edit(curator: User, pack: Pack, *edits: EditIn) -> None:
    pack.draft.refresh_from_db()
    edit_draft(curator, pack.id, pack.draft.revision, list(edits))


def _try(curator: User, pack: Pack) -> UUID:
    asked = services.ask(curator, pack.id)
    trying.try_out(asked.pk)
    return asked.pk
