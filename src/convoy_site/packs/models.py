"""What a curator keeps: a pack, its one draft with its lines, and the edits that were made."""

import uuid

from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.db.models.functions import Lower
from django.utils import timezone

from convoy_core.lock.recipe import ReleaseChannel

from ..catalogue.models import Game
from ..people.models import Crew, User
from .emblems import EMBLEM_PATHS

EMBLEMS = tuple(EMBLEM_PATHS)
"""Shapes that the front end draws; a pack's colour follows from its name."""


def open_releases() -> models.Q:
    """The condition under which a pack's release is open to everybody: `recipe.is_open`, over the pack's releases."""
    return models.Q(releases__channel=ReleaseChannel.STABLE, releases__withdrawal=None)


class Pack(models.Model):
    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    crew = models.ForeignKey(Crew, models.PROTECT, related_name="packs")
    game = models.ForeignKey(Game, models.PROTECT)
    name = models.CharField(max_length=60)
    emblem = models.CharField(max_length=20, choices=[(one, one) for one in EMBLEMS], default=EMBLEMS[0])
    group = models.CharField(max_length=60, blank=True)
    notes = models.TextField(blank=True)
    started_by = models.ForeignKey(User, models.PROTECT, related_name="+")
    started_at = models.DateTimeField(auto_now_add=True)
    retired_at = models.DateTimeField(null=True)
    """Nobody works on it any more, and nobody joins it; what members have stays, and syncs."""
    retired_because = models.CharField(max_length=300, blank=True)
    suits = models.JSONField(null=True)
    """Of a collection: what it suits, as `convoy_core.lock.suits.Suits.as_data` gives it. None for a pack."""

    @property
    def is_collection(self) -> bool:
        return self.suits is not None

    class Meta:
        constraints = [models.UniqueConstraint("crew", Lower("name"), name="one_pack_per_name_in_crew")]


class Draft(models.Model):
    """What will be the next release. `revision` counts edits; a write names the one it was made against. The base of a
    collection's draft is the one that it is tried on.
    """

    pack = models.OneToOneField(Pack, models.CASCADE, related_name="draft")
    game_version = models.CharField(max_length=40)
    loader = models.CharField(max_length=40, blank=True)
    loader_version = models.CharField(max_length=40, blank=True)
    revision = models.PositiveIntegerField(default=0)
    picks = models.JSONField(default=dict)
    """Mod to version of everything that the last settling put in: chosen and brought in."""
    unsettled = models.JSONField(default=dict)
    """Mod to why its line has no build: `why` as sentences, `core` the lines that clash, `ways` what would free it."""
    tweaks = models.JSONField(default=list)
    """Settings that the pack sets, as `convoy_core.lock.terms.Tweak.as_data` gives them; beside that `by`, `at`,
    `because`, and `set`, the set that one belongs to.
    """
    tweak_sets = models.JSONField(default=dict)
    """Named groups of settings: id to `name` and `on`."""
    steps = models.JSONField(default=list)
    """Steps by hand, as `convoy_core.lock.terms.HandStep.as_data` gives them."""
    parts = models.JSONField(default=dict)
    """Mod to which of its files are laid down, as `convoy_core.draft.parts.PartRule.as_data` gives it."""
    winners = models.JSONField(default=dict)
    """A path or folder to the mod whose files win there."""
    set_aside = models.TextField(default="", blank=True)
    """The list of what is not placed, as somebody wrote or pasted it."""
    own_files = models.JSONField(default=dict)
    """The pack's own files: path to `size`, `sha256`, `by` and `at`."""
    collections = models.JSONField(default=dict)
    """Collections under the pack, by their pack's id: what `draft.collections.Collection.as_data` gives of the release
    that is taken, and beside it `at`, its place in the order, and `held`, whether it stays at that release. The whole
    of it, so that nothing that becomes of the collection takes lines from this draft.
    """
    kept = models.BooleanField(default=False)
    """Its curators keep it to themselves."""
    kept_until = models.DateTimeField(null=True)
    """A release that was made of it is sealed until then, and with it the draft."""

    @property
    def is_kept(self) -> bool:
        """Whether members may not look at it."""
        return self.kept or (self.kept_until is not None and timezone.now() < self.kept_until)

    lead = models.JSONField(default=dict)
    """The pack that this one follows: `from` (`LeadFrom`), `pack` or `address`, `name`, `number`, `mark` of the keys
    that were pinned, and `taken`: what it said when it was last taken from (`draft.following.Entries`).
    """
    lead_now = models.JSONField(default=dict)
    """What the lead says now, as it was looked at last: `number`, `sha256`, `notes`, `at`, `entries`."""
    laid_down = models.JSONField(default=dict)
    """Findings that were set apart: id to `because`, `evidence` (a mark of it), `by` and `at`."""


class LeadFrom(models.TextChoices):
    """Where a lead is: its releases here, its draft here (of a copy), behind an address, or a file."""

    RELEASES = "releases"
    DRAFT = "draft"
    ADDRESS = "address"
    FILE = "file"


class Proposal(models.Model):
    """Changes that another pack's curators propose to this one's: places with what each is to say, rehearsed and taken
    like every edit.
    """

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    pack = models.ForeignKey(Pack, models.CASCADE, related_name="proposals")
    of = models.ForeignKey(Pack, models.SET_NULL, null=True, related_name="+")
    """The pack that it comes from; gone where that is."""
    of_name = models.CharField(max_length=60)
    by = models.ForeignKey(User, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    words = models.CharField(max_length=1000, blank=True)
    entries = models.JSONField()
    """Place to [what the lead said, what is proposed]."""
    answered_at = models.DateTimeField(null=True)
    answered_by = models.ForeignKey(User, models.PROTECT, null=True, related_name="+")
    answer = models.CharField(max_length=1000, blank=True)
    taken = models.JSONField(default=list)
    """Places of it that were taken."""

    class Meta:
        ordering = ["-at"]


class Line(models.Model):
    """One wanted mod. Lines that were brought in are not kept: they follow from needs at each settling."""

    draft = models.ForeignKey(Draft, models.CASCADE, related_name="lines")
    mod = models.CharField(max_length=80)
    held_version = models.CharField(max_length=128, blank=True)
    held_because = models.CharField(max_length=200, blank=True)
    on = models.BooleanField(default=True)
    rested_version = models.CharField(max_length=128, blank=True)
    """The build that the line had when it was switched off; what that needs stays in."""
    optional = models.BooleanField(default=False)
    advice = models.CharField(max_length=200, blank=True)
    """For an optional line: what the curator tells members who choose."""
    tags = ArrayField(models.CharField(max_length=30), default=list)
    note = models.CharField(max_length=500, blank=True)
    order = models.PositiveIntegerField()

    class Meta:
        ordering = ["order", "pk"]
        constraints = [models.UniqueConstraint(fields=["draft", "mod"], name="one_line_per_mod")]


class Edit(models.Model):
    """One edit of a draft: who did what, and which lines it touched (`base` and `pack` beside mods)."""

    draft = models.ForeignKey(Draft, models.CASCADE, related_name="edits")
    revision = models.PositiveIntegerField()
    by = models.ForeignKey(User, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    subjects = ArrayField(models.CharField(max_length=620))
    sentence = models.CharField(max_length=400)
    did = models.JSONField(default=dict)
    """What it changed, each as [before, after]: `lines` and `picks` by mod, and `base`. Enough to take it back."""
    takes_back = models.PositiveIntegerField(null=True)
    """The revision of the edit that this one undid."""
    root = models.PositiveIntegerField(null=True)
    """For a taking back: the revision of the edit that the chain of taking back and doing again began with."""
    again = models.BooleanField(default=False)
    """It took back a taking back, and so did the first edit again."""

    class Meta:
        ordering = ["-revision"]
        constraints = [models.UniqueConstraint(fields=["draft", "revision"], name="one_edit_per_revision")]
