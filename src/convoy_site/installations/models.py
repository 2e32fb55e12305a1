"""Installations: which folder on whose machine follows which pack, and what it last said of itself."""

import uuid

from django.db import models

from ..packs.models import Pack
from ..people.models import User
from ..releases.models import Release


class StandInMachine(models.Model):
    """A folder that stands for somebody's machine in the demo. Its agent is run by the worker, at a button's press."""

    slug = models.SlugField(primary_key=True, max_length=40)
    name = models.CharField(max_length=60)
    owner = models.ForeignKey(User, models.CASCADE, related_name="machines")
    memory_mb = models.PositiveIntegerField()


class Installation(models.Model):
    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    pack = models.ForeignKey(Pack, models.PROTECT, related_name="installations")
    member = models.ForeignKey(User, models.CASCADE, related_name="installations")
    name = models.CharField(max_length=60)
    side = models.CharField(max_length=10, choices=[("player", "player"), ("server", "server")], default="player")
    machine = models.ForeignKey(StandInMachine, models.SET_NULL, null=True, related_name="installations")
    started_at = models.DateTimeField(auto_now_add=True)

    pairing_hash = models.CharField(max_length=64, blank=True)
    """SHA-256 of the open pairing code; empty when there is none."""
    pairing_until = models.DateTimeField(null=True)
    token_hash = models.CharField(max_length=64, blank=True, db_index=True)
    """SHA-256 of the paired agent's token; the token itself is only on the machine."""

    release = models.ForeignKey(Release, models.PROTECT, null=True, related_name="+")
    """The release that the machine's record follows, by its own report."""
    heard_at = models.DateTimeField(null=True)
    deviations = models.JSONField(default=dict)
    """Path to missing, altered or extra."""
    fingerprint = models.CharField(max_length=9, blank=True)
    progress = models.JSONField(default=dict)
    """What the agent is doing: phase, done and total bytes, seconds left, what, error. Empty at rest."""
    progress_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["started_at"]
        constraints = [
            models.UniqueConstraint(fields=["pack", "member", "name"], name="one_installation_per_name"),
        ]
