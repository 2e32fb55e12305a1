"""Brings the database up to date, and makes the site's keys unless there are any; refuses where this machine has others
than the site. Safe to run again."""

from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import connection

from convoy_core.words.errors import ConvoyError
from convoy_site.keeping.identity import take_up
from convoy_site.kept_files import StorageAway

LOCK = 8_460_000
"""Any number that nothing else locks."""


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--restored", action="store_true", help="the database and files are out of a backup")

    def handle(self, *args: object, **options: Any) -> None:
        # Several machines of one site may start at once: the first one in does it, the others wait and find it done.
        with connection.cursor() as cursor:
            cursor.execute("select pg_advisory_lock(%s)", [LOCK])
            try:
                call_command("migrate", verbosity=0)
                call_command("createcachetable", verbosity=0)
                if take_up(options["restored"]):
                    self.stdout.write("New keys were made.")
            except StorageAway as error:
                # It may come back while the site runs, and every door that needs it says so until then.
                self.stderr.write(error.sentence())
            except ConvoyError as error:
                raise CommandError(error.sentence()) from error
            finally:
                cursor.execute("select pg_advisory_unlock(%s)", [LOCK])
