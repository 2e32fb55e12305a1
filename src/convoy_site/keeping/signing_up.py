"""Who may make an account, by the rules that the site's keepers settled. Hooks into django-allauth.

While registration is by invitation, an invitation or a join code lets one in: whoever hands out a pack's code has
invited.
"""

import secrets
from typing import Any

from allauth.account.adapter import DefaultAccountAdapter
from allauth.core import context
from allauth.usersessions.models import UserSession
from django import forms
from django.conf import settings
from django.contrib.auth.base_user import AbstractBaseUser
from django.contrib.auth.password_validation import validate_password
from django.db.models import Q
from django.http import HttpRequest
from django.utils import timezone

from convoy_core.words.codes import INVITATION_LENGTH, JOIN_LENGTH, read_code
from convoy_core.words.errors import ConvoyError
from convoy_core.words.names import UnreadableName, checked_name, look_of

from ..people.models import Invitation, Registration, SiteRules, User
from ..people.rights import NotFound
from ..people.services import asker_address
from ..people.tries import TooMany, begin, guarded
from ..releases.join_codes import standing_code

INVITATION_TRIES = 100
"""Wrong invitations of one address in ten minutes."""

OWN_TRIES, STRANGERS_TRIES, ADDRESS_TRIES = 20, 60, 120
"""Wrong passwords in ten minutes: for one account from one address; for one account from all addresses that it was
never signed in from; and of one address for all accounts, where a crew sits behind one proxy. So nobody is locked out
of their account by others who try at it, at home.
"""


class Accounts(DefaultAccountAdapter):  # type: ignore[misc]
    def is_open_for_signup(self, request: HttpRequest) -> bool:
        return SiteRules.now().registration != Registration.CLOSED

    def clean_username(self, username: str, shallow: bool = False) -> str:
        found = str(super().clean_username(username, shallow))
        try:
            checked_name(found)
        except UnreadableName as error:
            raise forms.ValidationError(error.sentence()) from error
        if not shallow and User.objects.filter(look=look_of(found)).exists():
            raise self.validation_error("username_taken")
        return found

    def authenticate(self, request: HttpRequest, **credentials: Any) -> AbstractBaseUser | None:
        """Counted as every guess is, before it is judged; a right password is taken back."""
        login = str(credentials.get("username") or credentials.get("email") or "").casefold()[:100]
        address = asker_address(request)
        most = {f"{login}@{address}": OWN_TRIES, f"address:{address}": ADDRESS_TRIES}
        if not _is_known_at(login, address):
            most[f"strangers:{login}"] = STRANGERS_TRIES
        try:
            # Every try is one of its own: what was typed is kept nowhere, not even as a hash.
            tried = begin("sign-in", most, secrets.token_hex(8))
        except TooMany as error:
            raise self.validation_error("too_many_login_attempts") from error
        found: AbstractBaseUser | None = super().authenticate(request, **credentials)
        if found:
            tried.was_right()
        return found

    def pre_authenticate(self, request: HttpRequest, **credentials: Any) -> None:
        """The package counts by account alone, so that anybody locks anybody out: `authenticate` counts instead."""

    def _rollback_login_failed_rl_usage(self) -> None:
        """Nothing was counted there."""

    def get_from_email(self) -> str:
        return settings.DEFAULT_FROM_EMAIL


class InvitedForm(forms.Form):
    """What an account asks for beside what every account has."""

    invitation = forms.CharField(required=False, max_length=40)

    def clean_invitation(self) -> str:
        given = str(self.cleaned_data["invitation"]).strip()
        if SiteRules.now().registration == Registration.INVITED and not _lets_in(given):
            raise forms.ValidationError("This site takes people by invitation. Ask a curator for a code.")
        return given

    def clean(self) -> dict[str, Any]:
        """The package judges a password without knowing whose it will be."""
        found: dict[str, Any] = super().clean() or self.cleaned_data
        if password := found.get("password"):
            person = User(username=found.get("username", ""), email=found.get("email", "") or "")
            try:
                validate_password(password, person)
            except forms.ValidationError as error:
                self.add_error("password", error)
        return found

    def signup(self, request: HttpRequest, user: User) -> None:
        """Called when the account is made: an invitation is used up."""
        given = self.cleaned_data.get("invitation", "")
        if code := _read(given, INVITATION_LENGTH):
            Invitation.objects.filter(code=code, used_by=None).update(used_by=user, used_at=timezone.now())


def _is_known_at(login: str, address: str) -> bool:
    """Whether an account is signed in from this address somewhere."""
    whose = Q(user__username__iexact=login) | Q(user__email__iexact=login)
    return UserSession.objects.filter(whose, ip=address).exists() if address else False


def _lets_in(given: str) -> bool:
    try:
        address = asker_address(context.request)
        with guarded("invitation", {f"address:{address}": INVITATION_TRIES}, given):
            if code := _read(given, INVITATION_LENGTH):
                if not Invitation.objects.filter(code=code, used_by=None).exists():
                    raise NotFound("Nobody made this invitation.")
            else:
                standing_code(read_code(given, JOIN_LENGTH))
    except ConvoyError:
        return False
    return True


def _read(given: str, length: int) -> str:
    try:
        return read_code(given, length)
    except ConvoyError:
        return ""
