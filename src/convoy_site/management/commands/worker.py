"""Runs background jobs until it is stopped. A database that goes away, and comes back, ends it no more."""

import asyncio
import logging
import time
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandParser
from django.db import DatabaseError, close_old_connections
from procrastinate.exceptions import ConnectorException
from psycopg import Error as PsycopgError
from psycopg_pool import PoolTimeout

log = logging.getLogger(__name__)

FIRST_WAIT, LONGEST_WAIT = 1.0, 30.0
"""Seconds until the next try; doubled each time, until it has run for longer than the longest."""


AWAY = (DatabaseError, ConnectorException, PsycopgError, PoolTimeout, OSError, asyncio.CancelledError)
"""What a database that goes away comes to, in the worker's several layers."""


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--concurrency", type=int, default=4)

    def handle(self, *args: object, **options: Any) -> None:
        wait = FIRST_WAIT
        while True:
            began = time.monotonic()
            try:
                call_command("procrastinate", "worker", concurrency=options["concurrency"])
                return
            except AWAY as error:
                if time.monotonic() - began > LONGEST_WAIT:
                    wait = FIRST_WAIT
                log.warning("the worker lost the database and begins again in %.0f s: %s", wait, error)
                close_old_connections()
                time.sleep(wait)
                wait = min(LONGEST_WAIT, wait * 2)
