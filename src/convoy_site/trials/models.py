"""Trial runs: what was tried, by whom, how it went, and what the game said."""

from django.db import models

from ..packs.models import Pack
from ..releases.models import Making, Release


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
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-at"]
