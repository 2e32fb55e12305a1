"""What exists to choose from: games, sources, and the mods and builds that were read from them."""

import json
from dataclasses import replace
from enum import StrEnum
from functools import lru_cache

from django.contrib.postgres.fields import ArrayField
from django.contrib.postgres.functions import RandomUUID
from django.contrib.postgres.indexes import GinIndex
from django.contrib.postgres.search import SearchVectorField
from django.db import models
from django.db.models.functions import Now
from django.utils import timezone

from convoy_core.outside.game_profile import read_profile
from convoy_core.outside.version_lists import read_version_lists, with_lists
from convoy_core.words.model import Channel, Kind, Pickup, Reach, Side
from convoy_core.words.profile import GameProfile


def _choices(words: type[StrEnum]) -> list[tuple[str, str]]:
    return [(word.value, word.value) for word in words]


@lru_cache(maxsize=64)
def _profile(pk: str, text: str, listed: str) -> GameProfile:
    profile = replace(read_profile(text), id=pk)
    return with_lists(profile, read_version_lists(json.loads(listed))) if listed else profile


class Game(models.Model):
    """A game, wholly described by its profile (TOML), and by the version lists of a source where it follows one."""

    id = models.SlugField(primary_key=True, max_length=60)
    """The profile's own id; for a crew's game with an ending, so that two crews may bring the same."""
    name = models.CharField(max_length=60)
    crew = models.ForeignKey("people.Crew", models.CASCADE, null=True, related_name="games")
    """Set where somebody brought it for their crew: nobody else sees it."""
    profile_text = models.TextField()
    listed = models.TextField(blank=True)
    """Version lists as the followed source said last (JSON, `outside.version_lists`)."""
    follows = models.ForeignKey("Source", models.SET_NULL, null=True, related_name="+")
    revision = models.PositiveIntegerField(default=1)

    @property
    def profile(self) -> GameProfile:
        return _profile(self.pk, self.profile_text, self.listed)


class GameRevision(models.Model):
    """A profile as it stood after one change. `by`: nobody where a followed source said something new."""

    game = models.ForeignKey(Game, models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    by = models.ForeignKey("people.User", models.SET_NULL, null=True, related_name="+")
    at = models.DateTimeField(default=timezone.now)
    why = models.CharField(max_length=200, blank=True)
    profile_text = models.TextField()
    listed = models.TextField(blank=True)

    class Meta:
        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["game", "number"], name="one_profile_per_number")]


class SourceState(models.TextChoices):
    READ = "read"
    PAUSED = "paused"
    REMOVED = "removed"


class Source(models.Model):
    """Where builds come from. What its last reading said is kept, so that its freshness can be shown.

    A removed one stays as a row: releases name it, and members fetch what they have from its address.
    """

    id = models.SlugField(primary_key=True, max_length=60)
    name = models.CharField(max_length=60)
    game = models.ForeignKey(Game, models.PROTECT, related_name="sources")
    address = models.URLField()
    pickup = models.CharField(max_length=10, choices=_choices(Pickup))
    crew = models.ForeignKey("people.Crew", models.CASCADE, null=True, related_name="sources")
    """Set where the builds are a crew's own: nobody else sees them."""
    is_own = models.BooleanField(default=False)
    """What a crew dropped in: kept here, and read from nowhere."""
    state = models.CharField(max_length=10, choices=SourceState.choices, default=SourceState.READ)
    key = models.CharField(max_length=64, blank=True)
    """The public key (hex) that was seen when it was added; empty for a catalogue that nobody signs."""
    serial = models.PositiveBigIntegerField(default=0)
    """The highest number of an index that this key signed: none below it is read."""
    added_by = models.ForeignKey("people.User", models.SET_NULL, null=True, related_name="+")
    added_at = models.DateTimeField(default=timezone.now)
    etag = models.CharField(max_length=200, blank=True)
    read_at = models.DateTimeField(null=True)
    trouble = models.TextField(blank=True)
    failures = models.PositiveSmallIntegerField(default=0)
    rest_until = models.DateTimeField(null=True)
    """Left alone until then, after failures or because it asked for it."""
    pages_done = models.PositiveIntegerField(default=0)
    pages_changed = models.PositiveIntegerField(default=0)
    """Of the reading under way, or of the last one."""
    bytes_read = models.PositiveBigIntegerField(default=0)
    """Of its catalogue, all readings together."""


class SourcePage(models.Model):
    """One page of a source's catalogue as it was last kept: a reading passes by those whose hash is the same."""

    source = models.ForeignKey(Source, models.CASCADE, related_name="pages")
    name = models.CharField(max_length=250, blank=True)
    sha256 = models.CharField(max_length=64)
    mods = ArrayField(models.CharField(max_length=80))
    troubles = ArrayField(models.TextField(), default=list)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["source", "name"], name="one_page_per_name")]


class Mod(models.Model):
    game = models.ForeignKey(Game, models.PROTECT, related_name="mods")
    slug = models.CharField(max_length=80)
    source = models.ForeignKey(Source, models.PROTECT, related_name="mods")
    crew = models.ForeignKey("people.Crew", models.CASCADE, null=True, related_name="mods")
    """Its source's: set where only that crew may see it."""
    name = models.CharField(max_length=120)
    summary = models.CharField(max_length=500, blank=True)
    author = models.CharField(max_length=120, blank=True)
    category = models.CharField(max_length=60, blank=True)
    kind = models.CharField(max_length=20, choices=_choices(Kind))
    licence = models.CharField(max_length=80, blank=True)
    page = models.CharField(max_length=500, blank=True)
    downloads = models.PositiveBigIntegerField(default=0)
    counterpart = models.CharField(max_length=80, blank=True)
    followers = models.PositiveBigIntegerField(default=0)
    rating = models.PositiveSmallIntegerField(default=0)
    """0 to 500; 0 where nobody has rated it."""
    updated = models.DateField(null=True)
    added = models.DateField(null=True)
    """Dates of the newest and of the oldest build."""
    needs = ArrayField(models.CharField(max_length=80), default=list)
    """Mods that some build of this one needs."""
    sides = ArrayField(models.CharField(max_length=10), default=list)
    reaches = ArrayField(models.CharField(max_length=10), default=list)
    channels = ArrayField(models.CharField(max_length=10), default=list)
    words = SearchVectorField(null=True)
    """Name, summary, author and category, for searching by whole words and their beginnings."""
    on_removal = models.CharField(max_length=1000, blank=True)
    """What removing it does to a saved world, and what to do before."""
    pictures = ArrayField(models.CharField(max_length=250), default=list)
    """Where its pictures lie, relative to its source's address."""
    provides = ArrayField(models.CharField(max_length=80), default=list)
    """Mods for which some build of this one stands in."""
    fits = ArrayField(models.CharField(max_length=60), default=list)
    """`VERSION` or `VERSION/LOADER` of every base that some build fits, whatever the loader's version."""

    class Meta:
        constraints = [
            # A crew may have a mod of the same name as one that everybody sees; for them theirs stands before it.
            models.UniqueConstraint(fields=["game", "slug", "crew"], nulls_distinct=False, name="one_mod_per_slug"),
        ]
        indexes = [
            # What was just read is entered at once: else each search would go through all of it until it is tidied up.
            GinIndex(fields=["fits"], name="mod_fits", fastupdate=False),
            GinIndex(fields=["provides"], name="mod_provides"),
            # Few mods stand in for any other: what does is found without looking at the rest.
            models.Index(fields=["game"], name="mod_stands_in", condition=~models.Q(provides=[])),
            GinIndex(fields=["needs"], name="mod_needs", fastupdate=False),
            GinIndex(fields=["words"], name="mod_words", fastupdate=False),
            GinIndex(fields=["name"], name="mod_name_trigram", opclasses=["gin_trgm_ops"], fastupdate=False),
            GinIndex(fields=["summary"], name="mod_summary_alike", opclasses=["gin_trgm_ops"], fastupdate=False),
            models.Index(fields=["game", "-downloads", "slug"], name="mod_by_downloads"),
            models.Index(fields=["game", "-followers", "slug"], name="mod_by_followers"),
            models.Index(fields=["game", "-rating", "-downloads", "slug"], name="mod_by_rating"),
            models.Index(fields=["game", "name", "slug"], name="mod_by_name"),
            models.Index("game", models.F("updated").desc(nulls_last=True), "slug", name="mod_by_updated"),
            models.Index("game", models.F("added").desc(nulls_last=True), "slug", name="mod_by_added"),
        ]


class Build(models.Model):
    """One build as its source lists it. Never changed once read, but for `gone`."""

    mod = models.ForeignKey(Mod, models.CASCADE, related_name="builds")
    version = models.CharField(max_length=128)
    channel = models.CharField(max_length=10, choices=_choices(Channel), default=Channel.STABLE)
    date = models.DateField(null=True)
    side = models.CharField(max_length=10, choices=_choices(Side))
    reach = models.CharField(max_length=10, choices=_choices(Reach))
    relations = models.JSONField()
    """games, loaders, needs, breaks, provides: texts as the source wrote them."""
    claims = models.JSONField(default=dict)
    """parts, touches, rebuilds, partners, settings_schema: what it says of itself (`outside.claims`)."""
    archive_name = models.CharField(max_length=250)
    archive_size = models.PositiveBigIntegerField()
    archive_sha256 = models.CharField(max_length=64)
    url = models.CharField(max_length=500, blank=True)
    """Where the archive lies, relative to the source's address."""
    mirrors = ArrayField(models.CharField(max_length=500), default=list)
    """Other places that hold the same file, tried when it cannot be had there."""
    files = models.JSONField()
    """Rows [path, size, sha256] of the archive's members."""
    unpacked = models.PositiveBigIntegerField(default=0)
    """Bytes that its files take."""
    memory = models.PositiveIntegerField(default=0)
    """MB that it wants, as its author says; 0 where nobody said."""
    short_hashes = ArrayField(models.BigIntegerField(), default=list)
    """Short hashes of its largest files (`outside.takeover`), by which a folder without a name is recognised."""
    root = models.CharField(max_length=300, null=True)
    """The folder of its archive that is laid down, where somebody chose it (empty: the top); null: by the rules."""
    refused = models.CharField(max_length=600, blank=True)
    change_log = models.TextField(blank=True)
    gone = models.BooleanField(default=False)
    seen = models.DateTimeField(default=timezone.now)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["mod", "version"], name="one_build_per_version")]
        indexes = [
            GinIndex(fields=["short_hashes"], name="build_short_hashes"),
            models.Index(fields=["archive_sha256"], name="build_by_archive"),
            # Few builds join others: which do is asked with every check of a draft.
            models.Index(fields=["mod"], name="build_joins", condition=models.Q(claims__has_key="partners")),
        ]


class BuildPlace(models.Model):
    """A further place of a build: another source lists the same mod with the very same file."""

    build = models.ForeignKey(Build, models.CASCADE, related_name="places")
    source = models.ForeignKey(Source, models.CASCADE, related_name="places")
    url = models.CharField(max_length=500)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["build", "source"], name="one_place_per_source")]


class NameWord(models.Model):
    """A word that some mod's name has, or had."""

    word = models.CharField(max_length=120, primary_key=True)

    class Meta:
        indexes = [GinIndex(fields=["word"], name="word_alike", opclasses=["gin_trgm_ops"])]


class CatalogueChange(models.Model):
    """One statement that changed mods, builds, how a source is fetched from, or what a crew says: written by the
    database itself (triggers of migrations 0017 and 0020), so that no door is left out. What is kept in memory asks it
    whether all is as it was.
    """

    id = models.UUIDField(primary_key=True, db_default=RandomUUID(), editable=False)
    at = models.DateTimeField(db_default=Now())


class Verdict(models.Model):
    """A crew's word that one build works, or does not, on a game version with a loader. It is about the very archive:
    a build whose archive changes has none.
    """

    crew = models.ForeignKey("people.Crew", models.CASCADE, related_name="verdicts")
    game = models.ForeignKey(Game, models.CASCADE, related_name="+")
    mod = models.CharField(max_length=80)
    version = models.CharField(max_length=128)
    archive_sha256 = models.CharField(max_length=64)
    game_version = models.CharField(max_length=40)
    loader = models.CharField(max_length=40, blank=True)
    works = models.BooleanField()
    note = models.CharField(max_length=200, blank=True)
    by = models.ForeignKey("people.User", models.PROTECT, related_name="+")
    on = models.DateField()

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["crew", "game", "mod", "version", "game_version", "loader"], name="one_verdict_per_base"
            )
        ]


class Addition(models.Model):
    """What a crew adds to what the builds of a mod say of themselves: touches, rebuilds, partners, parts; side,
    reach.
    """

    crew = models.ForeignKey("people.Crew", models.CASCADE, related_name="additions")
    game = models.ForeignKey(Game, models.CASCADE, related_name="+")
    mod = models.CharField(max_length=80)
    claims = models.JSONField(default=dict)
    side = models.CharField(max_length=10, blank=True)
    reach = models.CharField(max_length=10, blank=True)
    note = models.CharField(max_length=200, blank=True)
    by = models.ForeignKey("people.User", models.PROTECT, related_name="+")
    on = models.DateField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["crew", "game", "mod"], name="one_addition_per_mod")]


class Reading(models.Model):
    """What was found in one settings or data file: its keys and values, or why it cannot be read. Never the file.

    `crew`: whose reading it is, where the file came from what only they see or an agent of theirs reported it; null for
    what this site itself read at an open source.
    """

    sha256 = models.CharField(max_length=64)
    crew = models.ForeignKey("people.Crew", models.CASCADE, null=True, related_name="+")
    keys = models.TextField(default="[]")
    """As `convoy_core.settings.readings` writes them."""
    trouble = models.CharField(max_length=400, blank=True)
    by = models.ForeignKey("people.User", models.SET_NULL, null=True, related_name="+")
    """Whose agent reported it; null where the site read it."""
    at = models.DateTimeField(default=timezone.now)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["sha256", "crew"], nulls_distinct=False, name="one_reading_per_file")
        ]


class SettingsText(models.Model):
    """A settings file itself, kept beside its reading to be shown as text. `crew`: as of readings."""

    sha256 = models.CharField(max_length=64)
    crew = models.ForeignKey("people.Crew", models.CASCADE, null=True, related_name="+")
    data = models.BinaryField()
    at = models.DateTimeField(default=timezone.now)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["sha256", "crew"], nulls_distinct=False, name="one_text_per_file")
        ]


class OwnFile(models.Model):
    """An archive that somebody of a crew dropped in. Kept for the crew alone, and only what a build names stays; what
    is `lasting` stays always: a pack's own files, and the archives made of them.
    """

    crew = models.ForeignKey("people.Crew", models.CASCADE, related_name="files")
    sha256 = models.CharField(max_length=64)
    name = models.CharField(max_length=250)
    size = models.PositiveBigIntegerField()
    files = models.JSONField(default=list)
    """Rows [path, size, sha256] of its members, once they have been read."""
    unpacked = models.PositiveBigIntegerField(default=0)
    done = models.PositiveBigIntegerField(default=0)
    """Bytes of its members, and how many of them have been read so far."""
    read_at = models.DateTimeField(null=True)
    trouble = models.TextField(blank=True)
    """Why its members cannot be read."""
    lasting = models.BooleanField(default=False)
    marker = models.JSONField()
    """Fields of its marker file, if it has one."""
    by = models.ForeignKey("people.User", models.PROTECT, related_name="+")
    at = models.DateTimeField(default=timezone.now)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["crew", "sha256"], name="one_file_per_crew")]

    @property
    def place(self) -> str:
        """Where its bytes lie in Django's storage: per crew, so that what one removes another keeps."""
        return f"own/{self.crew_id}/{self.sha256}"


class OwnClaim(models.Model):
    """Who uploaded an own build, and the second curator who looked at what it claims: to which side and reach they
    agreed, or that they did not.
    """

    build = models.OneToOneField(Build, models.CASCADE, related_name="claim")
    by = models.ForeignKey("people.User", models.SET_NULL, null=True, related_name="+")
    side = models.CharField(max_length=10, blank=True)
    reach = models.CharField(max_length=10, blank=True)
    agreed_by = models.ForeignKey("people.User", models.SET_NULL, null=True, related_name="+")
    refused_by = models.ForeignKey("people.User", models.SET_NULL, null=True, related_name="+")
    note = models.CharField(max_length=400, blank=True)
    at = models.DateTimeField(default=timezone.now)
