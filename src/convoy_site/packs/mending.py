"""Ways to mend findings: each rehearsed before it is offered, and all that are safe carried out together."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from pydantic import TypeAdapter

from convoy_core.checks import Finding, Severity, Way
from convoy_core.draft.surprises import in_one_line
from convoy_core.words.errors import ConvoyError

from ..people.models import User
from ..people.rights import Action, NotFound
from . import checking, services
from .models import Draft
from .services import Outcome, pack_for
from .shapes.edits import EditIn

EDIT: TypeAdapter[Any] = TypeAdapter(EditIn)

MOST_TRIES = 40
"""Ways that one press tries at the most; what is left is mended by pressing again."""


@dataclass(frozen=True)
class Tried:
    """A way and what it would do. `mends`: its finding would be gone; `is_safe`: and nothing else would change, or be
    found, that is worth a look.
    """

    way: Way
    line: str
    mends: bool
    is_safe: bool


@dataclass(frozen=True)
class Mended:
    what: str
    way: str


def edits_of(way: Way) -> list[EditIn]:
    return [EDIT.validate_python(dict(edit)) for edit in way.edits]


def ways_of(user: User, pack_id: UUID, finding_id: str) -> list[Tried]:
    """The ways to mend one finding, each rehearsed. Raises NotFound where it is not found any more."""
    pack = pack_for(user, pack_id, Action.EDIT)
    found = checking.findings(pack.draft)
    finding = next((one for one in found if one.id == finding_id), None)
    if finding is None:
        raise NotFound("This is not found any more.", "The draft has changed.", "Look at the list again.")
    return [_try(user, pack.draft, [], finding, found, way) for way in finding.ways]


def _judged(way: Way, finding: Finding, before: Sequence[Finding], after: Sequence[Finding], outcome: Outcome) -> Tried:
    known = {one.id for one in before}
    fresh = [one for one in after if one.id not in known]
    mends = all(one.id != finding.id for one in after)
    line = in_one_line(outcome.changes, [one.what for one in fresh if one.severity is not Severity.ADVICE])
    if not mends:
        line = f"{line} It does not mend this."
    is_quiet = not outcome.more and not outcome.unsettled and not outcome.left_out
    graver = [one for one in fresh if one.severity is not Severity.ADVICE]
    return Tried(way, line, mends, mends and is_quiet and not graver and not way.is_choice)


def mend_safe(user: User, pack_id: UUID, revision: int, rehearse: bool) -> tuple[list[Mended], int]:
    """Carries out, for each finding that is not laid down, the first of its ways that is safe. Gives what was mended
    and the draft's revision. With `rehearse` nothing is kept. Raises Stale.
    """
    pack = pack_for(user, pack_id, Action.EDIT)
    mended: list[Mended] = []
    edits: list[EditIn] = []
    tries = 0
    found = checking.findings(pack.draft)
    for finding in checking.open_findings(pack.draft, found):
        for way in finding.ways:
            if way.is_choice or tries >= MOST_TRIES:
                continue
            tries += 1
            tried = _try(user, pack.draft, edits, finding, found, way)
            if tried.is_safe:
                edits += edits_of(way)
                mended.append(Mended(finding.what, way.text))
                break
    if edits and not rehearse:
        outcome = services.edit_draft(user, pack_id, revision, edits)
        return mended, outcome.revision
    return mended, pack.draft.revision


def _try(
    user: User, draft: Draft, edits: Sequence[EditIn], finding: Finding, before: Sequence[Finding], way: Way
) -> Tried:
    """Rehearses a way behind edits that are to be made with it, and looks what is found then."""
    after: list[Finding] = []
    try:
        outcome = services.edit_draft(
            user,
            draft.pack_id,
            draft.revision,
            [*edits, *edits_of(way)],
            rehearse=True,
            look=lambda now: after.extend(checking.findings(now)),
        )
    except ConvoyError as error:
        return Tried(way, f"Cannot be done: {error.sentence()}", False, False)
    return _judged(way, finding, before, after, outcome)
