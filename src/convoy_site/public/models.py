"""The page of a pack for people without an account."""

from django.db import models
from django.utils import timezone

from ..packs.models import Pack
from ..people.models import User
from ..releases.models import JoinCode


class PublicPage(models.Model):
    """Whether a pack has one, where, and what its curator says there beside what the releases say."""

    pack = models.OneToOneField(Pack, models.CASCADE, related_name="public_page")
    address = models.SlugField(max_length=60, unique=True)
    """The last part of its address; whoever does not know it does not find it."""
    on = models.BooleanField(default=True)
    words = models.TextField(blank=True)
    code = models.ForeignKey(JoinCode, models.SET_NULL, null=True, related_name="+")
    """The join code that it shows; none: it says whom to ask."""
    made_by = models.ForeignKey(User, models.SET_NULL, null=True, related_name="+")
    changed_at = models.DateTimeField(default=timezone.now)
