"""Edits of the collections under a pack: taken up, moved, dropped, detached.

What a collection lays down is written into the draft whole, so that nothing that becomes of it takes anything away.
"""

from collections.abc import Callable
from typing import Any

from convoy_core.draft.collections import Collection
from convoy_core.lock.lock_json import MAX_COLLECTIONS
from convoy_core.lock.terms import MAX_STEPS, MAX_TWEAKS, step_id
from convoy_core.words.errors import ConvoyError
from convoy_core.words.wording import counted, listed

from . import collections, draft_layers, draft_terms, drafts
from .applied import AlreadyThere, Applied, NoSuchLine
from .models import Draft, Line, Pack
from .shapes.edits import (
    MAX_LINES,
    Detach,
    DropCollection,
    EditIn,
    KeepSet,
    MoveCollection,
    PlaceOwn,
    SetAside,
    SetAsideAlso,
    TakeUp,
)


class NoCollection(ConvoyError):
    """A pack that is none, of another game, or without a release that could be taken."""

    code = "no-collection"


class NotInCollections(ConvoyError):
    """An edit that a collection has no place for: it would reach what is not its own."""

    code = "not-in-collections"


class TooMuchTaken(ConvoyError):
    """More collections, lines, settings or steps than one pack holds."""

    code = "too-much-taken"


def refuse_in_collection(draft: Draft, edit: EditIn) -> None:
    """A collection lies over nothing that is not its own. Raises NotInCollections."""
    if not draft.pack.is_collection:
        return
    what = ""
    if isinstance(edit, SetAside | SetAsideAlso):
        what = "list of what is set aside"
    elif isinstance(edit, PlaceOwn):
        what = "files of its own"
    elif isinstance(edit, TakeUp):
        what = "collections under it"
    elif isinstance(edit, KeepSet) and edit.offered:
        what = "sets that members choose"
    if what:
        why = "It is laid under packs, and over nothing of theirs."
        raise NotInCollections(f"A collection has no {what}.", why, "Do it in the packs that take it up.")


def refuse_too_much(draft: Draft) -> None:
    """More than a release can say. Raises TooMuchTaken."""
    if not draft.collections:
        return
    terms, under = draft_terms.terms_of(draft), drafts.taken_under(draft)
    for many, most, what in (
        (draft.lines.count() + len(under.lines), MAX_LINES, "line"),
        (len(terms.tweaks), MAX_TWEAKS, "setting"),
        (len(terms.steps), MAX_STEPS, "step by hand"),
        (len(draft.collections), MAX_COLLECTIONS, "collection"),
    ):
        if many > most:
            raise TooMuchTaken(
                f"That would be {counted(many, what, 'steps by hand' if what.startswith('step') else '')}.",
                f"A pack holds at most {most}, those of its collections among them.",
                "Drop a collection first.",
            )


def _take_up(draft: Draft, edit: TakeUp) -> Applied:
    """Whether the collection may be seen was asked by `services.edit_draft`."""
    pack = Pack.objects.get(pk=edit.collection)
    if not pack.is_collection or pack.pk == draft.pack_id:
        raise NoCollection(f"{pack.name} is no collection.", "It has a base of its own.", "Copy its lines instead.")
    if pack.game_id != draft.pack.game_id:
        raise NoCollection(f"{pack.name} is a collection for another game.", now="Choose one for the same game.")
    found = _release(draft, pack, edit)
    before = draft.collections.get(found.id)
    held = edit.hold
    if before and (before["sha256"], before["held"]) == (found.sha256, held):
        raise AlreadyThere(f"{found.name} {found.number} is taken up already.")
    at = before["at"] if before else max((one["at"] for one in draft.collections.values()), default=0) + 1
    draft.collections = {**draft.collections, found.id: {**found.as_data(), "at": at, "held": held}}
    # Builds that came along with what it was give way to those that come along with what it is.
    moved = tuple(line.mod for line in found.lines)
    draft.picks = draft.picks | _along(draft, found, before)
    verb = "taken up" if before is None else "moved" if before["sha256"] != found.sha256 else "kept"
    detail = f"at {found.number}" + (", and held there" if held else "")
    return Applied((_subject(found.id), *moved), verb, (found.name,), detail)


def _along(draft: Draft, found: Collection, before: dict[str, Any] | None) -> dict[str, str]:
    """Builds that a collection's new release brought along in the place of its old one's, which the draft still has."""
    if before is None:
        return {}
    return {
        mod: version
        for mod, version in found.brought_in.items()
        if mod in draft.picks and draft.picks[mod] == before["brought_in"].get(mod)
    }


def _release(draft: Draft, pack: Pack, edit: TakeUp) -> Collection:
    if edit.release:
        found = collections.found_release(pack.pk, edit.release)
        if found is None:
            raise NoCollection(f"{pack.name} has no release {edit.release} to take.", now="Choose one of those listed.")
        return found
    base = drafts.base_of(draft)
    newest = collections.newest_fitting([pack], base).get(str(pack.pk))
    if newest is None:
        has = pack.releases.exists()
        why = (
            f"None of its releases suits {draft.pack.game.profile.base_in_words(base)}." if has else "It has none yet."
        )
        raise NoCollection(
            f"{pack.name} has no release to take.", why, "Choose a release by its number." if has else ""
        )
    return newest


def _drop(draft: Draft, edit: DropCollection) -> Applied:
    one = _there(draft, edit.collection)
    draft.collections = {id: told for id, told in draft.collections.items() if id != one.id}
    return Applied((_subject(one.id),), "dropped", (one.name,))


def _move(draft: Draft, edit: MoveCollection) -> Applied:
    one = _there(draft, edit.collection)
    order = [other.id for other in drafts.collections_of(draft) if other.id != one.id]
    if edit.before:
        _there(draft, edit.before)
    order.insert(order.index(edit.before) if edit.before in order else len(order), one.id)
    draft.collections = {id: {**draft.collections[id], "at": at} for at, id in enumerate(order, 1)}
    where = f"before {draft.collections[edit.before]['name']}" if edit.before in order else "over the others"
    return Applied(tuple(_subject(id) for id in order), f"moved {where}", (one.name,))


def _detach(draft: Draft, edit: Detach) -> Applied:
    """The lines that count become the pack's own, before those that it has, so that these still lie over them; settings
    and steps likewise.
    """
    one = _there(draft, edit.collection)
    counting = [
        (mod, told.line) for mod, told in drafts.taken_under(draft).lines.items() if told.collection.id == one.id
    ]
    tweaks = [tweak for id, tweak in draft_terms.under_tweaks(draft, draft_terms.own_tweaks(draft)) if id == one.id]
    winners = {place: mod for place, mod in draft_layers.winners_of(draft).items() if one.winners.get(place) == mod}
    place = {line.mod: at for at, line in enumerate(one.lines)}
    counting.sort(key=lambda pair: place[pair[0]])
    for line in (own := list(draft.lines.all())):
        line.order += len(counting)
    Line.objects.bulk_update(own, ["order"])
    Line.objects.bulk_create(
        Line(draft=draft, mod=mod, order=at, optional=told.optional, advice=told.advice[:200])
        for at, (mod, told) in enumerate(counting, 1)
    )
    draft.parts = {mod: rule for mod, told in counting if (rule := told.rule.as_data())} | draft.parts
    draft.tweaks = [*(tweak.as_data() for tweak in tweaks), *draft.tweaks]
    draft.winners = winners | draft.winners
    draft.steps = [*({**step.as_data(), "id": step_id(one.id, step.id)} for step in one.steps), *draft.steps]
    draft.collections = {id: told for id, told in draft.collections.items() if id != one.id}
    what = [counted(len(counting), "line")]
    what += [counted(len(tweaks), "setting")] if tweaks else []
    what += [counted(len(one.steps), "step by hand", "steps by hand")] if one.steps else []
    mods = tuple(mod for mod, _ in counting)
    return Applied((_subject(one.id), *mods), f"detached: {listed(what)} of the pack's own", (one.name,))


def _there(draft: Draft, id: str) -> Collection:
    found = next((one for one in drafts.collections_of(draft) if one.id == id), None)
    if found is None:
        raise NoSuchLine("This collection is not in the draft.", "Somebody may have dropped it.", "Look again.")
    return found


def _subject(id: str) -> str:
    return f"collection {id}"


TAKING: dict[type, Callable[..., Applied]] = {
    TakeUp: _take_up,
    DropCollection: _drop,
    MoveCollection: _move,
    Detach: _detach,
}
