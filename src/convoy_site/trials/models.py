"""Trial runs: what was tried, by whom, how it went, and what the game said; and calls for help."""

import uuid

from django.contrib.postgres.fields import ArrayField
from django.db import models

from ..installations.models import Installation
from ..packs.models import Pack
from ..people.models import User
from ..releases.models import Making, Release


class Bench(models.Model):
    """A machine of a keeper's own that takes trials from the site (`convoy bench`), for games that it says it has."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    name = models.CharField(max_length=60)
    token_hash = models.CharField(max_length=64, unique=True)
    games = ArrayField(models.CharField(max_length=80), default=list)
    """Ids of games, as it said last."""
    made_by = models.ForeignKey(User, models.SET_NULL, null=True, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    seen_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["made_at"]


class Trial(Making):
    """One start of a draft or a release on the bench. `done` of `total`: bytes fetched and laid down."""

    pack = models.ForeignKey(Pack, models.CASCADE, related_name="trials")
    release = models.ForeignKey(Release, models.CASCADE, null=True, related_name="trials")
    revision = models.PositiveIntegerField()
    """Of the draft, when it was asked for."""
    lock_sha256 = models.CharField(max_length=64)
    """What was tried, exactly: equal for a draft and for the release that was published of it."""
    number = models.CharField(max_length=40, blank=True)
    """The release's; empty for the draft."""
    began_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)
    without = models.JSONField(default=list)
    """Mods that were left out, as rows of `mod`, `name`, `why`: the bench cannot fetch what only a person may."""
    outcome = models.JSONField(default=dict)
    """`outcome.Outcome` as data; empty until it has ended."""
    pinned = models.BooleanField(default=False)
    is_remote = models.BooleanField(default=False)
    """It is for a bench elsewhere to take, and no worker's."""
    bench = models.ForeignKey(Bench, models.SET_NULL, null=True, related_name="trials")
    """Which one took it."""
    heard_at = models.DateTimeField(null=True)
    """When that one last said how far it is."""

    class Meta:
        ordering = ["-at"]
        indexes = [models.Index(fields=["pack", "lock_sha256"])]

    @property
    def place(self) -> str:
        """Where its log is kept, read into entries."""
        return f"trials/{self.pk}.json.gz"


class Narrowing(Making):
    """A search for the mods that a trial fails by. `answers`: every try so far, as rows of `mods` (places in `mods`
    below), `outcome`, `seconds`; `found`: `narrow.Found` as data, empty until it has ended.
    """

    trial = models.ForeignKey(Trial, models.CASCADE, related_name="narrowings")
    chance = models.FloatField(default=1.0)
    """With which it fails."""
    planned = models.PositiveIntegerField(default=0)
    """About how many tries one culprit takes, said beforehand."""
    mods = models.JSONField(default=list)
    """Ids, in the order in which they are tried."""
    answers = models.JSONField(default=list)
    found = models.JSONField(default=dict)
    rehearsed = models.JSONField(default=list)
    """Ways out that were started, as rows of `text`, `edits`, `outcome`, `seconds`."""
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-at"]


class HelpState(models.TextChoices):
    """A call that is *gathered* is seen by its member alone, until they send it."""

    GATHERED = "gathered"
    OPEN = "open"
    CLOSED = "closed"


class HelpCall(models.Model):
    """Everything private was replaced on the member's machine: what was there never came here."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    pack = models.ForeignKey(Pack, models.CASCADE, related_name="help_calls")
    member = models.ForeignKey(User, models.CASCADE, related_name="help_calls")
    installation = models.ForeignKey(Installation, models.SET_NULL, null=True, related_name="help_calls")
    number = models.CharField(max_length=200, blank=True)
    """The release that lay there, as the agent told it."""
    words = models.CharField(max_length=2000, blank=True)
    text = models.TextField()
    cause = models.CharField(max_length=600, blank=True)
    """Why the last start failed, as a sentence; empty where nothing is known."""
    alike = models.CharField(max_length=400, blank=True, db_index=True)
    """Equal for calls whose starts ended by the same cause; empty where nothing is known of it."""
    mods = models.JSONField(default=list)
    """That its cause names."""
    starts = models.JSONField(default=list)
    """The newest ones, as rows of `began`, `release`, `sentence`, `good`."""
    state = models.CharField(max_length=10, choices=HelpState.choices, default=HelpState.GATHERED)
    at = models.DateTimeField(auto_now_add=True)
    sent_at = models.DateTimeField(null=True)
    closed_at = models.DateTimeField(null=True)
    closed_by = models.ForeignKey(User, models.SET_NULL, null=True, related_name="+")
    was = models.CharField(max_length=500, blank=True)
    """What it was, in words."""

    class Meta:
        ordering = ["-at"]
        indexes = [models.Index(fields=["pack", "state"])]


class HelpLog(models.Model):
    """What the last start said, and the last good one, by entries. Nothing of it where no start was made."""

    call = models.OneToOneField(HelpCall, models.CASCADE, primary_key=True, related_name="log")
    data = models.BinaryField()
    """JSON, packed with gzip: `last` and `good`."""


class HelpWord(models.Model):
    """One answer. `proposal`: what is to be done (`proposals.Proposal` as data); empty for words alone."""

    call = models.ForeignKey(HelpCall, models.CASCADE, related_name="answers")
    by = models.ForeignKey(User, models.CASCADE, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    text = models.CharField(max_length=2000, blank=True)
    proposal = models.JSONField(default=dict)
    taken_at = models.DateTimeField(null=True)
    taken_by = models.ForeignKey(User, models.SET_NULL, null=True, related_name="+")

    class Meta:
        ordering = ["pk"]
