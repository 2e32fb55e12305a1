"""Runs background jobs until it is stopped. A database that goes away, and comes back, ends it no more."""

import asyncio
import logging
import signal
import time
from dataclasses import dataclass
from typing import Any

from django.core.management.base import BaseCommand, CommandParser
from django.db import DatabaseError, close_old_connections
from procrastinate.contrib.django import app
from procrastinate.exceptions import ConnectorException
from psycopg import Error as PsycopgError
from psycopg_pool import PoolTimeout

log = logging.getLogger(__name__)

FIRST_WAIT, LONGEST_WAIT = 1.0, 30.0
"""Seconds until the next try; doubled each time, until it has run for longer than the longest."""

AWAY = (DatabaseError, ConnectorException, PsycopgError, PoolTimeout, OSError)
"""What a database that goes away comes to, in the worker's several layers."""


@dataclass
class Stop:
    """Whether somebody asked it to stop: kept outside of what ends with the database's line, so that it is not lost
    where both happen at once.
    """

    asked: bool = False


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--concurrency", type=int, default=4)

    def handle(self, *args: object, **options: Any) -> None:
        wait, why, stop = FIRST_WAIT, "", Stop()
        while not stop.asked:
            began = time.monotonic()
            try:
                asyncio.run(_work(options["concurrency"], stop))
                # The package ends as if it had been asked to when its line to the database is cut.
                why = "its line was cut"
            except AWAY as error:
                why = str(error).strip().splitlines()[0] if str(error).strip() else type(error).__name__
            if stop.asked:
                return
            if time.monotonic() - began > LONGEST_WAIT:
                wait = FIRST_WAIT
            log.warning("the worker lost the database and begins again in %.0f s: %s", wait, why)
            close_old_connections()
            time.sleep(wait)
            wait = min(LONGEST_WAIT, wait * 2)


async def _work(concurrency: int, stop: Stop) -> None:
    """Until it is asked to stop; what it has in hand is ended first."""

    def end() -> None:
        stop.asked = True
        working.cancel()

    with app.replace_connector(app.connector.get_worker_connector()) as own:  # type: ignore[attr-defined]
        async with own.open_async():
            working = asyncio.ensure_future(
                own.run_worker_async(concurrency=concurrency, install_signal_handlers=False)
            )
            for each in (signal.SIGTERM, signal.SIGINT):
                asyncio.get_running_loop().add_signal_handler(each, end)
            try:
                await working
            except asyncio.CancelledError:
                if not stop.asked:
                    raise
