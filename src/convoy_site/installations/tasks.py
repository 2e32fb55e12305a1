"""Runs the real agent for stand-in machines: the same program, started by the worker instead of a person."""

import json
import logging
import os
import subprocess
import sys
from pathlib import Path

from django.conf import settings
from procrastinate.contrib.django import app

from ..people.models import User
from ..releases.lookup import recipe_of
from .joining import pairing_command
from .models import Installation
from .orders import give_up_order
from .progress import take_progress
from .stand_ins import OBEY, stand_in_folder

SYNC_SECONDS = 1800
"""A stand-in's sync that takes half an hour hangs."""

log = logging.getLogger(__name__)


@app.task(name=OBEY, aliases=["convoy_site.installations.tasks.obey"], queue="stand-ins")
def obey(installation: str) -> None:
    """Pairs the stand-in machine if need be, and has its agent do what was asked for, or look."""
    found = Installation.objects.select_related("machine", "member", "pack").filter(pk=installation).first()
    if found is None or found.machine is None:
        return
    # Whoever presses a stand-in's buttons sits at that machine, as far as it is one.
    watch = ("watch", "--once", "--allow-all", "--folder", str(stand_in_folder(found)))
    if not paired(found) or not run_agent(found, *watch):
        found.refresh_from_db()
        give_up_order(found, str(found.progress.get("error", "")))


def paired(installation: Installation) -> bool:
    """Whether the stand-in's folder follows the installation; a new one is paired first."""
    folder = stand_in_folder(installation)
    if (folder / ".convoy" / "pairing.json").exists():
        return True
    folder.parent.mkdir(parents=True, exist_ok=True)
    member: User = installation.member
    words = pairing_command(member, installation.pk).command.split()[1:-1]
    # Whatever lies there stays: somebody who left and comes back finds what they kept.
    return run_agent(installation, *words, str(folder), "--as-it-is")


def _game_of(installation: Installation) -> Path | None:
    """The stand-in of the pack's game, which lies on every stand-in machine."""
    place = Path(settings.STANDIN_GAMES or "/nowhere") / installation.pack.game_id
    return place if place.is_file() else None


def _base_of(installation: Installation) -> str:
    """Which game is on such a machine: the one that the pack is for."""
    if installation.release_id is None:
        return ""
    base = recipe_of(installation.release_id).lock.base
    return f"{base.version} {base.loader} {base.loader_version or ''}".strip()


def run_agent(installation: Installation, *arguments: str) -> bool:
    """Runs the agent; when it fails without having said so itself, its last words become the progress."""
    machine = installation.machine
    assert machine is not None
    place = Path(settings.STANDIN_MACHINES) / machine.slug
    place.mkdir(parents=True, exist_ok=True)
    told = {"memory_mb": machine.memory_mb, "runtimes": machine.runtimes, "disk_free": machine.disk_free}
    (place / "machine.json").write_text(json.dumps({**told, "system": "stand-in"}))
    (place / "downloads").mkdir(exist_ok=True)
    command = [sys.executable, "-m", "convoy_agent", "--store", str(place / "store"), *arguments]
    if arguments[0] == "watch":
        command += ["--downloads", str(place / "downloads")]
        if game := _game_of(installation):
            command += ["--program", str(game)]
    environment = {**os.environ, "CONVOY_MACHINE": str(place / "machine.json"), "CONVOY_BASE": _base_of(installation)}
    try:
        done = subprocess.run(command, capture_output=True, text=True, timeout=SYNC_SECONDS, env=environment)
    except subprocess.TimeoutExpired:
        take_progress(installation, {"phase": "stopped", "error": "The agent took too long and was stopped."})
        return False
    if done.returncode in (0, 1):  # 1: it worked, and found a difference
        return True
    words = " ".join(done.stderr.split())[-600:]
    log.warning("agent for %s: %s", installation.pk, words)
    installation.refresh_from_db()
    if not installation.progress.get("error"):
        take_progress(installation, {"phase": "stopped", "error": words or "The agent stopped without a word."})
    return False
