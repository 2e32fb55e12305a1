"""A settings file as a release renders it: the build's own file with the curator's tweaks set in it.

Source: docs/rules.md, "Sync".
"""

from __future__ import annotations

from collections.abc import Iterable

from ..settings.formats import Document, Key, Value, open_settings, spelled
from ..settings.formats.base import same
from .canonical import canonical_json, sha256_hex
from .terms import Terms, Tweak


def render(path: str, data: bytes, tweaks: Iterable[Tweak]) -> bytes:
    """The file with enforced and starting values set; advice is for reading. Raises UnreadableSettings."""
    setting = [tweak for tweak in tweaks if tweak.sets]
    return render_into(open_settings(path, data), setting) if setting else data


def render_into(document: Document, tweaks: Iterable[Tweak]) -> bytes:
    """The same for a file that was opened already."""
    sets = keys_set(document.path, tweaks)
    changes = {
        key: value for key, value in sets.items() if key not in document.values or not same(document.values[key], value)
    }
    return document.changed(changes)


def keys_set(path: str, tweaks: Iterable[Tweak]) -> dict[Key, Value]:
    """What enforced and starting values say, as the file at `path` spells them."""
    return {tweak.key: spelled(path, tweak.value) for tweak in tweaks if tweak.sets}


def rendering(path: str, sha256: str, terms: Terms) -> str:
    """Names what a release renders at a path: equal exactly when the build's file and the tweaks that set are equal.

    `sha256` of a file that no build carries: empty.
    """
    setting = [tweak.as_data() for tweak in terms.by_path.get(path, ()) if tweak.sets]
    return sha256_hex(canonical_json([sha256, setting])) if setting else sha256


def broken(path: str, data: bytes, enforced: Iterable[Tweak]) -> tuple[tuple[Key, Value], ...]:
    """Enforced keys that do not say what they must, with what they say (None: not there). Raises UnreadableSettings."""
    wanted = list(enforced)
    values = open_settings(path, data).values if wanted else {}
    found = [(tweak.key, values.get(tweak.key)) for tweak in wanted]
    return tuple(
        (key, value)
        for (key, value), tweak in zip(found, wanted, strict=True)
        if not same(value, spelled(path, tweak.value))
    )
