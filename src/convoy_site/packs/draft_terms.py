"""What publishing a draft fixes beside files: settings, steps by hand, and what members may choose."""

from collections.abc import Iterable
from typing import Any

from convoy_core.draft.collections import (
    steps_under,
    tweaks_under,
)
from convoy_core.lock.terms import Offer, Terms, Tweak, read_step, read_tweak
from convoy_core.outside.fields import Fields
from convoy_core.settings.formats import Key

from . import drafts
from .models import Draft


def terms_of(draft: Draft) -> Terms:
    """What publishing would fix beside files: the game's places of settings and worlds, the pack's tweaks and steps."""
    profile = draft.pack.game.profile
    own = own_tweaks(draft)
    return Terms(
        profile.settings,
        profile.worlds,
        (*(tweak for _, tweak in under_tweaks(draft, own)), *own),
        (*steps_under(drafts.collections_of(draft)), *(read_step(Fields(one)) for one in draft.steps)),
        _offers(draft),
    )


def own_tweaks(draft: Draft) -> list[Tweak]:
    """What the draft itself sets now."""
    return [read_tweak(Fields(one)) for one in effective(draft)]


def under_tweaks(draft: Draft, own: Iterable[Tweak]) -> list[tuple[str, Tweak]]:
    """What collections set where the pack does not, each with its collection's id."""
    return tweaks_under(own, drafts.collections_of(draft))


def _offers(draft: Draft) -> tuple[Offer, ...]:
    """Sets that are on and that members choose themselves; one that is empty is none."""
    offered = {one: told["name"] for one, told in sets_of(draft).items() if told["on"] and told.get("offered")}
    held = {one: tuple(read_tweak(Fields(row)) for row in draft.tweaks if row.get("set") == one) for one in offered}
    return tuple(Offer(one, name, held[one]) for one, name in offered.items() if held[one])


def effective(draft: Draft) -> list[dict[str, Any]]:
    """The settings that the pack sets now: those of no set, and those of sets that are on and not a member's choice. Of
    one key those of a set go before, and a later set's before an earlier's.
    """
    order = ["", *(one for one, told in sets_of(draft).items() if told["on"] and not told.get("offered"))]
    rank = {one: at for at, one in enumerate(order)}
    holding = [one for one in draft.tweaks if one.get("set", "") in rank]
    holding.sort(key=lambda one: rank[one.get("set", "")])
    found = {(one["path"], tuple(one["key"])): one for one in holding}
    return list(found.values())


def sets_of(draft: Draft) -> dict[str, dict[str, Any]]:
    """Its sets of settings in the order in which they were made: the database keeps none among names."""
    return dict(sorted(draft.tweak_sets.items(), key=lambda item: (item[1].get("made", 0), item[0])))


def shown_tweaks(draft: Draft, of_set: str = "") -> dict[tuple[str, Key], dict[str, Any]]:
    """One row for each key that the draft or a collection sets, by file and key: what `of_set` has, else what holds,
    else any.
    """
    own = [one for one in draft.tweaks if of_set and one.get("set") == of_set]
    theirs = _rows_under(draft)
    every = (*theirs, *reversed(draft.tweaks), *effective(draft), *own)
    return {(one["path"], tuple(one["key"])): one for one in every}


def _rows_under(draft: Draft) -> list[dict[str, Any]]:
    """Settings of collections as rows of the draft: `collection` says whose each is."""
    found = [(one, tweak) for one in drafts.collections_of(draft) for tweak in one.tweaks]
    return [{**tweak.as_data(), "collection": one.name} for one, tweak in found]


def tweaks_of(draft: Draft) -> dict[tuple[str, Key], Tweak]:
    """All that the draft sets, those of sets that are off among them, by file and key."""
    return {place: read_tweak(Fields(one)) for place, one in shown_tweaks(draft).items()}
