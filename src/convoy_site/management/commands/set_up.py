"""Brings the database up to date, and makes the site's keys unless there are any. Safe to run again."""

from django.core.management import call_command
from django.core.management.base import BaseCommand
from django.db import connection

from convoy_site.releases.keys import make_keys

LOCK = 8_460_000
"""Any number that nothing else locks."""


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: object, **options: object) -> None:
        # Several machines of one site may start at once: the first one in does it, the others wait and find it done.
        with connection.cursor() as cursor:
            cursor.execute("select pg_advisory_lock(%s)", [LOCK])
            try:
                call_command("migrate", verbosity=0)
                call_command("createcachetable", verbosity=0)
            finally:
                cursor.execute("select pg_advisory_unlock(%s)", [LOCK])
        if make_keys():
            self.stdout.write("A new signing key was made.")
