"""The demo's bench: a draft that was started again and again, and failed in a way of its own each time; the last of
them narrowed down; and a member on whose machine it fails, too, and who calls for help.
"""

from collections.abc import Mapping, Sequence
from uuid import UUID

from django.core.management.base import CommandError

from ..installations.choices import MemberChoices, choose
from ..installations.joining import join
from ..installations.models import Installation
from ..installations.orders import note_order
from ..installations.tasks import obey
from ..packs.models import Pack
from ..packs.services import NewPack, edit_draft, start_pack
from ..packs.shapes.edits import AddMods, EditIn, RemoveMod
from ..people.models import User
from ..releases.join_codes import make_join_code
from ..releases.services import publish
from ..trials import narrowing, services, trying
from ..trials.bench import has_bench
from ..trials.helping import services as calls
from ..trials.helping.shapes import ReleaseProposal, StepProposal
from ..trials.models import HelpCall

GAME = "tillerway"

FIRST = ["night-lanterns", "heron-almanac", "quiet-deck", "fog-over-fen"]
TRIED: tuple[tuple[list[str], list[str]], ...] = (
    (["market-makers", "guild-economy"], []),
    (["slack-water"], ["guild-economy"]),
    (["ghost-barge", "moon-tables"], ["slack-water"]),
)
"""What comes in and goes before each trial: two that rebuild one thing, one that hangs, two that fail together."""


def on_the_bench(people: Mapping[str, User], crew: UUID) -> Pack | None:
    """None where this machine has no bench."""
    curator = people["tolliver"]
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
    _publish(curator, pack, "0.8.0", "Four mods and the fog. To be tried by whoever likes to.")
    for added, removed in TRIED:
        _edit(curator, pack, AddMods(do="add many", mods=added), *(RemoveMod(do="remove", mod=mod) for mod in removed))
        trial = _try(curator, pack)
    narrowing.narrow_down(narrowing.ask(curator, pack.id, trial, 1.0).pk)
    _somebody_is_stuck(curator, people["odwin"], (people["perrin"], people["sunniva"]), pack)
    return pack


def _edit(curator: User, pack: Pack, *edits: EditIn) -> None:
    pack.draft.refresh_from_db()
    edit_draft(curator, pack.id, pack.draft.revision, list(edits))


def _try(curator: User, pack: Pack) -> UUID:
    asked = services.ask(curator, pack.id)
    trying.try_out(asked.pk)
    return asked.pk


def _publish(curator: User, pack: Pack, number: str, notes: str) -> None:
    pack.draft.refresh_from_db()
    publish(curator, pack.id, pack.draft.revision, number, "trial", notes)


def _somebody_is_stuck(curator: User, odwin: User, others: Sequence[User], pack: Pack) -> None:
    """Odwin plays what is out for trial; the newest falls over on his machine, too, and he calls for help. Two had the
    same before.
    """
    code = make_join_code(curator, pack.id, None).code
    one = join(odwin, code, "Ghost Watch", "player", "odwins-box")
    choose(odwin, one.pk, MemberChoices(trial=True))
    _stand_in(one, "sync")
    _stand_in(one, "play")
    _publish(curator, pack, "0.9.0", "Barges that nobody steers, and tables for the moon.")
    _stand_in(one, "sync")
    _stand_in(one, "play")
    _stand_in(one, "call for help", words="Since the new one it never comes up. I have tried it three times.")
    mine = one.help_calls.get()
    for member, words in zip(others, ("It falls over at once.", "Black, then gone."), strict=True):
        call = HelpCall.objects.create(
            pack=pack, member=member, number="0.9.0", words=words, text=mine.text,
            cause=mine.cause, alike=mine.alike, mods=mine.mods, starts=mine.starts,
        )  # fmt: skip
        calls.send(member, call.pk)
        step = StepProposal(do="step", text="Start it without mods once, so that your settings are written anew.")
        calls.say(curator, call.pk, "Which mods are those? I am on it.", step)
        calls.close(curator, call.pk, "Ghost Barge, which cannot be with Moon Tables")
    calls.send(odwin, mine.pk)
    hold = ReleaseProposal(do="release", number="0.8.0")
    calls.say(curator, mine.pk, "The bench says the same. Until it is mended:", hold)


def _stand_in(one: Installation, what: str, **given: str) -> None:
    """As from the installation's page, but done here and now."""
    note_order(one, what, given)
    obey(installation=str(one.pk))
    one.refresh_from_db()
    if one.answer.get("refused"):
        raise CommandError(f"{one.member.shown}: {one.answer['said']}")
