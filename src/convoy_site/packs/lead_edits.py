"""Edits that take from the pack's lead, and from what others propose."""

from collections.abc import Callable
from typing import Any

from django.utils import timezone

from convoy_core.draft.following import LeadOffer, PlaceKind, lead_offers, place, settled
from convoy_core.words.wording import counted

from ..people.models import User
from .applied import Applied, NoSuchLine, names_in
from .following import apply_entries, entries_of_draft
from .models import Draft, LeadFrom
from .shapes.edits import LeaveLead, TakeFromLead, TakeProposal


def offers_of(draft: Draft) -> tuple[LeadOffer, ...]:
    """What is new at the draft's lead, as it was looked at last."""
    return lead_offers(draft.lead.get("taken", {}), mine_of(draft), draft.lead_now.get("entries", {}))


def mine_of(draft: Draft) -> dict[str, Any]:
    """What the draft says, as far as its lead could say it."""
    return entries_of_draft(draft, with_notes=draft.lead.get("from") == LeadFrom.DRAFT)


def _take(draft: Draft, edit: TakeFromLead, user: User) -> Applied:
    if not draft.lead:
        raise NoSuchLine("This pack follows no lead.", now="Follow one first.")
    offers = {one.place: one for one in offers_of(draft)}
    unknown = [at for at in (*edit.take, *edit.mine) if at not in offers]
    if unknown or not (edit.take or edit.mine):
        raise NoSuchLine(
            "The lead offers this no more.", "Somebody may have taken it meanwhile.", "Look at what is new again."
        )
    order = draft.lead_now["entries"].get(place(PlaceKind.ORDER), [])
    mods = apply_entries(draft, {at: offers[at].theirs for at in edit.take}, order)
    decided = {*edit.take, *edit.mine}
    now = draft.lead_now
    left = offers.keys() - decided
    draft.lead = {
        **draft.lead,
        "taken": settled(draft.lead["taken"], now["entries"], _all_settled(draft, decided, left)),
        "number": now["number"] if not left else draft.lead["number"],
    }
    what = f"{counted(len(edit.take), 'change')} taken from {draft.lead['name']} {now['number']}".strip()
    if not edit.take:
        what = f"{counted(len(edit.mine), 'place')} kept as it is here, and not as {draft.lead['name']} has it"
    return Applied(("lead", *dict.fromkeys(mods)), what)


def _all_settled(draft: Draft, decided: set[str], left: set[str]) -> set[str]:
    """Beside what was decided, what both sides say alike: from now on that is what was taken."""
    both = {*draft.lead["taken"], *draft.lead_now["entries"]}
    return (both - left) | decided


def _take_proposal(draft: Draft, edit: TakeProposal, user: User) -> Applied:
    one = draft.pack.proposals.select_for_update().filter(pk=edit.proposal).first()
    if one is None:
        raise NoSuchLine("There is no such proposal.", "It may have been taken back.", "Look at them again.")
    if unknown := set(edit.take) - one.entries.keys():
        raise NoSuchLine("This is not proposed.", now="Choose what is listed.", places=sorted(unknown)[:5])
    mods = apply_entries(draft, {at: one.entries[at][1] for at in edit.take})
    one.taken = sorted({*one.taken, *edit.take})
    one.answered_at, one.answered_by = timezone.now(), user
    one.save(update_fields=["taken", "answered_at", "answered_by"])
    names = names_in(draft, list(dict.fromkeys(mods)))[:3]
    told = f"{counted(len(edit.take), 'change')} taken as {one.of_name} proposes"
    told += f" ({', '.join(names)})" if names else ""
    return Applied((f"proposal {one.pk}", *dict.fromkeys(mods)), told)


def _leave(draft: Draft, edit: LeaveLead, user: User) -> Applied:
    if not draft.lead:
        raise NoSuchLine("This pack follows no lead.")
    name = draft.lead["name"]
    draft.lead = {}
    return Applied(("lead",), f"{name} is followed no more")


FOLLOWING: dict[type, Callable[..., Applied]] = {
    TakeFromLead: _take,
    TakeProposal: _take_proposal,
    LeaveLead: _leave,
}
"""Edits that know who makes them."""
