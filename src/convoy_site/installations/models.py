"""Installations: which folder on whose machine follows which pack, and what it last said of itself."""

import uuid

from django.contrib.postgres.fields import ArrayField
from django.db import models

from ..packs.models import Pack
from ..people.defaults import PRODUCT, Name, Settled, said_by, settled
from ..people.models import User
from ..releases.models import Release

OF_SETTINGS = ("settings", "written")
"""What an agent tells only where its member allowed it."""


class StandInMachine(models.Model):
    """A folder that stands for somebody's machine in the demo. Its agent is run by the worker, at a button's press."""

    slug = models.SlugField(primary_key=True, max_length=40)
    name = models.CharField(max_length=60)
    owner = models.ForeignKey(User, models.CASCADE, related_name="machines")
    memory_mb = models.PositiveIntegerField()
    runtimes = ArrayField(models.CharField(max_length=20), default=list)
    disk_free = models.PositiveBigIntegerField(default=0)
    """Bytes that it says are free; 0: what the folder's own disk has."""


class Departure(models.Model):
    """A date to play, and the release that it needs."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    pack = models.ForeignKey(Pack, models.CASCADE, related_name="departures")
    at = models.DateTimeField()
    release = models.ForeignKey(Release, models.PROTECT, null=True, related_name="+")
    """Empty: whatever is current then."""
    note = models.CharField(max_length=300, blank=True)
    set_by = models.ForeignKey(User, models.PROTECT, related_name="+")
    set_at = models.DateTimeField(auto_now_add=True)
    called_off = models.BooleanField(default=False)

    class Meta:
        ordering = ["at"]


class Coming(models.Model):
    """What somebody of the crew answered to a departure."""

    departure = models.ForeignKey(Departure, models.CASCADE, related_name="answers")
    user = models.ForeignKey(User, models.CASCADE, related_name="+")
    comes = models.BooleanField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["departure", "user"], name="one_answer_per_person")]


class Installations(models.QuerySet["Installation"]):
    def aboard(self) -> "Installations":
        """Of people who are in the pack's crew now. Who goes ashore is neither called nor served, and loses nothing."""
        return self.filter(member__memberships__crew=models.F("pack__crew"))


class Installation(models.Model):
    objects = Installations.as_manager()

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
    strayed = models.JSONField(default=list)
    """Enforced settings that say something else: path, key, wanted, there."""
    has = models.JSONField(default=dict)
    """For altered and extra files: the build that they are of, where it is known, by path."""
    harmless = models.JSONField(default=list)
    """Extra files of builds that touch their owner alone."""
    about = models.JSONField(default=dict)
    """What else the agent told: machine, plan, errands, steps, backups, history (`agent_api.AboutIn`)."""
    since = models.DateTimeField(null=True)
    """Since when it deviates as it does; empty while it does not."""
    stays_at = models.ForeignKey(Release, models.PROTECT, null=True, related_name="+")
    """The release that its member chose to stay at; empty: whatever is newest."""
    trial = models.BooleanField(default=False)
    """Whether it follows trial releases too."""
    tells_settings = models.BooleanField(default=False)
    """Its member allowed the agent to tell which settings they changed, for the crew's curators to see."""
    setting_sets = ArrayField(models.CharField(max_length=80), default=list)
    """Offered sets of settings that its member chose."""
    pinned = models.JSONField(default=list)
    """Settings that its member keeps as they are, whatever a release brings: rows of path and key."""
    left_out = ArrayField(models.CharField(max_length=80), default=list)
    """Optional mods that its member does without."""
    worlds = models.JSONField(default=dict)
    """By mod the saved worlds that its member put its content into (`convoy_core.lock.in_worlds`)."""
    asked_about = ArrayField(models.CharField(max_length=80), default=list)
    """Optional mods that its member has seen: others are offered as new."""
    memory_share = models.PositiveIntegerField(null=True)
    """This and the next three: what its member says for it alone; empty: as their own or their crew's defaults have
    it. Percent of the machine's memory that the game is safely given."""
    line_kb = models.PositiveIntegerField(null=True)
    """KB a second that fetching may take; 0: all there is."""
    most_mb = models.PositiveIntegerField(null=True)
    """MB that one sync may fetch without being asked about; 0: any."""
    kept_backups = models.PositiveIntegerField(null=True)
    """Backups made before syncs that are kept."""
    order = models.JSONField(default=dict)
    """What was asked for on the page and is not done yet: id, what, given. Empty when nothing."""
    answer = models.JSONField(default=dict)
    """How the last order went: what, said, refused."""
    orders = models.PositiveIntegerField(default=0)
    """Counts what its page has asked for, choices among it."""
    called_at = models.DateTimeField(null=True)
    """When its page last asked for something that the agent is to hear of soon."""
    serial = models.BigIntegerField(default=0)
    """Of the report that is kept: one with a lower number comes late."""
    other_number = models.CharField(max_length=40, blank=True)
    other_sha256 = models.CharField(max_length=64, blank=True)
    """A release that the machine has and this site does not know, or knows by that number as another."""
    hold = models.CharField(max_length=10, blank=True)
    """`pause` or `stop`, asked for while the agent works."""
    watched_at = models.DateTimeField(null=True)
    """When an agent last asked what to do."""
    by_listing = models.BooleanField(default=False)
    """Told by a listing that somebody handed in, not by an agent."""
    progress = models.JSONField(default=dict)
    """What the agent is doing: phase, done and total bytes, seconds left, what, error. Empty at rest."""
    progress_at = models.DateTimeField(null=True)
    start = models.JSONField(default=dict)
    """The last start of the game around a departure: began, release, in_step, state, at. Empty where none was told."""

    @property
    def written(self) -> dict[str, str]:
        """Settings files that the game, or a mod, wrote there, with their hashes, where its member lets it be told."""
        told: dict[str, str] = self.about.get("written", {})
        return told

    @property
    def holds(self) -> dict[Name, Settled]:
        """What holds for it, and where that comes from. One query; needs its pack."""
        users, crews = said_by([self.member_id], [self.pack.crew_id])
        here: dict[str, int | None] = {name: getattr(self, name) for name in PRODUCT}
        return settled(here, users.get(self.member_id, {}), crews.get(self.pack.crew_id, {}))

    class Meta:
        ordering = ["started_at"]
        constraints = [
            models.UniqueConstraint(fields=["pack", "member", "name"], name="one_installation_per_name"),
        ]


class BesideTaken(models.Model):
    """A collection that a member takes up beside the pack. Its order is that of laying down."""

    installation = models.ForeignKey(Installation, models.CASCADE, related_name="beside")
    collection = models.ForeignKey(Pack, models.CASCADE, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["installation", "collection"], name="one_beside_each")]
