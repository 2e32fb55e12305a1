"""A trial as evidence: for the checks of a draft, and for what somebody says of a build."""

from convoy_core.checks import Tried
from convoy_core.log.entries import Ended
from convoy_io.judging import read_outcome

from ..packs.models import Pack
from ..releases.models import MakingState


def tried(pack: Pack) -> Tried | None:
    """The newest trial of the draft as it is. One that could not be made says nothing of it."""
    made = pack.trials.filter(release=None, revision=pack.draft.revision, state=MakingState.DONE).first()
    if made is None:
        return None
    outcome = read_outcome(made.outcome)
    cause = outcome.cause
    sentence = cause.sentence if cause else outcome.last or "its log names no cause."
    named = tuple(mod for mod in (cause.mod, cause.other) if mod) if cause else ()
    came_up = outcome.came_up and outcome.ended != Ended.CRASHED
    without = tuple(row["name"] for row in made.without)
    return Tried(came_up, sentence, named, outcome.fates, made.at.date().isoformat(), without)
