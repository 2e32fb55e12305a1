"""A settings file as a release renders it: the build's own file with the curator's tweaks set in it.

Source: docs/rules.md, "Sync".
"""

from __future__ import annotations

from collections.abc import Iterable

from ..settings.formats import Key, UnreadableSettings, Value, open_settings, spelled
from ..settings.formats.base import same
from ..words.errors import ConvoyError
from .canonical import canonical_json, sha256_hex
from .terms import How, Terms, Tweak


def render(path: str, data: bytes, tweaks: Iterable[Tweak]) -> bytes:
    """The file with enforced and starting values set; advice is for reading. Raises UnreadableSettings."""
    setting = [tweak for tweak in tweaks if tweak.how is not How.ADVICE]
    if not setting:
        return data
    document = open_settings(path, data)
    try:
        for tweak in setting:
            document.set(tweak.key, spelled(path, tweak.value))
        return document.text().encode()
    except ConvoyError:
        raise
    # As in merging: the writers are other people's, and their trees can be bent in ways that they do not expect.
    except Exception as error:
        raise UnreadableSettings(f"{path} cannot be tweaked.", str(error)[:300], path=path) from error


def rendering(path: str, sha256: str, terms: Terms) -> str:
    """Names what a release renders at a path: equal exactly when the build's file and the tweaks that set are equal."""
    setting = [tweak.as_data() for tweak in terms.by_path.get(path, ()) if tweak.how is not How.ADVICE]
    return sha256_hex(canonical_json([sha256, setting])) if setting else sha256


def broken(path: str, data: bytes, enforced: Iterable[Tweak]) -> tuple[tuple[Key, Value], ...]:
    """Enforced keys that do not say what they must, with what they say (None: not there). Raises UnreadableSettings."""
    wanted = list(enforced)
    values = open_settings(path, data).values() if wanted else {}
    found = [(tweak.key, values.get(tweak.key)) for tweak in wanted]
    return tuple(
        (key, value)
        for (key, value), tweak in zip(found, wanted, strict=True)
        if not same(value, spelled(path, tweak.value))
    )
