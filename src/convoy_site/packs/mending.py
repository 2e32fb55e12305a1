"""Ways to mend findings: each rehearsed before it is offered, and all that are safe carried out together."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, Any
from uuid import UUID

from pydantic import Field, TypeAdapter

from convoy_core.checks import Finding, Severity, Way, run_checks
from convoy_core.draft.surprises import in_one_line
from convoy_core.lock.change_log import What
from convoy_core.words.errors import ConvoyError

from ..people.models import User
from ..people.rights import Action, NotFound
from . import checking, services
from .models import Draft
from .services import Outcome, pack_for
from .shapes.edits import EditIn, named_by

EDIT: TypeAdapter[Any] = TypeAdapter(Annotated[EditIn, Field(discriminator="do")])

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
    before = _seen(pack.draft)
    finding = finding_among(before.findings, finding_id)
    return [_try(user, pack.draft, [], finding, before, way) for way in finding.ways]


def finding_among(findings: Sequence[Finding], finding_id: str) -> Finding:
    """Raises NotFound where it is not found any more."""
    found = next((one for one in findings if one.id == finding_id), None)
    if found is None:
        raise NotFound("This is not found any more.", "The draft has changed.", "Look at the list again.")
    return found


def mend_safe(user: User, pack_id: UUID, revision: int, rehearse: bool) -> tuple[list[Mended], int]:
    """Carries out, for each finding that is not laid down, the first of its ways that is safe. Gives what was mended
    and the draft's revision. With `rehearse` nothing is kept. Raises Stale.
    """
    pack = pack_for(user, pack_id, Action.EDIT)
    mended: list[Mended] = []
    edits: list[EditIn] = []
    tries = 0
    before = _seen(pack.draft)
    for finding in checking.open_findings(pack.draft, before.findings):
        for way in finding.ways:
            if way.is_choice or tries >= MOST_TRIES:
                continue
            tries += 1
            tried = _try(user, pack.draft, edits, finding, before, way)
            if tried.is_safe:
                edits += edits_of(way)
                mended.append(Mended(finding.what, way.text))
                break
    if edits and not rehearse:
        outcome = services.edit_draft(user, pack_id, revision, edits)
        return mended, outcome.revision
    return mended, pack.draft.revision


@dataclass(frozen=True)
class Seen:
    """A draft as the checks see it: what they find, and whose file lies at every path."""

    findings: list[Finding]
    lies: Mapping[str, str]


def _seen(draft: Draft) -> Seen:
    subject = checking.subject_of(draft)
    return Seen(run_checks(subject), {path: subject.hashes[mod][path] for path, mod in subject.laid.holder.items()})


def _try(user: User, draft: Draft, edits: Sequence[EditIn], finding: Finding, before: Seen, way: Way) -> Tried:
    """Rehearses a way behind edits that are to be made with it, and looks what is found then."""
    after: list[Seen] = []
    wanted = [*edits, *edits_of(way)]
    try:
        outcome = services.edit_draft(
            user, draft.pack_id, draft.revision, wanted, rehearse=True, look=lambda now: after.append(_seen(now))
        )
    except ConvoyError as error:
        return Tried(way, f"Cannot be done: {error.sentence()}", False, False)
    return _judged(way, finding, before, after[0], outcome)


def _judged(way: Way, finding: Finding, before: Seen, after: Seen, outcome: Outcome) -> Tried:
    known = {one.id for one in before.findings}
    graver = [one for one in after.findings if one.id not in known and one.severity is not Severity.ADVICE]
    mends = all(one.id != finding.id for one in after.findings)
    files = sum(before.lies.get(path) != after.lies.get(path) for path in before.lies.keys() | after.lies.keys())
    line = in_one_line(outcome.changes, files, [one.what for one in graver])
    if not mends:
        line = f"{line} It does not mend this."
    # What a mod that is named brings along is no surprise; anything else that moves is.
    named = {mod for edit in edits_of(way) for mod in named_by(edit)}
    strangers = [one for one in outcome.changes if one.mod not in named and one.what is not What.ADDED]
    is_quiet = not strangers and not (outcome.unsettled or outcome.left_out or outcome.staying or outcome.other_builds)
    return Tried(way, line, mends, mends and is_quiet and not graver and not way.is_choice)
