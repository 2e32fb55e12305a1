"""`./run bench chaos`, by hand: every part of a running site is killed and its disks are filled, under load.

What is measured is loss: whatever the site said yes to has to be there afterwards, and nothing may lie among the kept
files that is not what its name says. The parts are started again by `house`, as those of the demo are.
"""

from __future__ import annotations

import hashlib
import io
import os
import random
import signal
import threading
import time
import zipfile
from collections import Counter
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx
import psutil
from django.conf import settings
from django.db import connection
from procrastinate.contrib.django.models import ProcrastinateJob

from convoy_core.lock.canonical import sha256_hex
from convoy_site.catalogue.after import read_soon
from convoy_site.catalogue.models import Build, OwnFile, Source
from convoy_site.installations.models import Installation
from convoy_site.packs.models import Edit, Pack
from convoy_site.releases.models import Release

from .load import agent_of, processes
from .site_pages import signed_in

SEED, ROUNDS = 20261126, 2
BETWEEN_SECONDS, BACK_SECONDS, FULL_SECONDS = 4, 60, 6
JOBS_SECONDS = 240
"""Within this a job whose worker was killed has been begun again, and is done."""


@dataclass
class Said:
    """What the site said yes to."""

    edits: dict[int, str] = field(default_factory=dict)
    """Revision to the note that it wrote."""
    files: dict[str, str] = field(default_factory=dict)
    """SHA-256 of a dropped archive to the name of the build that was made of it."""
    releases: set[str] = field(default_factory=set)
    tries: int = 0
    """How often publishing was tried: numbers go up, whatever became of the one before."""
    report: int = 0
    """The highest serial of a report."""
    refused: Counter[str] = field(default_factory=Counter)
    """Requests that came to nothing, by what they were answered."""
    over: threading.Event = field(default_factory=threading.Event)


def measure() -> list[tuple[str, str, str]]:
    pack = Pack.objects.get(name="Night Freight")
    agent, installation = agent_of(pack)
    said = Said()
    doings: list[Callable[[], None]] = [
        lambda: _edit(said, pack),
        lambda: _drop(said, pack),
        lambda: _publish(said, pack),
        lambda: _report(said, agent),
        _read_sources,
    ]
    with ThreadPoolExecutor(len(doings)) as pool:
        for doing in doings:
            pool.submit(_again_and_again, doing, said)
        try:
            back, largest = _torment()
        finally:
            said.over.set()
    lost = [*_lost(said, pack, installation), *_unverified()]
    for one in lost:
        print(f"  LOST: {one}")
    assert not lost, f"{len(lost)} losses, named above"
    rows = [(what, f"{count}", "") for what, count in back.items()]
    for what, count in (
        ("edits", len(said.edits)),
        ("own builds", len(said.files)),
        ("releases", len(said.releases)),
    ):
        rows.append((f"{what} that were acknowledged, and are there", f"{count}", ""))
    rows.append(("requests answered by an error, or not at all", f"{said.refused.total()}", ""))
    rows.append(("longest until the site answered again", f"{largest:.1f} s", f"aim: under {BACK_SECONDS} s"))
    rows.append(("acknowledged things that were gone, unverified files, jobs that hang", "0", "one ends the run"))
    return rows


def _again_and_again(doing: Callable[[], None], said: Said) -> None:
    while not said.over.is_set():
        try:
            doing()
        except Exception as error:
            said.refused[type(error).__name__] += 1
            connection.close()
            time.sleep(0.3)


def _edit(said: Said, pack: Pack) -> None:
    with closing(signed_in()) as maren:
        while not said.over.is_set():
            revision = _ok(maren.get(f"/api/packs/{pack.pk}"))["revision"]
            note = os.urandom(12).hex()
            edits = [{"do": "describe", "mod": "night-lanterns", "optional": True, "advice": note}]
            told = _ok(maren.post(f"/api/packs/{pack.pk}/draft/edits", json={"revision": revision, "edits": edits}))
            said.edits[told["revision"]] = note
            time.sleep(0.2)


def _drop(said: Said, pack: Pack) -> None:
    with closing(signed_in()) as maren:
        while not said.over.is_set():
            name = f"Chaos {os.urandom(6).hex()}"
            content = _archive(name)
            at = f"/api/packs/{pack.pk}"
            told = _ok(maren.post(f"{at}/files", params={"name": f"{name}.zip"}, content=content))
            assert not told["trouble"] and told["sha256"] == sha256_hex(content), told
            _ok(maren.post(f"{at}/own-builds", json=_about(told["sha256"], name)))
            said.files[told["sha256"]] = name


def _archive(name: str) -> bytes:
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w") as archive:
        archive.writestr(f"{name}/data.bin", os.urandom(random.randint(1_000, 3_000_000)))
    return made.getvalue()


def _about(sha256: str, name: str) -> dict[str, Any]:
    return {
        "sha256": sha256,
        "name": name,
        "version": "1.0",
        "kind": "settings",
        "licence": "CC0-1.0",
        "side": "both",
        "reach": "crew",
        "games": "*",
        "root": "",
    }


def _publish(said: Said, pack: Pack) -> None:
    with closing(signed_in()) as maren:
        while not said.over.is_set():
            time.sleep(1)
            said.tries += 1
            revision = _ok(maren.get(f"/api/packs/{pack.pk}"))["revision"]
            number = f"9.{said.tries}"
            body = {"revision": revision, "number": number, "channel": "trial", "notes": number}
            _ok(maren.post(f"/api/packs/{pack.pk}/releases", json=body))
            said.releases.add(number)


def _report(said: Said, agent: httpx.Client) -> None:
    serial = max(said.report, time.time_ns()) + 1
    _ok(agent.post("/api/agent/report", json={"release": "", "deviations": {}, "serial": serial}))
    said.report = serial
    time.sleep(0.05)


def _read_sources() -> None:
    for source in Source.objects.filter(is_own=False):
        Source.objects.filter(pk=source.pk).update(etag="", rest_until=None)
        source.pages.update(sha256="0" * 64)
        read_soon(source.pk)
    time.sleep(5)


def _ok(reply: httpx.Response) -> Any:
    reply.raise_for_status()
    return reply.json()


def _torment() -> tuple[dict[str, int], float]:
    """What was done how often, and the longest time in seconds until the site answered after it."""
    done: Counter[str] = Counter()
    largest = 0.0
    events = list(_events())
    chance = random.Random(SEED)
    for _ in range(ROUNDS):
        chance.shuffle(events)
        for what, event in events:
            time.sleep(BETWEEN_SECONDS)
            event()
            done[what] += 1
            took = _until_it_answers(what)
            largest = max(largest, took)
            print(f"  {what}: back after {took:.1f} s", flush=True)
    return dict(done), largest


def _events() -> Iterator[tuple[str, Callable[[], None]]]:
    for what, name, all_of_it in (
        ("one process of the site killed", "gunicorn", False),
        ("the whole site killed", "gunicorn", True),
        ("the worker killed", "manage.py worker", True),
        ("the front killed", "nginx", True),
        ("the sources killed", "convoy_standins.sources", True),
    ):
        yield what, lambda name=name, all_of_it=all_of_it: _kill(processes(name), all_of_it)  # type: ignore[misc]
    yield "PostgreSQL killed", lambda: _kill([_postgres()], True)
    yield "one connection's process of PostgreSQL killed", lambda: _kill(_postgres().children(), False)
    yield "PostgreSQL restarted", lambda: _postgres().send_signal(signal.SIGINT)
    for what, place in (("the files'", settings.DATA), ("PostgreSQL's", os.environ.get("CONVOY_DB_DISK", ""))):
        if place and os.path.ismount(place):
            yield f"{what} disk filled for {FULL_SECONDS} s", lambda place=place: _fill(Path(place))  # type: ignore[misc]


def _postgres() -> psutil.Process:
    port = os.environ["CONVOY_DB_PORT"]
    for one in psutil.process_iter():
        told = one.cmdline() if one.is_running() else []
        if told and told[0].endswith("/postgres") and port in told:
            return one
    raise ProcessLookupError("PostgreSQL is not there")


def _kill(found: list[psutil.Process], all_of_it: bool) -> None:
    for one in found if all_of_it else random.sample(found, 1):
        try:
            one.kill()
        except psutil.NoSuchProcess:
            continue


def _fill(place: Path) -> None:
    filler = place / "filler"
    until = time.monotonic() + FULL_SECONDS
    try:
        with filler.open("wb", buffering=0) as file:
            while time.monotonic() < until:
                try:
                    file.write(bytes(2**16))
                except OSError:
                    time.sleep(0.02)
    finally:
        filler.unlink()


def _until_it_answers(what: str) -> float:
    """Seconds until the site reads and writes again. Raises AssertionError after BACK_SECONDS."""
    began = time.monotonic()
    while time.monotonic() - began < BACK_SECONDS:
        try:
            with closing(signed_in()):
                return time.monotonic() - began
        except (httpx.HTTPError, KeyError):
            time.sleep(0.1)
    raise AssertionError(f"{what}: the site did not come back within {BACK_SECONDS} s")


def _lost(said: Said, pack: Pack, installation: Installation) -> Iterator[str]:
    connection.close()
    edits = dict(Edit.objects.filter(draft=pack.draft).values_list("revision", "did"))
    for revision, note in said.edits.items():
        if note not in str(edits.get(revision)):
            yield f"edit {revision}"
    for sha256, name in said.files.items():
        if not Build.objects.filter(archive_sha256=sha256, mod__name=name).exists():
            yield f"own build {name}"
        file = OwnFile.objects.filter(sha256=sha256).first()
        if file is None or not Path(settings.MEDIA_ROOT, file.place).is_file():
            yield f"file of {name}"
    for number in said.releases:
        if not Release.objects.filter(pack=pack, number=number).exists():
            yield f"release {number}"
    installation.refresh_from_db()
    if installation.serial < said.report:
        yield f"report {said.report}"
    if not _jobs_end():
        yield f"jobs that hang: {list(_unfinished().values_list('task_name', 'status'))}"


def _unverified() -> Iterator[str]:
    for file in OwnFile.objects.all():
        place = Path(settings.MEDIA_ROOT, file.place)
        if not place.is_file() or hashlib.sha256(place.read_bytes()).hexdigest() != file.sha256:
            yield f"{file.place} is not what its row says"
    for release in Release.objects.all():
        if sha256_hex(bytes(release.document)) != release.sha256:
            yield f"release {release.number} is not its hash"
    for place in Path(settings.MEDIA_ROOT, "own").rglob("*"):
        if place.is_file() and len(place.name) == 64 and sha256_hex(place.read_bytes()) != place.name:
            yield f"{place.name} is not its name"


def _unfinished() -> Any:
    return ProcrastinateJob.objects.filter(status__in=("doing", "todo"))


def _jobs_end() -> bool:
    until = time.monotonic() + JOBS_SECONDS
    while time.monotonic() < until:
        if not _unfinished().exists():
            return True
        time.sleep(2)
    return False
