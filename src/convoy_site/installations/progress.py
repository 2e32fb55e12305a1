"""What an agent is doing now, and what its member asks of it meanwhile."""

from datetime import timedelta

from django.utils import timezone

from .kept import Progress
from .models import Installation

QUIET_AFTER = timedelta(seconds=20)
"""An agent tells its progress every second; after this silence it is taken to have stopped."""


SEEN_AGAIN = timedelta(seconds=20)
"""A second question within it is no news, and not written down."""


def seen_watching(installation: Installation) -> None:
    """Also a word from a machine that has reported before: what it has to tell it would have told."""
    now = timezone.now()
    if installation.watched_at and now - installation.watched_at < SEEN_AGAIN:
        return
    heard = {"heard_at": now} if installation.heard_at else {}
    Installation.objects.filter(pk=installation.pk).update(watched_at=now, **heard)


def take_progress(installation: Installation, progress: Progress) -> None:
    installation.progress, installation.progress_at = progress, timezone.now()
    installation.save(update_fields=["progress", "progress_at"])


def hear_progress(installation: Installation, progress: Progress) -> str:
    """Keeps what the agent is doing; gives what its member asks meanwhile: `pause`, `stop` or nothing.

    What was asked of an earlier run is not asked of the next one.
    """
    before = current_progress(installation)
    if installation.hold and (progress.get("error") or not before or before.get("error")):
        installation.hold = ""
        installation.save(update_fields=["hold"])
    take_progress(installation, progress)
    return installation.hold


def current_progress(installation: Installation) -> Progress:
    """What the agent is doing now; empty at rest. One that fell silent is said to have stopped."""
    kept: Progress = installation.progress
    if not kept or kept.get("error"):
        return kept
    if installation.progress_at and timezone.now() - installation.progress_at > QUIET_AFTER:
        return {**kept, "error": "The agent stopped without a word. Start it again: it goes on."}
    return kept
