"""Who may make an account, by the rules that the site's keepers settled. Hooks into django-allauth.

While registration is by invitation, an invitation or a join code lets one in: whoever hands out a pack's code has
invited.
"""

from allauth.account.adapter import DefaultAccountAdapter
from django import forms
from django.conf import settings
from django.http import HttpRequest
from django.utils import timezone

from convoy_core.words.codes import INVITATION_LENGTH, JOIN_LENGTH, read_code
from convoy_core.words.errors import ConvoyError

from ..people.models import Invitation, Registration, SiteRules, User
from ..people.services import count_try
from ..releases.services import standing_code

TRIES, WITHIN_SECONDS = 300, 3600
"""Wrong invitations that the whole site takes in an hour: codes are not to be guessed."""


class Accounts(DefaultAccountAdapter):  # type: ignore[misc]
    def is_open_for_signup(self, request: HttpRequest) -> bool:
        return SiteRules.now().registration != Registration.CLOSED

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

    def signup(self, request: HttpRequest, user: User) -> None:
        """Called when the account is made: an invitation is used up."""
        given = self.cleaned_data.get("invitation", "")
        if code := _read(given, INVITATION_LENGTH):
            Invitation.objects.filter(code=code, used_by=None).update(used_by=user, used_at=timezone.now())


def _lets_in(given: str) -> bool:
    try:
        # Nobody is signed in yet, so that all who try are counted as one.
        count_try("invitation", "anybody", TRIES, WITHIN_SECONDS)
        if code := _read(given, INVITATION_LENGTH):
            return Invitation.objects.filter(code=code, used_by=None).exists()
        standing_code(read_code(given, JOIN_LENGTH))
    except ConvoyError:
        return False
    return True


def _read(given: str, length: int) -> str:
    try:
        return read_code(given, length)
    except ConvoyError:
        return ""
