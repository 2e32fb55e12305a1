"""Tweaks as people write them: a mod in the place of its settings file, and a value as it is typed."""

from typing import Any

from convoy_core.settings.formats import format_of, typed
from convoy_core.words.errors import ConvoyError
from convoy_core.words.wording import listed

from . import drafts
from .models import Draft


class NoSettings(ConvoyError):
    """A mod of which no one settings file can be meant."""

    code = "no-settings"


def as_meant(draft: Draft, told: dict[str, Any]) -> dict[str, Any]:
    """A tweak with its path, and with its value as the file's format can hold it. Raises NoSettings."""
    path, text = told.get("path"), told.get("text")
    if isinstance(path, str) and "/" not in path and not format_of(path):
        path = _settings_file(draft, path)
    if isinstance(path, str) and isinstance(text, str):
        told = {**told, "value": typed(path, text)}
    return {**{name: value for name, value in told.items() if name != "text"}, "path": path}


def _settings_file(draft: Draft, mod: str) -> str:
    """The one settings file of a mod of the draft."""
    terms = drafts.terms_of(draft)
    placed = next(((build.name, files) for build, files in drafts.layers(draft) if build.mod == mod), None)
    if placed is None:
        raise NoSettings(f"“{mod}” is no mod of the draft with a build.", now="Add it first.", field="path")
    name, files = placed
    found = [file.path for file in files if terms.is_settings(file.path)]
    if len(found) != 1:
        few = "Its build carries no settings file." if not found else f"It has {listed(found[:6])}."
        raise NoSettings(f"Which settings file of {name} is meant?", few, "Name its path.", field="path")
    return found[0]
