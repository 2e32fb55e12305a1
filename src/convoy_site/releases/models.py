"""What was published, and the codes that hand it out."""

from django.db import models

from convoy_core.lock.recipe import ReleaseChannel, is_open

from ..packs.models import Pack
from ..people.models import User


def open_ones(trial: bool = False) -> models.Q:
    """`recipe.is_open` as a query's condition."""
    return models.Q(withdrawal=None) if trial else models.Q(withdrawal=None, channel=ReleaseChannel.STABLE)


class Release(models.Model):
    """One published release. Never changes afterwards: a trigger in the database refuses it (migration 0002)."""

    pack = models.ForeignKey(Pack, models.PROTECT, related_name="releases")
    number = models.CharField(max_length=40)
    channel = models.CharField(max_length=10, choices=[("stable", "stable"), ("trial", "trial")], default="stable")
    notes = models.TextField(blank=True)
    changes = models.JSONField()
    """The change log against the release before: rows as convoy_core.lock.change_log gives them."""
    base_text = models.CharField(max_length=120)
    builds = models.PositiveIntegerField()
    fingerprint = models.CharField(max_length=9)
    draft_revision = models.PositiveIntegerField()
    document = models.BinaryField()
    """The recipe: the exact bytes that are signed."""
    signature = models.BinaryField()
    public_key = models.BinaryField()
    published_by = models.ForeignKey(User, models.PROTECT, related_name="+")
    published_at = models.DateTimeField()

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["pack", "number"], name="one_release_per_number")]

    @property
    def is_withdrawn(self) -> bool:
        return hasattr(self, "withdrawal")

    def is_open(self, trial: bool = False) -> bool:
        """`recipe.is_open`, for somebody who follows trial releases or does not."""
        return is_open(self.channel, self.is_withdrawn, trial)


class Withdrawal(models.Model):
    """A release that nobody is to install any more. The release itself stays as it is."""

    release = models.OneToOneField(Release, models.PROTECT, related_name="withdrawal")
    by = models.ForeignKey(User, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    why = models.CharField(max_length=300)


class JoinCode(models.Model):
    """A short code that lets somebody install a pack. `uses_left` of None: any number of times."""

    code = models.CharField(primary_key=True, max_length=12)
    pack = models.ForeignKey(Pack, models.CASCADE, related_name="codes")
    made_by = models.ForeignKey(User, models.PROTECT, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    uses_left = models.PositiveIntegerField(null=True)
    withdrawn_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-made_at"]
