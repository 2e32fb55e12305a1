"""A pack's lead: what is new there, what is otherwise here, and what others propose."""

from typing import Any
from uuid import UUID

from django.http import HttpRequest
from ninja import Router

from convoy_core.draft.following import PlaceKind, kind_of, own_ways, setting_at
from convoy_core.settings.knowledge import as_words
from convoy_core.words.profile import NoSuchBase

from ...catalogue.models import Build
from ...catalogue.services import shelf
from ...packs.drafts import names_of
from ...packs.lead_edits import mine_of, offers_of
from ...packs.models import LeadFrom, Pack, Proposal
from ...packs.services import pack_for
from ...people.rights import Action, SignedIn
from ...people.tries import count_use
from ...receiving import upload_of
from ...shapes import FILE_BODY, Done
from .. import leads
from ..shapes import (
    AnswerProposalIn,
    FollowLeadIn,
    LeadOfferOut,
    LeadOut,
    LeadPage,
    OwnWayOut,
    ProposalOut,
    ProposedOut,
    ProposeIn,
)

router = Router(tags=["leads"])

SHOWN = 30
LOOKS_AN_HOUR = 120
"""Of one person: each may ask another site."""


@router.get("/packs/{pack_id}/lead", response=LeadPage, operation_id="lead")
def lead(request: SignedIn, pack_id: UUID) -> LeadPage:
    """As the lead was looked at last; what it proposes, and what was proposed to it."""
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
    draft = pack.draft
    to_us = list(pack.proposals.select_related("by", "answered_by", "pack")[:SHOWN])
    by_us = list(Proposal.objects.filter(of=pack).select_related("by", "answered_by", "pack")[:SHOWN])
    offers = offers_of(draft) if draft.lead else ()
    now = draft.lead_now.get("entries", {})
    ways = own_ways(draft.lead["taken"], mine_of(draft), now) if draft.lead else ()
    places = [*(one.place for one in offers), *(one.place for one in ways)]
    told = _Told(pack, places + [at for each in (*to_us, *by_us) for at in each.entries])
    return LeadPage(
        revision=draft.revision,
        lead=_lead_out(pack) if draft.lead else None,
        offers=[
            LeadOfferOut(
                place=one.place,
                kind=kind_of(one.place)[0],
                name=told.name(one.place),
                changed=one.changed,
                taken=told.words(one.place, one.taken),
                mine=told.words(one.place, one.mine),
                theirs=told.words(one.place, one.theirs),
                missing=told.missing(one.place, one.theirs),
            )
            for one in offers
        ],
        otherwise=[
            OwnWayOut(
                place=one.place,
                kind=kind_of(one.place)[0],
                name=told.name(one.place),
                theirs=told.words(one.place, one.theirs),
                mine=told.words(one.place, one.mine),
            )
            for one in ways
        ],
        proposals=[_proposal_out(one, told) for one in to_us],
        proposed=[_proposal_out(one, told) for one in by_us],
    )


def _lead_out(pack: Pack) -> LeadOut:
    kept, now = pack.draft.lead, pack.draft.lead_now
    where = LeadFrom(kept["from"])
    return LeadOut(
        where=where,
        pack=kept.get("pack"),
        address=kept.get("address", ""),
        name=kept["name"],
        number=kept["number"],
        newest=now.get("number", ""),
        notes=now.get("notes", ""),
        mark=kept["mark"],
        looked_at=now.get("at"),
        may_propose=where in leads.HERE,
    )


class _Told:
    """Places in words: mods by their names, values as people write them."""

    def __init__(self, pack: Pack, places: list[str]) -> None:
        kinds = [kind_of(at) for at in places]
        mods = {name for kind, name in kinds if kind in (PlaceKind.LINE, PlaceKind.PARTS, PlaceKind.NOTE)}
        self._names = names_of(pack, mods)
        self._profile = pack.game.profile
        rows = Build.objects.filter(mod__in=shelf(pack).filter(slug__in=mods), refused="")
        self._builds = set(rows.values_list("mod__slug", "version"))

    def name(self, at: str) -> str:
        kind, name = kind_of(at)
        if kind is PlaceKind.SETTING:
            path, key = setting_at(name)
            return f"{path}: {'.'.join(key)}"
        return self._names.get(name, name) if name else kind.value

    def missing(self, at: str, said: Any) -> bool:
        """Whether a line's build is not to be had here."""
        kind, mod = kind_of(at)
        version = said.get("version", "") if kind is PlaceKind.LINE and said else ""
        return bool(version) and (mod, version) not in self._builds

    def words(self, at: str, said: Any) -> str:
        kind, _ = kind_of(at)
        if said is None:
            return ""
        if kind is PlaceKind.BASE:
            return self._profile.base_in_words(self._profile.base(*said)) if self._knows(said) else " ".join(said)
        if kind is PlaceKind.LINE:
            words = ["off" if said.get("off") else said.get("version", ""), "optional" if said.get("optional") else ""]
            return ", ".join(filter(None, (*words, said.get("advice", "")))) or "in, without a build"
        if kind is PlaceKind.ORDER:
            return "its own order"
        if kind is PlaceKind.SETTING:
            return f"{as_words(said['value'])} ({said['how']})"
        if kind is PlaceKind.STEP:
            return str(said["text"])
        if kind is PlaceKind.NOTE:
            return ", ".join(filter(None, (said.get("note", ""), *(f"#{tag}" for tag in said.get("tags", ())))))
        if kind is PlaceKind.PARTS:
            return "; ".join(f"{name.replace('_', ' ')}: {as_words(told)}" for name, told in said.items())
        return "set aside" if kind is PlaceKind.ASIDE else str(said)

    def _knows(self, base: list[str]) -> bool:
        try:
            self._profile.base(*base)
        except NoSuchBase:
            return False
        return True


def _proposal_out(one: Proposal, told: _Told) -> ProposalOut:
    return ProposalOut(
        id=one.pk,
        pack=one.pack.name,
        of=one.of_name,
        by=one.by.shown,
        at=one.at,
        words=one.words,
        changes=[
            ProposedOut(
                place=at,
                kind=kind_of(at)[0],
                name=told.name(at),
                before=told.words(at, before),
                after=told.words(at, after),
                taken=at in one.taken,
            )
            for at, (before, after) in one.entries.items()
        ],
        answered_at=one.answered_at,
        answered_by=one.answered_by.shown if one.answered_by else "",
        answer=one.answer,
    )


@router.post("/packs/{pack_id}/lead", response=LeadPage, operation_id="follow_lead")
def follow_lead(request: SignedIn, pack_id: UUID, body: FollowLeadIn) -> LeadPage:
    count_use("lead", str(request.user.pk), LOOKS_AN_HOUR, 3600)
    leads.follow(request.user, pack_id, LeadFrom(body.where), body.lead, body.begun)
    return lead(request, pack_id)


@router.post("/packs/{pack_id}/lead/look", response=LeadPage, operation_id="look_at_lead")
def look(request: SignedIn, pack_id: UUID) -> LeadPage:
    """Asks where the lead is what it says now."""
    count_use("lead", str(request.user.pk), LOOKS_AN_HOUR, 3600)
    leads.look(request.user, pack_id)
    return lead(request, pack_id)


@router.post("/packs/{pack_id}/lead/file", response=LeadPage, operation_id="bring_lead", openapi_extra=FILE_BODY)
def bring_lead(request: HttpRequest, pack_id: UUID) -> LeadPage:
    """A pack as a file to follow; or the next one of a lead that comes by files."""
    leads.follow_file(request.user, pack_id, upload_of(request))  # type: ignore[arg-type]
    return lead(request, pack_id)  # type: ignore[arg-type]


@router.post("/packs/{pack_id}/lead/proposals", response=LeadPage, operation_id="propose")
def propose(request: SignedIn, pack_id: UUID, body: ProposeIn) -> LeadPage:
    """Sends what is otherwise here to the lead's curators."""
    leads.propose(request.user, pack_id, body.places, body.words)
    return lead(request, pack_id)


@router.delete("/packs/{pack_id}/lead/proposals/{proposal_id}", response=Done, operation_id="take_proposal_back")
def take_back(request: SignedIn, pack_id: UUID, proposal_id: UUID) -> Done:
    leads.take_proposal_back(request.user, pack_id, proposal_id)
    return Done()


@router.post("/packs/{pack_id}/proposals/{proposal_id}/answer", response=Done, operation_id="answer_proposal")
def answer(request: SignedIn, pack_id: UUID, proposal_id: UUID, body: AnswerProposalIn) -> Done:
    """Answers in words, whatever of it was taken."""
    leads.answer(request.user, pack_id, proposal_id, body.words)
    return Done()
