"""What is done with packs and drafts: started, described, edited. Each in one transaction, through one door."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any
from uuid import UUID

from django.db import IntegrityError, transaction

from convoy_core.draft.settling import Settled
from convoy_core.draft.surprises import does_more
from convoy_core.draft.taking_back import Done
from convoy_core.lock.change_log import Change, picks_changes
from convoy_core.resolve import leading_to, needed_by, why_not
from convoy_core.words.errors import ConvoyError, NameTaken
from convoy_core.words.versions import parse_version
from convoy_core.words.wording import counted

from ..catalogue import after
from ..catalogue.games import game_for
from ..catalogue.services import fit_of
from ..people.events import Happened, tell
from ..people.models import Crew, SiteRules, User
from ..people.rights import MAY, Action, NotFound, Sealed, allow
from ..people.services import crew_for
from ..people.tries import TooMany
from . import drafts
from .applied import Applied, told
from .collection_edits import NoCollection, refuse_in_collection, refuse_too_much
from .collections import suits_of
from .edits import APPLY
from .history import difference, moment
from .lead_edits import FOLLOWING
from .models import Draft, Edit, Pack
from .saying_edits import SAYING
from .setting_edits import SETTING
from .shapes.edits import (
    AddMod,
    AddMods,
    CopyLines,
    CopySet,
    Detach,
    DropCollection,
    EditIn,
    HoldLine,
    RemoveMod,
    SwitchLine,
    TakeBuild,
    TakeFromLead,
    TakeOver,
    TakeProposal,
    TakeUp,
    UpdateMods,
    added_by,
    named_by,
    promised_by,
    subjects_below,
    subjects_of,
)


class Stale(ConvoyError):
    """The write was made against a draft that has moved on in the same place. `data["meanwhile"]` tells the edits."""

    code = "stale"


class DoesNotFit(ConvoyError):
    """The mod that was to be added cannot come in; nothing was changed."""

    code = "does-not-fit"


class Retired(ConvoyError):
    """A pack that nobody works on any more."""

    code = "retired"


WORK = (Action.EDIT, Action.PUBLISH, Action.HAND_OUT)
"""What is not done with a retired pack."""


def pack_for(user: User, pack_id: UUID, action: Action) -> Pack:
    """The pack, when the user may do this with it. Raises NotFound or Forbidden."""
    pack = Pack.objects.select_related("crew", "game", "draft").filter(pk=pack_id).first()
    if pack is None:
        raise NotFound("This pack does not exist, or you are not in its crew.", now="Ask for a join code.")
    role = allow(user, pack.crew, action, "This pack")
    if action is Action.SEE_DRAFT and pack.draft.is_kept and role not in MAY[Action.EDIT]:
        raise Sealed(
            f"The draft of {pack.name} is kept to its curators.",
            "What comes next is to be a surprise." if pack.draft.kept else "It is what a sealed release holds.",
            "Ask one of them." if pack.draft.kept else "Look again when that release has opened.",
            until=str(pack.draft.kept_until or ""),
        )
    if pack.retired_at and action in WORK:
        raise Retired(
            f"{pack.name} is retired.", pack.retired_because, "Its crew's owner can bring it back.", pack=str(pack.pk)
        )
    pack.draft.pack = pack
    return pack


@dataclass(frozen=True)
class NewPack:
    crew: UUID
    game: str
    name: str
    emblem: str
    group: str
    notes: str
    game_version: str
    loader: str
    loader_version: str
    suits: tuple[str, dict[str, str]] | None = None
    """Of a collection: the game versions, and the versions of each loader, that it suits."""


def start_pack(user: User, new: NewPack) -> Pack:
    crew: Crew = crew_for(user, new.crew, Action.EDIT)
    game = game_for(user, new.game)
    if game.crew_id not in (None, crew.pk):
        raise NotFound(f"{game.name} is another crew's game.", now="Choose one of those listed.")
    base = game.profile.base(new.game_version, new.loader, new.loader_version)
    most = SiteRules.now().packs_per_crew
    with _name_taken(new.name, crew), transaction.atomic():
        if crew.packs.count() >= most:
            raise TooMany(f"{crew.name} has {counted(most, 'pack')} already.", now="Use one of those.")
        pack = Pack.objects.create(
            crew=crew,
            game=game,
            name=new.name,
            emblem=new.emblem,
            group=new.group,
            notes=new.notes,
            started_by=user,
        )
        if new.suits is not None:
            pack.suits = suits_of(pack, *new.suits)
            pack.save(update_fields=["suits"])
        Draft.objects.create(
            pack=pack,
            game_version=str(base.version),
            loader=base.loader,
            loader_version=str(base.loader_version or ""),
        )
    return pack


def describe_pack(
    user: User,
    pack_id: UUID,
    suits: tuple[str, dict[str, str]] | None = None,
    kept: bool | None = None,
    **changed: str,
) -> None:
    """Changes name, emblem, group or notes; of a collection, what it suits. `kept`: whether its curators keep the draft
    to themselves.
    """
    pack = pack_for(user, pack_id, Action.EDIT)
    if kept is not None:
        Draft.objects.filter(pack=pack).update(kept=kept)
    if suits is not None:
        if not pack.is_collection:
            raise NoCollection(f"{pack.name} is no collection.", "It has a base of its own.", "Change that.")
        pack.suits = suits_of(pack, *suits)
    was = pack.name
    for name, value in changed.items():
        setattr(pack, name, value)
    with _name_taken(pack.name, pack.crew), transaction.atomic():
        pack.save(update_fields=[*changed, "suits"])
        if pack.name != was:
            tell(Happened.RENAMED, pack.crew, user, pack.pk, name=pack.name, was=was)


class _name_taken:
    """Tells a second pack of the same name as the refusal it is."""

    def __init__(self, name: str, crew: Crew) -> None:
        self._name, self._crew = name, crew

    def __enter__(self) -> None: ...

    def __exit__(self, kind: object, error: BaseException | None, trace: object) -> None:
        if isinstance(error, IntegrityError) and "one_pack_per_name_in_crew" in str(error):
            raise NameTaken(
                f"{self._crew.name} has a pack named “{self._name}” already.",
                "Capital letters do not make a difference.",
                "Choose another name.",
                field="name",
            ) from error


ASKING = (
    RemoveMod, SwitchLine, HoldLine, TakeBuild, UpdateMods, AddMod, AddMods, TakeOver, CopyLines, TakeUp,
    DropCollection, Detach, TakeFromLead, TakeProposal,
)  # fmt: skip
"""Edits that are shown before they are kept where they do more than was asked."""

UNDOABLE = 300
"""Edits back to which one may undo."""

ADDING = (AddMod, AddMods, TakeOver, CopyLines, TakeUp)


@dataclass(frozen=True)
class OtherBuild:
    """A build that comes in the place of a newer or promised one (`wanted`), and why that does not."""

    mod: str
    version: str
    wanted: str
    why: str


@dataclass
class Outcome:
    """What an edit did: changes of builds, lines that lost or got back a build, and what others did meanwhile."""

    revision: int
    changes: Sequence[Change]
    unsettled: dict[str, Any]
    settled_again: list[str]
    sentence: str
    meanwhile: list[str] = field(default_factory=list)
    left_out: dict[str, Any] = field(default_factory=dict)
    """Of many mods added at once those that cannot come in, with why."""
    staying: dict[str, list[str]] = field(default_factory=dict)
    """Mods that were to go and stay, as others need them: each with the chosen lines from which needs lead to it."""
    other_builds: list[OtherBuild] = field(default_factory=list)
    more: bool = False
    """It does more than was asked."""
    draft: Draft | None = None
    """As the edits left it; None where they were not kept."""

    @property
    def kept(self) -> bool:
        return self.draft is not None


class _Rehearsed(Exception):
    """Carries the outcome out of a transaction that is to leave no trace."""

    def __init__(self, outcome: Outcome) -> None:
        super().__init__()
        self.outcome = outcome


def edit_draft(
    user: User,
    pack_id: UUID,
    revision: int,
    edits: Sequence[EditIn],
    rehearse: bool = False,
    ask: bool = False,
    look: Callable[[Draft], object] | None = None,
) -> Outcome:
    """Applies edits to a draft, settles it and logs them. With `rehearse` nothing is kept; with `ask` nothing is kept
    where the edits would do more than they say.

    `revision` is the draft that the edits were made against. When it has moved on, edits that touch other lines than
    those changed meanwhile are applied to the newer draft; the others are refused as Stale, with what changed.
    `look`: sees the draft as it is after the edits, before a rehearsal is taken back.
    """
    pack = pack_for(user, pack_id, Action.EDIT)
    for edit in edits:
        if isinstance(edit, CopyLines | CopySet):
            pack_for(user, edit.pack, Action.SEE_DRAFT)
        if isinstance(edit, TakeUp):
            pack_for(user, edit.collection, Action.SEE)
    try:
        with transaction.atomic():
            outcome, draft = _edit(user, pack, revision, edits)
            if look is not None:
                look(draft)
            asks = ask and outcome.more and all(isinstance(edit, ASKING) for edit in edits)
            if rehearse or asks:
                raise _Rehearsed(outcome)
            outcome.draft = draft
            return outcome
    except _Rehearsed as rehearsed:
        return rehearsed.outcome


def _edit(user: User, pack: Pack, revision: int, edits: Sequence[EditIn]) -> tuple[Outcome, Draft]:
    draft = Draft.objects.select_for_update().get(pack=pack)
    draft.pack = pack
    meanwhile = _meanwhile(draft, revision, edits)
    then, chosen_then = moment(draft), _chosen(draft)
    unsettled_before = set(draft.unsettled)
    applied = [_apply(user, draft, edit) for edit in edits]
    refuse_too_much(draft)
    settled = drafts.settle_draft(draft, {mod for one in applied for mod in one.refresh})
    for edit in edits:
        if isinstance(edit, AddMod) and edit.mod in settled.unsettled:
            raise DoesNotFit(
                f"{drafts.names_of(pack, [edit.mod])[edit.mod]} cannot come in.",
                settled.unsettled[edit.mod].sentence(),
                "Change the base or what stands against it.",
            )
    draft.picks = {mod: build.version.text for mod, build in settled.picks.items()}
    draft.unsettled = {mod: drafts.as_kept(draft, one) for mod, one in settled.unsettled.items()}
    # Of many that are added at once those that cannot come in are not added, and the others are.
    many = {mod for edit in edits if isinstance(edit, AddMods | TakeOver) for mod in added_by(edit)}
    left_out = {mod: draft.unsettled.pop(mod) for mod in many & draft.unsettled.keys() - unsettled_before}
    if left_out:
        draft.lines.filter(mod__in=left_out).delete()
        drafts.read_anew(draft)
    draft.revision += 1
    draft.save()
    did = difference(then, moment(draft))
    _log(user, draft, applied, did)
    # What is said of lines, and where they stand, makes no other file one that checks read.
    if any(changed for what, changed in did.items() if what != "lines"):
        after.read_files_soon(str(pack.pk))
    outcome = Outcome(
        draft.revision,
        _changes(draft, then.picks, chosen_then),
        {mod: one for mod, one in draft.unsettled.items() if mod not in unsettled_before},
        sorted(unsettled_before - set(draft.unsettled)),
        told(applied),
        meanwhile,
        left_out,
        _staying(draft, settled, edits),
        _other_builds(pack, settled, edits),
    )
    taken_up = [
        one for edit, one in zip(edits, applied, strict=True) if isinstance(edit, TakeUp | TakeFromLead | TakeProposal)
    ]
    outcome.more = does_more(
        {mod for edit in edits for mod in named_by(edit)} | {mod for one in taken_up for mod in one.subjects},
        outcome.changes,
        adds=all(isinstance(edit, ADDING) for edit in edits),
        lost=bool(outcome.unsettled or outcome.left_out),
        stays=bool(outcome.staying),
        other_build=bool(outcome.other_builds),
    )
    return outcome, draft


def _apply(user: User, draft: Draft, edit: EditIn) -> Applied:
    refuse_in_collection(draft, edit)
    by_somebody = SAYING.get(type(edit)) or SETTING.get(type(edit)) or FOLLOWING.get(type(edit))
    applied = by_somebody(draft, edit, user) if by_somebody else APPLY[type(edit)](draft, edit)
    drafts.read_anew(draft)
    return applied


def _log(user: User, draft: Draft, applied: Sequence[Applied], did: dict[str, Any]) -> None:
    back = next((one for one in applied if one.takes_back), None)
    Edit.objects.create(
        draft=draft,
        revision=draft.revision,
        by=user,
        subjects=sorted({subject for one in applied for subject in one.subjects}),
        sentence=told(applied)[:400],
        did=did,
        takes_back=back.takes_back if back else None,
        root=back.root if back else None,
        again=bool(back and back.again),
    )


def as_done(edit: Edit, user: User) -> Done:
    return Done(edit.revision, edit.takes_back, edit.again, edit.by_id == user.pk)


def done_by(user: User, draft: Draft) -> list[Done]:
    """The draft's newest edits, for whoever asks what their undoing would take back."""
    found = draft.edits.values_list("revision", "takes_back", "again", "by_id")[:UNDOABLE]
    return [Done(revision, takes_back, again, by == user.pk) for revision, takes_back, again, by in found]


def _chosen(draft: Draft) -> set[str]:
    return {line.mod for line in drafts.lines_of(draft) if line.on} | drafts.taken_under(draft).lines.keys()


def _changes(draft: Draft, picks_then: dict[str, str], chosen_then: set[str]) -> tuple[Change, ...]:
    """What goes is told as what it was."""
    names = drafts.names_of(draft.pack, (mod for mod, _ in picks_then.items() ^ draft.picks.items()))
    chosen = (_chosen(draft) & draft.picks.keys()) | (chosen_then - draft.picks.keys())
    return picks_changes(picks_then, draft.picks, names, chosen)


def _staying(draft: Draft, settled: Settled, edits: Sequence[EditIn]) -> dict[str, list[str]]:
    going = [one.mod for one in edits if isinstance(one, RemoveMod) or (isinstance(one, SwitchLine) and not one.on)]
    staying = [mod for mod in going if mod in settled.picks]
    if not staying:
        return {}
    askers = needed_by(settled.picks)
    return {mod: sorted(_chosen(draft) & leading_to(mod, askers)) for mod in staying}


def _other_builds(pack: Pack, settled: Settled, edits: Sequence[EditIn]) -> list[OtherBuild]:
    """Where another build came than was promised, or than the newest that fits."""
    promised = {mod: version for edit in edits for mod, version in promised_by(edit).items() if mod in settled.picks}
    if not promised:
        return []
    near, said = drafts.near_to(pack.draft, promised), drafts.sayings_in(pack.draft)
    base = drafts.base_of(pack.draft)
    found = []
    for slug in promised:
        rows = near.heard(slug, said)
        came = settled.picks[slug].version
        wanted = promised[slug] or fit_of(rows, base).version
        if came.text == wanted or (not promised[slug] and parse_version(wanted) <= came):
            continue
        build = next((row.core for row in rows if row.version == wanted), None)
        why = build and why_not(build, base, settled.picks, near.called)
        found.append(OtherBuild(slug, came.text, wanted, why or "it would move something else that is to stay"))
    return found


def _meanwhile(draft: Draft, revision: int, edits: Sequence[EditIn]) -> list[str]:
    """What others did since `revision`. Raises Stale when it touches what these edits touch."""
    since = list(draft.edits.filter(revision__gt=revision).select_related("by").order_by("revision"))
    told = [f"{edit.by.shown}: {edit.sentence}" for edit in since]
    touched = {subject for edit in since for subject in edit.subjects}
    wanted = {subject for edit in edits for subject in subjects_of(edit)}
    below = tuple(start for edit in edits for start in subjects_below(edit))
    is_touched = bool(touched & wanted) or any(subject.startswith(below) for subject in touched if below)
    everything = any(isinstance(edit, UpdateMods) and not edit.mods for edit in edits)
    if since and (is_touched or everything):
        raise Stale(
            "Somebody changed this meanwhile.",
            "; ".join(told) + ".",
            "Look at the draft as it is now, and decide again.",
            meanwhile=told,
            revision=draft.revision,
        )
    return told
