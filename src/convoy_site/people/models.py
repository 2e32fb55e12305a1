"""Who there is: accounts, crews, and the role that somebody has in a crew."""

import uuid

from django.contrib.auth.models import AbstractUser
from django.db import models


class User(AbstractUser):
    """An account. Sign-up, sign-in and passwords are django-allauth's."""

    @property
    def shown(self) -> str:
        return self.first_name or self.username

    @property
    def keeps_the_site(self) -> bool:
        """Django's own flag, so that its commands know it too. `manage.py keeper` gives and takes it."""
        return self.is_active and self.is_staff


class Role(models.TextChoices):
    OWNER = "owner"
    CURATOR = "curator"
    MEMBER = "member"


class Crew(models.Model):
    """A group that plays together."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    name = models.CharField(max_length=60)
    people = models.ManyToManyField(User, through="Membership", related_name="crews")


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
