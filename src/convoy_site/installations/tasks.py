"""Runs the real agent for stand-in machines: the same program, started by the worker instead of a person."""

import logging
import subprocess
import sys

from django.conf import settings
from procrastinate.contrib.django import app

from ..people.models import User
from .models import Installation
from .services import pairing_command, stand_in_folder, take_progress

SYNC_SECONDS = 1800
"""A stand-in's sync that takes half an hour hangs."""

log = logging.getLogger(__name__)


@app.task(queue="stand-ins")
def sync_stand_in(installation: str, extras_aside: bool = False) -> None:
    """Pairs the stand-in machine if need be, and syncs it."""
    found = Installation.objects.select_related("machine", "member", "pack").filter(pk=installation).first()
    if found is None or found.machine is None:
        return
    folder = stand_in_folder(found)
    if not (folder / ".convoy" / "pairing.json").exists():
        folder.parent.mkdir(parents=True, exist_ok=True)
        member: User = found.member
        words = pairing_command(member, found.pk).command.split()[1:-1]
        if not run_agent(found, *words, str(folder)):
            return
    run_agent(found, "sync", "--folder", str(folder), *(["--extras-aside"] if extras_aside else []))


def run_agent(installation: Installation, *arguments: str) -> bool:
    """Runs the agent; when it fails without having said so itself, its last words become the progress."""
    store = settings.STANDIN_MACHINES / installation.machine.slug / "store"
    command = [sys.executable, "-m", "convoy_agent", "--store", str(store), *arguments]
    try:
        done = subprocess.run(command, capture_output=True, text=True, timeout=SYNC_SECONDS)
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
