"""What a site's machines have to have in common."""

import uuid

from django.db import models


class SiteIdentity(models.Model):
    """One row. `signing`, `statement`: fingerprints of the site's keys, empty where one was taken off it; `mark`: the
    name of a file that lies where the site keeps its files.
    """

    signing = models.CharField(max_length=20, blank=True)
    statement = models.CharField(max_length=20)
    mark = models.UUIDField(default=uuid.uuid4)

    class Meta:
        constraints = [models.CheckConstraint(condition=models.Q(pk=1), name="one_identity")]
