"""What was published, and the codes that hand it out."""

import uuid
from typing import Any

from django.db import models
from django.db.models.functions import Lower
from django.utils import timezone

from convoy_core.lock.playthroughs import Rule
from convoy_core.lock.recipe import ReleaseChannel, is_open
from convoy_core.trust.signed import Signed

from ..packs.models import Pack
from ..people.models import Crew, User


def open_ones(trial: bool = False) -> models.Q:
    """`recipe.is_open` as a query's condition."""
    return models.Q(withdrawal=None) if trial else models.Q(withdrawal=None, channel=ReleaseChannel.STABLE)


class Release(models.Model):
    """One published release. Never changes afterwards: a trigger in the database refuses it (migration 0002)."""

    pack = models.ForeignKey(Pack, models.PROTECT, related_name="releases")
    number = models.CharField(max_length=40)
    channel = models.CharField(max_length=10, choices=[("stable", "stable"), ("trial", "trial")], default="stable")
    notes = models.TextField(blank=True)
    announcement = models.TextField(blank=True)
    """As its curator had it when it was published (`handing_out.announcement`); empty in releases from before."""
    changes = models.JSONField()
    """The change log against the release before: rows as convoy_core.lock.change_log gives them."""
    base_text = models.CharField(max_length=120)
    builds = models.PositiveIntegerField()
    fingerprint = models.CharField(max_length=9)
    draft_revision = models.PositiveIntegerField()
    document = models.BinaryField()
    """The recipe: the exact bytes that are signed."""
    sha256 = models.CharField(max_length=64)
    """Of the document: what the release is, whatever its number."""
    signature = models.BinaryField()
    public_key = models.BinaryField()
    """Whose signature that is; others are `more_signatures`."""
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


class ReleaseSignature(models.Model):
    """One more signature over a release: of a second person, or of a key that a later charter names."""

    release = models.ForeignKey(Release, models.PROTECT, related_name="more_signatures")
    key = models.BinaryField()
    signature = models.BinaryField()
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["release", "key"], name="one_signature_per_key")]


class SignedRow(models.Model):
    """A signed document as a row keeps it."""

    document = models.BinaryField()
    signatures = models.JSONField()
    """Public key and signature of each who signed, as hexadecimal text."""

    class Meta:
        abstract = True

    def as_signed(self) -> Signed:
        pairs = tuple((bytes.fromhex(key), bytes.fromhex(signature)) for key, signature in self.signatures)
        return Signed(bytes(self.document), pairs)

    @staticmethod
    def columns(signed: Signed) -> dict[str, Any]:
        rows = [[key.hex(), signature.hex()] for key, signature in signed.signatures]
        return {"document": signed.document, "signatures": rows}


class CharterKept(SignedRow):
    """One charter of a crew. None is ever changed or dropped: machines follow them one after the other."""

    crew = models.ForeignKey(Crew, models.CASCADE, related_name="charters")
    version = models.PositiveIntegerField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["crew", "version"], name="one_charter_per_version")]


class StatementKept(SignedRow):
    """The newest statement of a pack."""

    pack = models.OneToOneField(Pack, models.CASCADE, related_name="statement")
    made_at = models.DateTimeField()


class Waiting(models.Model):
    """A release that was put together and waits for signatures that the site cannot give. One per pack; nobody gets it
    before it has them all, and then it becomes a `Release`.
    """

    pack = models.OneToOneField(Pack, models.CASCADE, related_name="waiting")
    number = models.CharField(max_length=40)
    channel = models.CharField(max_length=10)
    document = models.BinaryField()
    announcement = models.TextField(blank=True)
    draft_revision = models.PositiveIntegerField()
    signatures = models.JSONField(default=list)
    let_in = models.JSONField(default=list)
    """Of one that is to be sealed: ids of those who see it all the same."""
    made_by = models.ForeignKey(User, models.PROTECT, related_name="+")
    made_at = models.DateTimeField()


class Withdrawal(models.Model):
    """A release that nobody is to install any more. The release itself stays as it is."""

    release = models.OneToOneField(Release, models.PROTECT, related_name="withdrawal")
    by = models.ForeignKey(User, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    why = models.CharField(max_length=300)


class Seal(models.Model):
    """A release of which nobody but its curators sees what is in it, until an hour. Machines install it meanwhile."""

    release = models.OneToOneField(Release, models.CASCADE, related_name="seal")
    until = models.DateTimeField()
    let_in = models.ManyToManyField(User, related_name="+")
    """Who sees it beside its crew's curators: whoever keeps the server, say."""
    told = models.BooleanField(default=False)
    """People were told that it has opened."""

    @property
    def is_closed(self) -> bool:
        return timezone.now() < self.until


class Playthrough(models.Model):
    """One saved world that is being played, and what may change under it."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    pack = models.ForeignKey(Pack, models.CASCADE, related_name="playthroughs")
    name = models.CharField(max_length=60)
    world = models.CharField(max_length=120)
    """The name of its folder, on every machine that plays it."""
    rule = models.CharField(max_length=40, choices=[(one.value, one.value) for one in Rule])
    note = models.CharField(max_length=300, blank=True)
    begun = models.ForeignKey(Release, models.PROTECT, related_name="+")
    """The release that it was begun with."""
    by = models.ForeignKey(User, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    ended_at = models.DateTimeField(null=True)
    ended_because = models.CharField(max_length=300, blank=True)
    last = models.ForeignKey(Release, models.PROTECT, null=True, related_name="+")
    """The release that it ended with."""

    class Meta:
        ordering = ["at"]
        constraints = [models.UniqueConstraint("pack", Lower("name"), name="one_playthrough_per_name")]


class Milestone(models.Model):
    """A moment of a playthrough at which everybody's world is backed up, by its name."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    playthrough = models.ForeignKey(Playthrough, models.CASCADE, related_name="milestones")
    name = models.CharField(max_length=60)
    by = models.ForeignKey(User, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["at"]

    @property
    def called(self) -> str:
        """As its backups are called. Needs its playthrough."""
        return f"{self.playthrough.name}: {self.name}"


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


class MakingState(models.TextChoices):
    """How far something is that a worker makes of a pack, or of a file."""

    WAITS = "waits"
    WORKING = "working"
    DONE = "done"
    FAILED = "failed"
    STOPPED = "stopped"


FAILED = "Something went wrong on the site. Nothing was kept. Try again, and tell its keeper if it stays so."
"""What is told of a making that ended in an error nobody foresaw."""


class Making(models.Model):
    """Something that a worker does with a large file, which whoever asked for it looks at and may stop. Sizes in
    bytes.
    """

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    by = models.ForeignKey(User, models.CASCADE, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    state = models.CharField(max_length=10, choices=MakingState.choices, default=MakingState.WAITS)
    done = models.PositiveBigIntegerField(default=0)
    total = models.PositiveBigIntegerField(default=0)
    told = models.TextField(blank=True)
    """Why it failed; or what came of it."""
    stop = models.BooleanField(default=False)

    class Meta:
        abstract = True


class Packing(Making):
    """A pack that becomes a file: one of its releases, or its draft (no release)."""

    pack = models.ForeignKey(Pack, models.CASCADE, related_name="packings")
    release = models.ForeignKey(Release, models.CASCADE, null=True, related_name="+")
    asked = models.JSONField()
    """What goes in: `form`, `side`, `builds`, `own`."""
    name = models.CharField(max_length=120)
    left = models.JSONField(default=list)
    """What is not inside, each with the reason."""
    size = models.PositiveBigIntegerField(default=0)
    sha256 = models.CharField(max_length=64, blank=True)

    class Meta:
        ordering = ["-at"]

    @property
    def place(self) -> str:
        return f"packed/{self.pk}.zip"


class Opening(Making):
    """A pack that came as a file, and becomes a pack of a crew here."""

    crew = models.ForeignKey(Crew, models.CASCADE, related_name="openings")
    said = models.JSONField()
    """What was found in it (`opening.Found`)."""
    pack = models.ForeignKey(Pack, models.SET_NULL, null=True, related_name="+")

    class Meta:
        ordering = ["-at"]

    @property
    def place(self) -> str:
        return f"opened/{self.pk}.zip"
