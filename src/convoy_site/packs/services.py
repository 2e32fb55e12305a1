"""What is done with packs and drafts: started, described, edited. Each in one transaction, through one door."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any
from uuid import UUID

from django.db import IntegrityError, transaction

from convoy_core.lock.change_log import Change, changes
from convoy_core.words.errors import ConvoyError

from ..catalogue.models import Game
from ..people.models import Crew, User
from ..people.rights import Action, NotFound, allow
from ..people.services import crew_for
from . import drafts
from .edits import APPLY, AddMod, AddMods, CopyLines, EditIn, TakeOver, UpdateMods, added_by, subjects_of
from .history import difference, moment
from .models import Draft, Edit, Pack


class NameTaken(ConvoyError):
    code = "name-taken"


class Stale(ConvoyError):
    """The write was made against a draft that has moved on in the same place. `data["meanwhile"]` tells the edits."""

    code = "stale"


class DoesNotFit(ConvoyError):
    """The mod that was to be added cannot come in; nothing was changed."""

    code = "does-not-fit"


def pack_for(user: User, pack_id: UUID, action: Action) -> Pack:
    """The pack, when the user may do this with it. Raises NotFound or Forbidden."""
    pack = Pack.objects.select_related("crew", "game", "draft").filter(pk=pack_id).first()
    if pack is None:
        raise NotFound("This pack does not exist, or you are not in its crew.", now="Ask for a join code.")
    allow(user, pack.crew, action, "This pack")
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


def start_pack(user: User, new: NewPack) -> Pack:
    crew: Crew = crew_for(user, new.crew, Action.EDIT)
    game = Game.objects.filter(pk=new.game).first()
    if game is None:
        raise NotFound(f"There is no game “{new.game}”.", now="Choose one of those listed.")
    base = game.profile.base(new.game_version, new.loader, new.loader_version)
    with _name_taken(new.name, crew), transaction.atomic():
        pack = Pack.objects.create(
            crew=crew,
            game=game,
            name=new.name,
            emblem=new.emblem,
            group=new.group,
            notes=new.notes,
            started_by=user,
        )
        Draft.objects.create(
            pack=pack,
            game_version=str(base.version),
            loader=base.loader,
            loader_version=str(base.loader_version or ""),
        )
    return pack


def describe_pack(user: User, pack_id: UUID, **changed: str) -> None:
    """Changes name, emblem, group or notes."""
    pack = pack_for(user, pack_id, Action.EDIT)
    for name, value in changed.items():
        setattr(pack, name, value)
    with _name_taken(pack.name, pack.crew), transaction.atomic():
        pack.save(update_fields=list(changed))


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


class _Rehearsed(Exception):
    """Carries the outcome out of a transaction that is to leave no trace."""

    def __init__(self, outcome: Outcome) -> None:
        super().__init__()
        self.outcome = outcome


def edit_draft(user: User, pack_id: UUID, revision: int, edits: Sequence[EditIn], rehearse: bool = False) -> Outcome:
    """Applies edits to a draft, settles it and logs them; with `rehearse` the same, and then nothing is kept.

    `revision` is the draft that the edits were made against. When it has moved on, edits that touch other lines than
    those changed meanwhile are applied to the newer draft; the others are refused as Stale, with what changed.
    """
    pack = pack_for(user, pack_id, Action.EDIT)
    for edit in edits:
        if isinstance(edit, CopyLines):
            pack_for(user, edit.pack, Action.SEE)
    try:
        with transaction.atomic():
            outcome = _edit(user, pack, revision, edits)
            if rehearse:
                raise _Rehearsed(outcome)
            return outcome
    except _Rehearsed as rehearsed:
        return rehearsed.outcome


def _edit(user: User, pack: Pack, revision: int, edits: Sequence[EditIn]) -> Outcome:
    draft = Draft.objects.select_for_update().get(pack=pack)
    draft.pack = pack
    meanwhile = _meanwhile(draft, revision, edits)
    before, then = drafts.lock_of(draft, with_files=False), moment(draft)
    unsettled_before = set(draft.unsettled)
    applied = [APPLY[type(edit)](draft, edit) for edit in edits]
    draft._prefetched_objects_cache = {}
    settled = drafts.settle_draft(draft, {mod for one in applied for mod in one.refresh})
    for edit in edits:
        if isinstance(edit, AddMod) and edit.mod in settled.unsettled:
            raise DoesNotFit(
                f"{edit.mod} cannot come in.",
                settled.unsettled[edit.mod].sentence(),
                "Change the base or what stands against it.",
            )
    draft.picks = {mod: build.version.text for mod, build in settled.picks.items()}
    draft.unsettled = {mod: drafts.as_kept(draft, one) for mod, one in settled.unsettled.items()}
    # Of many that are added at once those that cannot come in are not added, and the others are.
    many = {mod for edit in edits if isinstance(edit, AddMods | TakeOver) for mod in added_by(edit)}
    left_out = {mod: draft.unsettled.pop(mod) for mod in many & draft.unsettled.keys() - unsettled_before}
    draft.lines.filter(mod__in=left_out).delete()
    draft.revision += 1
    draft.save()
    sentence = "; ".join(one.sentence for one in applied)
    subjects = sorted({subject for one in applied for subject in one.subjects})
    Edit.objects.create(
        draft=draft,
        revision=draft.revision,
        by=user,
        subjects=subjects,
        sentence=sentence[:400],
        did=difference(then, moment(draft)),
        takes_back=next((one.takes_back for one in applied if one.takes_back), None),
    )
    after = drafts.lock_of(draft, with_files=False)
    return Outcome(
        draft.revision,
        changes(before, after).mods,
        {mod: one for mod, one in draft.unsettled.items() if mod not in unsettled_before},
        sorted(unsettled_before - set(draft.unsettled)),
        sentence,
        meanwhile,
        left_out,
    )


def _meanwhile(draft: Draft, revision: int, edits: Sequence[EditIn]) -> list[str]:
    """What others did since `revision`. Raises Stale when it touches what these edits touch."""
    since = list(draft.edits.filter(revision__gt=revision).select_related("by").order_by("revision"))
    told = [f"{edit.by.shown}: {edit.sentence}" for edit in since]
    touched = {subject for edit in since for subject in edit.subjects}
    wanted = {subject for edit in edits for subject in subjects_of(edit)}
    everything = any(isinstance(edit, UpdateMods) and not edit.mods for edit in edits)
    if since and (touched & wanted or everything):
        raise Stale(
            "Somebody changed this meanwhile.",
            "; ".join(told) + ".",
            "Look at the draft as it is now, and decide again.",
            meanwhile=told,
            revision=draft.revision,
        )
    return told
