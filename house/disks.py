"""Small disks for `./run bench chaos` to fill: of memory, and gone with it."""

import os
import shutil
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager

from .places import VAR, say
from .services import Postgres

SIZE = "1400m"
"""More than the site wants free before it takes an upload, and the demo's data."""


@contextmanager
def disks_of_its_own(name: str) -> Iterator[dict[str, str]]:
    """A disk for the files of a stack and one for its database, as long as the context lasts; what says where they are.
    Nothing where this account may not mount: then what needs them is not measured.
    """
    owner = "postgres" if os.geteuid() == 0 else None
    places = {"CONVOY_DATA": VAR / name, "CONVOY_DB_DISK": Postgres.place_of(f"postgres-{name}", owner)}
    mounted: dict[str, str] = {}
    try:
        for variable, place in places.items():
            if os.path.ismount(place):  # of a run that was killed
                subprocess.run(["umount", "--lazy", str(place)], check=True)
            shutil.rmtree(place, ignore_errors=True)
            place.mkdir(parents=True, exist_ok=True)
            if subprocess.run(["mount", "-t", "tmpfs", "-o", f"size={SIZE}", "convoy", str(place)]).returncode:
                say("no disks of its own here: none is filled")
                _let_go(mounted)
                break
            mounted[variable] = str(place)
        yield dict(mounted)
    finally:
        _let_go(mounted)


def _let_go(mounted: dict[str, str]) -> None:
    while mounted:
        subprocess.run(["umount", "--lazy", mounted.popitem()[1]], check=True)
