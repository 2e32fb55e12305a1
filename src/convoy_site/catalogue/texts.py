"""Settings files as text, beside their readings: what a curator sees of one file, and no more.

Kept under the same rule as readings: what came from an open source is everybody's, what came from a crew's own files
that crew's alone.
"""

import hashlib
from collections.abc import Iterable
from uuid import UUID

from django.db.models import Q

from .drawing import Drawing
from .models import SettingsText

MOST_BYTES = 1024 * 1024
"""Of one file: no format is changed above it (`convoy_core.settings.formats`)."""


def kept(pack: Drawing, sha256: str) -> bytes | None:
    rows = SettingsText.objects.filter(Q(crew=None) | Q(crew=pack.crew_id), sha256=sha256)
    data = rows.values_list("data", flat=True).first()
    return None if data is None else bytes(data)


def keep(crew_id: UUID | None, files: Iterable[bytes]) -> None:
    rows = [
        SettingsText(sha256=hashlib.sha256(data).hexdigest(), crew_id=crew_id, data=data)
        for data in files
        if len(data) <= MOST_BYTES
    ]
    SettingsText.objects.bulk_create(rows, ignore_conflicts=True)
