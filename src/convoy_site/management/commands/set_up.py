"""Brings the database up to date, and makes the signing key unless there is one. Safe to run again."""

from django.core.management import call_command
from django.core.management.base import BaseCommand

from convoy_site.releases.keys import make_key


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: object, **options: object) -> None:
        call_command("migrate", verbosity=0)
        call_command("createcachetable", verbosity=0)
        if make_key():
            self.stdout.write("A new signing key was made.")
