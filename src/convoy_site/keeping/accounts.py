"""Accounts, as the site's keepers see to them, and as their owners take them along or end them."""

import secrets
from datetime import timedelta
from typing import Any

from allauth.account.forms import default_token_generator
from allauth.account.models import EmailAddress
from allauth.account.utils import user_pk_to_url_str
from allauth.mfa.models import Authenticator
from allauth.usersessions.models import UserSession
from django.conf import settings
from django.db import transaction
from django.db.models import Count, Q, QuerySet
from django.utils import timezone

from convoy_core.words.codes import INVITATION_LENGTH, make_code
from convoy_core.words.errors import ConvoyError

from ..installations.models import Installation
from ..installations.veiled import TOLD_LATER
from ..notices.models import Feed, Notice, Wish
from ..people import audit
from ..people.defaults import PRODUCT
from ..people.models import CrewInvitation, Defaults, Invitation, Membership, Role, SiteRules, User
from ..people.rights import Forbidden, NotFound, keeper
from ..releases.models import JoinCode
from ..releases.seals import hidden_from

ACCOUNTS_A_PAGE = 50
GONE = "gone-"
"""How the name of an account begins that its owner has ended."""


class StillNeeded(ConvoyError):
    """An account cannot be ended while others depend on it."""

    code = "still-needed"


def accounts(asker: User, text: str = "") -> QuerySet[User]:
    """Accounts by name or address, the newest first; with how many crews each is in."""
    keeper(asker, "see accounts")
    found = User.objects.exclude(username__startswith=GONE).annotate(
        crew_count=Count("memberships", distinct=True), factor_count=Count("authenticator", distinct=True)
    )
    if text:
        found = found.filter(Q(username__icontains=text) | Q(first_name__icontains=text) | Q(email__icontains=text))
    return found.order_by("-date_joined", "pk")


def _account(asker: User, username: str, what: str) -> User:
    keeper(asker, what)
    found = User.objects.select_for_update().filter(username=username).first()
    if found is None:
        raise NotFound(f"There is no account {username}.")
    return found


@transaction.atomic
def lock(asker: User, username: str, locked: bool) -> None:
    """A locked account cannot sign in, is signed out everywhere, and its agents are served no longer."""
    account = _account(asker, username, "lock accounts")
    if account.pk == asker.pk and locked:
        raise Forbidden("You cannot lock yourself out.", "Somebody has to keep the site.", "Ask another keeper.")
    account.is_active = not locked
    account.save(update_fields=["is_active"])
    if locked:
        end_sessions(account)
    audit.note(asker, f"{'locked' if locked else 'unlocked'} the account of {account.shown}")


@transaction.atomic
def way_back(asker: User, username: str) -> str:
    """An address with which the owner of an account sets a new password, to be handed over by its keeper. It holds as
    long as one that is sent by mail. The second factor is taken off: it is what people lose.
    """
    account = _account(asker, username, "open accounts again")
    Authenticator.objects.filter(user=account).delete()
    end_sessions(account)
    audit.note(asker, f"opened the account of {account.shown} again: new password, no second factor")
    key = f"{user_pk_to_url_str(account)}-{default_token_generator.make_token(account)}"
    return f"{settings.ADDRESS}/password/{key}"


@transaction.atomic
def make_keeper(asker: User | None, username: str, is_keeper: bool) -> None:
    """`asker`: nobody where the site's own command does it, which is how the first one is made."""
    if asker is not None:
        keeper(asker, "make keepers")
    account = User.objects.select_for_update().filter(username=username).first()
    if account is None:
        raise NotFound(f"There is no account {username}.")
    keepers = User.objects.filter(is_staff=True, is_active=True).exclude(pk=account.pk)
    if not is_keeper and asker is not None and not keepers.exists():
        raise Forbidden(f"{account.shown} is the only keeper.", "Somebody has to keep the site.", "Make another first.")
    account.is_staff = is_keeper
    account.save(update_fields=["is_staff"])
    audit.note(asker, f"made {account.shown} {'a keeper' if is_keeper else 'no keeper any more'}")


def end_sessions(account: User) -> None:
    for one in UserSession.objects.filter(user=account):
        one.end()


def rules(asker: User) -> SiteRules:
    keeper(asker, "see the site's rules")
    return SiteRules.now()


@transaction.atomic
def change_rules(asker: User, **changed: Any) -> SiteRules:
    keeper(asker, "change the site's rules")
    now, _ = SiteRules.objects.select_for_update().get_or_create(pk=1)
    said = []
    for name, value in changed.items():
        before = getattr(now, name)
        if before != value:
            said.append(f"{name.replace('_', ' ')} from {before} to {value}")
            setattr(now, name, value)
    if said:
        now.save()
        audit.note(asker, f"changed the rules: {', '.join(said)}")
    return now


def invite(asker: User, note: str) -> Invitation:
    keeper(asker, "invite people")
    made = Invitation.objects.create(code=make_code(INVITATION_LENGTH, secrets.choice), made_by=asker, note=note)
    audit.note(asker, f"made an invitation{f' for {note}' if note else ''}")
    return made


def invitations(asker: User) -> QuerySet[Invitation]:
    keeper(asker, "see invitations")
    recent = timezone.now() - timedelta(days=30)
    kept = Invitation.objects.filter(Q(used_by=None) | Q(used_at__gt=recent))
    return kept.select_related("made_by", "used_by").order_by("-made_at")


def withdraw_invitation(asker: User, code: str) -> None:
    keeper(asker, "withdraw invitations")
    if not Invitation.objects.filter(code=code, used_by=None).delete()[0]:
        raise NotFound("There is no such invitation, or it was used.")


def taken_along(user: User) -> dict[str, Any]:
    """Everything that is kept about somebody, as plain data, for them to take along."""
    mine = list(Installation.objects.filter(member=user).select_related("pack", "pack__crew"))
    hidden = hidden_from(user, {one.pack_id for one in mine})
    return {
        "account": {
            "name": user.username,
            "shown as": user.shown,
            "made at": user.date_joined,
            "last signed in": user.last_login,
            "addresses": [
                {"address": one.email, "confirmed": one.verified, "main": one.primary}
                for one in EmailAddress.objects.filter(user=user)
            ],
            "second factors": [
                {"kind": one.type, "made at": one.created_at} for one in Authenticator.objects.filter(user=user)
            ],
        },
        "crews": [
            {"crew": one.crew.name, "role": one.role, "since": one.since}
            for one in user.memberships.select_related("crew")
        ],
        "installations": [
            {
                "name": one.name,
                "pack": one.pack.name,
                "crew": one.pack.crew.name,
                "side": one.side,
                "told by your agent": TOLD_LATER if one.release_id in hidden else one.about,
                "heard from at": one.heard_at,
            }
            for one in mine
        ],
        "signed in at": [
            {"from": one.ip, "with": one.user_agent, "since": one.created_at}
            for one in UserSession.objects.filter(user=user)
        ],
        "news that reached you": list(
            Notice.objects.filter(user=user).values("at", "text", "when", "seen_at", "settled_at")
        ),
        "how you want news": list(Wish.objects.filter(user=user).values("pack__name", "mail")),
        "feeds": list(Feed.objects.filter(user=user).values("pack__name", "made_at")),
        "what holds for your installations": list(Defaults.objects.filter(user=user).values(*PRODUCT)),
        "invitations you made": list(
            CrewInvitation.objects.filter(made_by=user).values("crew__name", "role", "note", "made_at", "until")
        ),
        "codes you gave out": list(
            JoinCode.objects.filter(made_by=user).values("code", "pack__name", "made_at", "withdrawn_at")
        ),
    }


@transaction.atomic
def end_account(user: User, password: str) -> None:
    """Ends somebody's account: who they were is forgotten, what they made in crews stays, without their name.

    Raises Forbidden for a wrong password, StillNeeded while they own a crew with others in it, or are the only keeper.
    """
    account = User.objects.select_for_update().get(pk=user.pk)
    if account.has_usable_password() and not account.check_password(password):
        raise Forbidden("That is not your password.", now="Type it once more.", field="password")
    owned = Membership.objects.filter(user=account, role=Role.OWNER).select_related("crew")
    shared = [one.crew.name for one in owned.annotate(people=Count("crew__memberships")) if one.people > 1]
    if shared:
        raise StillNeeded(f"You own {', '.join(shared)}.", "Others are in it.", "Hand it over to one of them first.")
    if account.is_staff and not User.objects.filter(is_staff=True, is_active=True).exclude(pk=account.pk).exists():
        raise StillNeeded("You are the site's only keeper.", now="Make another first.")
    Installation.objects.filter(member=account).delete()
    JoinCode.objects.filter(made_by=account, withdrawn_at=None).update(withdrawn_at=timezone.now())
    account.memberships.all().delete()
    # What is told to nobody else goes; so do ways in that somebody left open.
    for theirs in (account.notices, account.wishes, account.feeds, Defaults.objects.filter(user=account)):
        theirs.all().delete()
    CrewInvitation.objects.filter(made_by=account).delete()
    EmailAddress.objects.filter(user=account).delete()
    Authenticator.objects.filter(user=account).delete()
    account.machines.all().delete()
    end_sessions(account)
    # The row stays, empty: releases and edits, which never change, say who made them.
    account.username, account.first_name, account.last_name = f"{GONE}{account.pk}", "Somebody who left", ""
    account.email, account.is_active, account.is_staff = "", False, False
    account.set_unusable_password()
    account.save()
