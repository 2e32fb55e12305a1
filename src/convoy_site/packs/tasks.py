"""What runs in the background for packs: reading the settings and data files of the builds that a draft has."""

from procrastinate.contrib.django import app

from ..catalogue import readings
from . import draft_layers, outlook
from .models import Pack


@app.task
def read_files_of(pack_id: str) -> None:
    """Reads what is readable in a draft's builds and not read yet. What cannot be had stays unread, and is named so."""
    pack = Pack.objects.select_related("crew", "game", "draft").filter(pk=pack_id).first()
    if pack is not None:
        pack.draft.pack = pack
        readings.read_all(readings.wanted_of(pack, draft_layers.picked(pack.draft).rows))
        # What a newer build would do to settings is told before it is taken.
        readings.read_all(readings.wanted_of(pack, outlook.newer_builds(pack)))
