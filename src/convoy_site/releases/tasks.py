"""What the worker does for releases: packs become files, and files packs."""

from uuid import UUID

from procrastinate.contrib.django import app

from . import leads, seals
from .as_files import making, opening_up
from .as_files.opening import forget_old_openings
from .as_files.packing import forget_old_packings


@app.task
def pack_up(packing: str) -> None:
    making.pack_up(UUID(packing))


@app.task
def open_up(opening: str) -> None:
    opening_up.open_up(UUID(opening))


@app.task
def open_sealed(release: int) -> None:
    seals.has_opened(release)


@app.periodic(cron="23 * * * *")
@app.task(queueing_lock="look-at-leads")
def look_at_leads(timestamp: int = 0) -> None:
    leads.look_by_itself()


@app.periodic(cron="41 * * * *")
@app.task(queueing_lock="forget-files-of-packs")
def forget_files_of_packs(timestamp: int = 0) -> None:
    forget_old_packings()
    forget_old_openings()
