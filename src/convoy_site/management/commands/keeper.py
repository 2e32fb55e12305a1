"""Makes a keeper of the site, or brings back one who is locked out. Whoever can run this owns the machine."""

import secrets
from argparse import ArgumentParser

from allauth.mfa.models import Authenticator
from django.core.management.base import BaseCommand, CommandError
from django.db import transaction

from convoy_core.words.errors import ConvoyError
from convoy_site.keeping import accounts
from convoy_site.people import audit
from convoy_site.people.models import User


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("username", help="the account's name to sign in with; made where there is none")
        parser.add_argument("--end", action="store_true", help="make the account no keeper any more")
        parser.add_argument("--back-in", action="store_true", help="unlock it, new password, no second factor")

    @transaction.atomic
    def handle(self, *args: object, **options: object) -> None:
        username = str(options["username"])
        account, is_new = User.objects.get_or_create(username=username, defaults={"first_name": username})
        if is_new and options["end"]:
            raise CommandError(f"There is no account {username}.")
        if is_new or options["back_in"]:
            password = secrets.token_urlsafe(12)
            account.set_password(password)
            account.is_active = True
            account.save()
            Authenticator.objects.filter(user=account).delete()
            accounts.end_sessions(account)
            audit.note(None, f"gave {account.shown} a new password")
            self.stdout.write(f"{username} signs in with  {password}  and should change it.")
        try:
            accounts.make_keeper(None, username, not options["end"])
        except ConvoyError as error:
            raise CommandError(error.sentence()) from error
        self.stdout.write(f"{username} is {'no keeper any more' if options['end'] else 'a keeper of the site'}.")
