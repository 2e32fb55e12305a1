"""News as it reaches people and programs: notices, how each wants them, feeds, and calls to other services."""

import uuid

from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.utils import timezone

from ..packs.models import Pack
from ..people.models import Crew, Event, User


class Mailed(models.TextChoices):
    """How news comes by mail."""

    AT_ONCE = "at-once"
    DAILY = "daily"
    NEVER = "never"


class Letter(models.TextChoices):
    """What becomes of one notice's mail."""

    NONE = "none"
    WAITS = "waits"
    SENT = "sent"


class Notice(models.Model):
    """One piece of news for one person. `needs`: it asks something of them, until it is settled."""

    user = models.ForeignKey(User, models.CASCADE, related_name="notices")
    event = models.ForeignKey(Event, models.CASCADE, null=True, related_name="notices")
    key = models.CharField(max_length=120)
    """What it is about: one person has one notice of it."""
    crew = models.ForeignKey(Crew, models.CASCADE, null=True, related_name="+")
    """Nothing where it tells that the crew is no more."""
    pack = models.ForeignKey(Pack, models.CASCADE, null=True, related_name="+")
    at = models.DateTimeField(default=timezone.now)
    text = models.CharField(max_length=500)
    more = models.TextField(blank=True)
    when = models.DateTimeField(null=True)
    """The moment that it tells of, for whoever shows it in a reader's own time."""
    address = models.CharField(max_length=200)
    """A page of the site, from its root."""
    needs = models.BooleanField(default=False)
    seen_at = models.DateTimeField(null=True)
    settled_at = models.DateTimeField(null=True)
    letter = models.CharField(max_length=10, choices=Letter.choices, default=Letter.NONE)

    class Meta:
        ordering = ["-at", "-pk"]
        constraints = [models.UniqueConstraint(fields=["user", "key"], name="one_notice_of_a_thing")]
        indexes = [
            models.Index(fields=["user", "-at", "-id"], name="notice_by_date"),
            models.Index(fields=["user", "seen_at"], name="notice_unseen"),
            models.Index(fields=["letter", "at"], condition=models.Q(letter="waits"), name="notice_to_mail"),
        ]


class Wish(models.Model):
    """How somebody wants the news of one pack, or of all (no pack)."""

    user = models.ForeignKey(User, models.CASCADE, related_name="wishes")
    pack = models.ForeignKey(Pack, models.CASCADE, null=True, related_name="+")
    mail = models.CharField(max_length=10, choices=Mailed.choices)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["user", "pack"], nulls_distinct=False, name="one_wish_per_pack")]


class Feed(models.Model):
    """The secret address at which somebody's reader finds a pack's news. It holds while they are in the crew."""

    user = models.ForeignKey(User, models.CASCADE, related_name="feeds")
    pack = models.ForeignKey(Pack, models.CASCADE, related_name="feeds")
    secret = models.CharField(max_length=43, unique=True)
    made_at = models.DateTimeField(default=timezone.now)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["user", "pack"], name="one_feed_per_pack")]


class Hook(models.Model):
    """An address that is called with what happens to a pack."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    pack = models.ForeignKey(Pack, models.CASCADE, related_name="hooks")
    address = models.CharField(max_length=500)
    secret = models.CharField(max_length=64)
    kinds = ArrayField(models.CharField(max_length=30))
    made_by = models.ForeignKey(User, models.SET_NULL, null=True, related_name="+")
    made_at = models.DateTimeField(default=timezone.now)
    on = models.BooleanField(default=True)
    off_because = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["made_at"]


class CallState(models.TextChoices):
    WAITS = "waits"
    TAKEN = "taken"
    FAILED = "failed"


class Call(models.Model):
    """One call of a hook: what was or will be sent, and how it went."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    hook = models.ForeignKey(Hook, models.CASCADE, related_name="calls")
    event = models.ForeignKey(Event, models.CASCADE, null=True, related_name="+")
    kind = models.CharField(max_length=60)
    body = models.TextField()
    state = models.CharField(max_length=10, choices=CallState.choices, default=CallState.WAITS)
    tries = models.PositiveIntegerField(default=0)
    at = models.DateTimeField(default=timezone.now)
    next_at = models.DateTimeField(null=True)
    told = models.CharField(max_length=400, blank=True)
    """What the other side said last, or why it could not be reached."""
    took_ms = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ["-at", "-pk"]
        constraints = [models.UniqueConstraint(fields=["hook", "event"], name="one_call_per_event")]
