"""Leads: the pack that another one follows. Looked at where it is, and never believed without its keys.

A lead here is seen by whoever may see it; one elsewhere is a signed release behind an address, or in a file, and its
keys are pinned when it is first taken from. What is proposed to a lead goes the other way.
"""

import logging
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from uuid import UUID

import httpx
from django.db import transaction
from django.db.models import Q
from django.utils import timezone

from convoy_core.draft.following import entries_of, own_ways
from convoy_core.handing_out.bag_reading import BadBag, leads_back_to, signed_by
from convoy_core.lock.recipe import Recipe
from convoy_core.outside.game_profile import read_profile
from convoy_core.words.errors import ConvoyError
from convoy_core.words.wording import counted
from convoy_io.bags import opened_bag

from ..catalogue.reaching import checked_address, client
from ..packs.following import entries_of_draft
from ..packs.lead_edits import mine_of
from ..packs.models import Draft, Edit, LeadFrom, Pack, Proposal
from ..packs.services import pack_for
from ..people import audit
from ..people.events import Happened, tell
from ..people.models import User
from ..people.rights import MAY, Action, NotFound
from ..receiving import Upload, incoming
from .lookup import recipe_of, releases_of
from .models import open_ones
from .seals import hidden_from

log = logging.getLogger(__name__)

MOST_BYTES = 32 * 2**20
"""Of a release alone, as a file: one of 10,000 files takes 3 MB."""

MOST_PROPOSALS = 50
PAGE = "/p/"
HERE = (LeadFrom.RELEASES, LeadFrom.DRAFT)


class NoLead(ConvoyError):
    """Nothing that could be followed, or nothing that may be believed."""

    code = "no-lead"


class OtherKeys(ConvoyError):
    """What a lead sends is signed by other keys than those that were pinned."""

    code = "other-keys"


@dataclass(frozen=True)
class Seen:
    """What a lead says now. `mark`: of the keys that are pinned; empty for packs here."""

    name: str
    number: str
    sha256: str
    notes: str
    entries: dict[str, Any]
    game: str
    mark: str = ""

    def as_now(self) -> dict[str, Any]:
        at = timezone.now().isoformat(timespec="seconds")
        told = {"number": self.number, "sha256": self.sha256, "notes": self.notes, "entries": self.entries}
        return {**told, "at": at}


def follow(user: User, pack_id: UUID, where: LeadFrom, lead: str, begun: bool) -> None:
    """Follows a pack here (`lead`: its id) or behind an address. `begun`: what it says now is what this pack began as;
    else all that it says is new here. Raises NoLead, OtherKeys, and what looking raises.
    """
    pack = pack_for(user, pack_id, Action.EDIT)
    if where in HERE:
        _keep(user, pack, {"from": where.value, "pack": lead}, _here(user, pack, where, lead), begun)
    elif where is LeadFrom.ADDRESS:
        _keep(user, pack, {"from": where.value, "address": checked_page(lead)}, _at(lead, ""), begun)
    else:
        raise NoLead("A file is followed by giving it.")


def follow_file(user: User, pack_id: UUID, upload: Upload) -> None:
    """Follows what a file holds; where a file is followed already, this is its next one, of the same keys. Raises as
    `follow`.
    """
    pack = pack_for(user, pack_id, Action.EDIT)
    lead = pack.draft.lead
    pinned = lead["mark"] if lead.get("from") == LeadFrom.FILE else ""
    with incoming(upload, MOST_BYTES) as (path, _):
        seen = _in_bag(path, pinned)
    if pinned:
        _refuse_other_game(pack, seen)
        Draft.objects.filter(pack=pack).update(lead_now=seen.as_now())
    else:
        _keep(user, pack, {"from": LeadFrom.FILE.value}, seen, begun=False)


def look(user: User, pack_id: UUID) -> None:
    """Looks at what the lead says now. Raises NoLead, OtherKeys, NotFound, and what reaching it raises."""
    pack = pack_for(user, pack_id, Action.EDIT)
    lead = pack.draft.lead
    if not lead:
        raise NoLead(f"{pack.name} follows no lead.", now="Follow one first.")
    where = LeadFrom(lead["from"])
    if where is LeadFrom.FILE:
        raise NoLead("This lead is a file.", "It says nothing new by itself.", "Give its next file.")
    seen = _at(lead["address"], lead["mark"]) if where is LeadFrom.ADDRESS else _here(user, pack, where, lead["pack"])
    _refuse_other_game(pack, seen)
    Draft.objects.filter(pack=pack).update(lead_now=seen.as_now())


MOST_LOOKED_AT = 500
"""Leads in one look of the worker's: those that were looked at longest ago."""


def look_by_itself() -> int:
    """Looks at every lead that says new things by itself, and tells its follower's curators of a release that they have
    not heard of; gives how many those were. One that cannot be had, or is not to be believed, is passed by: whoever
    looks at it hears why.
    """
    rows = Draft.objects.filter(lead__from__in=[LeadFrom.RELEASES, LeadFrom.ADDRESS], pack__retired_at=None)
    found = 0
    for draft in rows.select_related("pack__crew", "pack__game").order_by("lead_now__at")[:MOST_LOOKED_AT]:
        try:
            found += _look_by_itself(draft)
        except ConvoyError as error:
            log.info("the lead of %s: %s", draft.pack_id, error.sentence())
    return found


def _look_by_itself(draft: Draft) -> bool:
    pack, lead = draft.pack, draft.lead
    if lead["from"] == LeadFrom.ADDRESS:
        seen = _at(lead["address"], lead["mark"])
    else:
        # Seen with the eyes of somebody who keeps both: who sees it no more follows it no more.
        keeps = Q(memberships__crew=pack.crew, memberships__role__in=MAY[Action.EDIT])
        user = User.objects.filter(keeps, is_active=True).filter(memberships__crew__packs=lead["pack"]).first()
        if user is None:
            return False
        seen = _here(user, pack, LeadFrom.RELEASES, lead["pack"])
    _refuse_other_game(pack, seen)
    with transaction.atomic():
        # Whoever follows another one meanwhile is told of that.
        current = Draft.objects.select_for_update().get(pk=draft.pk)
        if current.lead != lead:
            return False
        is_new: bool = current.lead_now.get("sha256") != seen.sha256
        current.lead_now = seen.as_now()
        current.save(update_fields=["lead_now"])
        if is_new:
            told = {"name": pack.name, "lead": seen.name, "number": seen.number}
            tell(Happened.LEAD_NEW, pack.crew, None, pack.pk, **told)
    return is_new


@transaction.atomic
def _keep(user: User, pack: Pack, where: dict[str, Any], seen: Seen, begun: bool) -> None:
    _refuse_other_game(pack, seen)
    draft = Draft.objects.select_for_update().get(pack=pack)
    before = draft.lead
    told = {"name": seen.name, "number": seen.number if begun else "", "mark": seen.mark}
    draft.lead = {**where, **told, "taken": seen.entries if begun else {}}
    draft.lead_now = seen.as_now()
    draft.revision += 1
    draft.save(update_fields=["lead", "lead_now", "revision"])
    Edit.objects.create(
        draft=draft,
        revision=draft.revision,
        by=user,
        subjects=["lead"],
        sentence=f"{seen.name} is followed from now on",
        did={"lines": {}, "picks": {}, "lead": [before, draft.lead]},
    )
    audit.note(user, f"had {pack.name} follow {seen.name}", pack.crew)


def _refuse_other_game(pack: Pack, seen: Seen) -> None:
    if seen.game not in (pack.game_id, read_profile(pack.game.profile_text).id):
        raise NoLead(f"{seen.name} is a pack for another game.", now="Choose one for the same game.")


def _here(user: User, pack: Pack, where: LeadFrom, lead: str) -> Seen:
    try:
        wanted = UUID(lead)
    except ValueError as error:
        raise NotFound("This pack does not exist, or you are not in its crew.") from error
    if wanted == pack.pk:
        raise NoLead("A pack does not follow itself.")
    if where is LeadFrom.DRAFT:
        other = pack_for(user, wanted, Action.SEE_DRAFT)
        entries = entries_of_draft(other.draft, with_notes=True)
        return Seen(other.name, f"draft {other.draft.revision}", "", other.notes[:2000], entries, other.game_id)
    other = pack_for(user, wanted, Action.SEE)
    hidden = hidden_from(user, [other.pk])
    newest = releases_of(other).filter(open_ones()).exclude(pk__in=hidden).first()
    if newest is None:
        raise NoLead(f"{other.name} has no open release.", "A lead is followed by its releases.", "Wait for one.")
    entries = entries_of(recipe_of(newest.pk).lock)
    return Seen(other.name, newest.number, newest.sha256, newest.notes[:2000], entries, other.game_id)


def checked_page(address: str) -> str:
    """The address of a public page, here or elsewhere. Raises ClosedAddress, NoLead."""
    found = checked_address(address)
    if PAGE not in found:
        raise NoLead(
            "This is no pack's page.", f"Such addresses have {PAGE} in them.", "Copy the page's address from there."
        )
    return found


def _at(address: str, pinned: str) -> Seen:
    """What lies behind a public page: its release as a signed file. Never within a transaction: it takes a while."""
    with _fetched(f"{checked_page(address)}/pack.zip") as path:
        return _in_bag(path, pinned)


@contextmanager
def _fetched(address: str) -> Iterator[Path]:
    """Raises NoLead, and ClosedAddress for what is not of the open network."""
    with tempfile.TemporaryDirectory(prefix="lead-") as folder:
        path = Path(folder) / "pack.zip"
        try:
            with client() as lines, lines.stream("GET", address) as reply, path.open("wb") as file:
                if reply.status_code != httpx.codes.OK:
                    why = f"It answers {reply.status_code}."
                    raise NoLead("There is no pack at this address.", why, "Ask for the right one.")
                size = 0
                for block in reply.iter_bytes():
                    size += len(block)
                    if size > MOST_BYTES:
                        raise NoLead(f"What lies there is larger than {MOST_BYTES // 2**20} MB.", "It is no release.")
                    file.write(block)
        except httpx.HTTPError as error:
            raise NoLead("This address does not answer.", str(error)[:200], "Try again later.") from error
        yield path


def _in_bag(path: Path, pinned: str) -> Seen:
    """A signed release. `pinned`: the mark of the keys that it has to lead back to. Raises OtherKeys, BadBag."""
    with opened_bag(path) as bag:
        charter, doubt = signed_by(bag.told)
        if charter is None:
            raise BadBag("Nobody can vouch for this release.", doubt, "A lead has to be signed.")
        if pinned and not leads_back_to(bag.told, pinned):
            raise OtherKeys(
                "This lead is signed by other keys than before.",
                f"Pinned was {pinned}; these are {charter.mark}, and do not follow from them.",
                "Ask its curators by another way whether they changed them; then follow it anew.",
            )
        return _seen(bag.told.recipe, pinned or charter.mark)


def _seen(recipe: Recipe, mark: str) -> Seen:
    lock = recipe.lock
    told = entries_of(lock)
    return Seen(recipe.pack_name[:60], recipe.number, recipe.sha256, recipe.notes[:2000], told, lock.base.game, mark)


# --- Proposals


@transaction.atomic
def propose(user: User, pack_id: UUID, places: list[str], words: str) -> Proposal:
    """Sends some of what a pack has otherwise to its lead's curators. Raises NoLead where the lead is not here."""
    pack = pack_for(user, pack_id, Action.EDIT)
    draft = pack.draft
    if draft.lead.get("from") not in HERE:
        raise NoLead("This lead is not on this site.", "Nobody here could answer.", "Write to its curators yourself.")
    # Whoever may not see it any more proposes nothing to it.
    lead = pack_for(user, UUID(draft.lead["pack"]), Action.SEE)
    ways = own_ways(draft.lead["taken"], mine_of(draft), draft.lead_now["entries"])
    found = {one.place: [one.theirs, one.mine] for one in ways if one.place in places}
    if missing := set(places) - found.keys():
        raise NoLead("This is not otherwise here.", now="Look at what differs again.", places=sorted(missing)[:5])
    if lead.proposals.filter(answered_at=None).count() >= MOST_PROPOSALS:
        raise NoLead(f"{lead.name} has {MOST_PROPOSALS} proposals that nobody answered.", now="Wait for an answer.")
    made = Proposal.objects.create(pack=lead, of=pack, of_name=pack.name, by=user, words=words, entries=found)
    tell(Happened.PROPOSED, lead.crew, user, lead.pk, name=lead.name, of=pack.name, many=counted(len(found), "change"))
    return made


@transaction.atomic
def answer(user: User, pack_id: UUID, proposal_id: UUID, words: str) -> None:
    """Answers a proposal with words, whatever of it was taken."""
    pack = pack_for(user, pack_id, Action.EDIT)
    one = pack.proposals.select_for_update(of=("self",)).select_related("of__crew").filter(pk=proposal_id).first()
    if one is None:
        raise NotFound("There is no such proposal.")
    one.answered_at, one.answered_by, one.answer = timezone.now(), user, words
    one.save(update_fields=["answered_at", "answered_by", "answer"])
    if one.of is not None:
        tell(Happened.ANSWERED, one.of.crew, user, one.of.pk, name=pack.name, of=one.of_name, why=words)


@transaction.atomic
def take_proposal_back(user: User, pack_id: UUID, proposal_id: UUID) -> None:
    """By those who made it, while nobody answered."""
    pack = pack_for(user, pack_id, Action.EDIT)
    gone, _ = Proposal.objects.filter(of=pack, pk=proposal_id, answered_at=None).delete()
    if not gone:
        raise NotFound("There is no such proposal any more.", "It may have been answered.")
