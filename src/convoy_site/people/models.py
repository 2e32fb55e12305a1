"""Who there is: accounts, crews, and the role that somebody has in a crew."""

import uuid
from typing import Any

from django.contrib.auth.models import AbstractUser
from django.db import models
from django.utils import timezone

from convoy_core.words.names import look_of


class User(AbstractUser):
    """An account. Sign-up, sign-in and passwords are django-allauth's."""

    look = models.CharField(max_length=300, blank=True, db_index=True)
    """What a reader sees of the name: `names.look_of`. No two accounts that are made look alike."""

    def save(self, *given: Any, **named: Any) -> None:
        self.look = look_of(self.username)
        if (fields := named.get("update_fields")) and "username" in fields:
            named["update_fields"] = {*fields, "look"}
        super().save(*given, **named)

    @property
    def shown(self) -> str:
        return self.first_name or self.username

    @property
    def keeps_the_site(self) -> bool:
        """Django's own flag, so that its commands know it too. `manage.py keeper` gives and takes it."""
        return self.is_active and self.is_staff


class Registration(models.TextChoices):
    """Who may make an account."""

    OPEN = "open"
    INVITED = "invited"
    CLOSED = "closed"


class SiteRules(models.Model):
    """What the site's keepers settle; one row. Sizes in MB."""

    registration = models.CharField(max_length=10, choices=Registration.choices, default=Registration.OPEN)
    upload_mb = models.PositiveIntegerField(default=1024)
    """One file that is dropped in."""
    crew_mb = models.PositiveIntegerField(default=8192)
    """All files that a crew keeps."""
    account_mb = models.PositiveIntegerField(default=16384)
    """All files that one person dropped in, in all of their crews."""
    site_mb = models.PositiveIntegerField(default=262144)
    """All files that are kept here."""
    crews_per_person = models.PositiveIntegerField(default=20)
    """Crews that one person may own: more than any group of friends has; fewer than a script makes."""
    packs_per_crew = models.PositiveIntegerField(default=200)

    class Meta:
        constraints = [models.CheckConstraint(condition=models.Q(pk=1), name="one_row_of_rules")]

    @classmethod
    def now(cls) -> "SiteRules":
        """The rules as they are; those of a new site where nobody settled any."""
        return cls.objects.filter(pk=1).first() or cls(pk=1)


class Invitation(models.Model):
    """A code with which one person may make an account while registration is by invitation."""

    code = models.CharField(max_length=20, primary_key=True)
    made_by = models.ForeignKey(User, models.CASCADE, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    note = models.CharField(max_length=200, blank=True)
    used_by = models.ForeignKey(User, models.SET_NULL, null=True, related_name="+")
    used_at = models.DateTimeField(null=True)


class Role(models.TextChoices):
    OWNER = "owner"
    CURATOR = "curator"
    MEMBER = "member"


class Crew(models.Model):
    """A group that plays together."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    name = models.CharField(max_length=60)
    look = models.CharField(max_length=200, blank=True, db_index=True)
    people = models.ManyToManyField(User, through="Membership", related_name="crews")
    reviews = models.BooleanField(default=False)
    """A second curator looks at what own builds claim before they enter a release."""


class Membership(models.Model):
    crew = models.ForeignKey(Crew, models.CASCADE, related_name="memberships")
    user = models.ForeignKey(User, models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=10, choices=Role.choices, default=Role.MEMBER)
    since = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["crew", "user"], name="one_role_per_person"),
            models.UniqueConstraint(fields=["crew"], condition=models.Q(role="owner"), name="one_owner_per_crew"),
            models.CheckConstraint(condition=models.Q(role__in=Role.values), name="known_role"),
        ]


class CrewInvitation(models.Model):
    """A code with which somebody comes into a crew, with a role. `uses_left` of None: any number of times."""

    code = models.CharField(max_length=20, primary_key=True)
    crew = models.ForeignKey(Crew, models.CASCADE, related_name="invitations")
    role = models.CharField(max_length=10, choices=[(Role.CURATOR, Role.CURATOR), (Role.MEMBER, Role.MEMBER)])
    note = models.CharField(max_length=200, blank=True)
    made_by = models.ForeignKey(User, models.CASCADE, related_name="+")
    made_at = models.DateTimeField(default=timezone.now)
    until = models.DateTimeField()
    uses_left = models.PositiveIntegerField(null=True)

    class Meta:
        ordering = ["-made_at"]


class Removal(models.Model):
    """Somebody was taken out of a crew by its owner. Codes that were open then do not bring them back."""

    crew = models.ForeignKey(Crew, models.CASCADE, related_name="removals")
    user = models.ForeignKey(User, models.CASCADE, related_name="+")
    at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["crew", "user"], name="one_removal_per_person")]


class Tries(models.Model):
    """How often something was tried that may be guessed, until when that counts. See `tries`."""

    key = models.CharField(primary_key=True, max_length=200)
    count = models.PositiveIntegerField()
    until = models.DateTimeField(db_index=True)


class AuditEntry(models.Model):
    """One thing that an owner or a keeper did. `who`: their name then; it stays when the account goes."""

    at = models.DateTimeField(auto_now_add=True)
    by = models.ForeignKey(User, models.SET_NULL, null=True, related_name="+")
    who = models.CharField(max_length=150)
    did = models.CharField(max_length=400)
    crew = models.ForeignKey(Crew, models.CASCADE, null=True, related_name="+")

    class Meta:
        ordering = ["-pk"]


class Defaults(models.Model):
    """What a person, or a crew, wants for installations that say nothing themselves (`defaults`). Empty: not said."""

    user = models.OneToOneField(User, models.CASCADE, null=True, related_name="defaults")
    crew = models.OneToOneField(Crew, models.CASCADE, null=True, related_name="defaults")
    memory_share = models.PositiveIntegerField(null=True)
    """Percent of a machine's memory that a game is safely given."""
    line_kb = models.PositiveIntegerField(null=True)
    most_mb = models.PositiveIntegerField(null=True)
    kept_backups = models.PositiveIntegerField(null=True)
    mail = models.CharField(max_length=10, blank=True)
    """A crew's: how its news comes by mail to those who said nothing."""

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=models.Q(user=None, crew__isnull=False) | models.Q(user__isnull=False, crew=None),
                name="defaults_of_a_person_or_a_crew",
            )
        ]


class Event(models.Model):
    """Something that happened to a crew or one of its packs, of which others may want to learn. Written in the
    transaction of what happened (`events`); whoever spreads news reads it.
    """

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    at = models.DateTimeField(default=timezone.now, db_index=True)
    what = models.CharField(max_length=30)
    crew = models.ForeignKey(Crew, models.CASCADE, related_name="events")
    pack = models.UUIDField(null=True, db_index=True)
    by = models.ForeignKey(User, models.SET_NULL, null=True, related_name="+")
    about = models.JSONField(default=dict)
    """What is needed to tell it, as plain data: names and numbers as they were then."""
    spread_at = models.DateTimeField(null=True)
    """When it was told to whom it concerns."""

    class Meta:
        ordering = ["at", "pk"]
