"""What the worker does for releases: packs become files, and files packs."""

from uuid import UUID

from procrastinate.contrib.django import app

from . import opening as _opening
from . import packing as _packing


@app.task
def pack_up(packing: str) -> None:
    _packing.pack_up(UUID(packing))


@app.task
def open_up(opening: str) -> None:
    _opening.open_up(UUID(opening))


@app.periodic(cron="41 * * * *")
@app.task(queueing_lock="forget-files-of-packs")
def forget_files_of_packs(timestamp: int = 0) -> None:
    _packing.forget_old_packings()
    _opening.forget_old_openings()
