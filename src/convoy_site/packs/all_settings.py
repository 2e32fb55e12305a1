"""The settings of a draft as one table, and one file of them as text.

What is known comes from readings, which hold no file; text is kept beside them (`catalogue.texts`).
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from functools import lru_cache

from convoy_core.checks import Subject
from convoy_core.draft.all_settings import Place, SettingsFile, Table, table_of
from convoy_core.lock.lock import Lock
from convoy_core.lock.recipe import read_recipe
from convoy_core.lock.rendering import render_into
from convoy_core.lock.terms import Tweak
from convoy_core.settings.changes import SettingsChange, settings_changes
from convoy_core.settings.formats import Document, Key, UnreadableSettings, Value, open_settings
from convoy_core.settings.formats.base import same
from convoy_core.settings.readings import Reading
from convoy_core.words.errors import ConvoyError

from ..catalogue import readings, texts
from ..catalogue.models import Build
from ..catalogue.services import shelf
from ..people.rights import NotFound
from . import checking, draft_terms
from .models import Draft

WRITTEN = "Written by the game itself"
"""In the place of a mod's name, for settings files that no build carries."""

MOST_TABLES = 12
"""Tables that are kept in memory: one of 30,000 keys takes some 40 MB."""

MOST_OPENED = 8
"""Settings files that are kept in memory as they were opened: one of 5,000 keys takes some 4 MB."""

_tables: dict[tuple[object, ...], Table] = {}


@dataclass(frozen=True)
class Shown:
    """What the place of settings shows of a draft."""

    table: Table
    names: Mapping[str, str]
    """Mod to what it is called, in order."""
    files: Mapping[str, str]
    """Path to mod, of every settings file that is laid down, or that the game wrote: then the mod is empty."""
    unread: Mapping[str, str]
    """Paths of which nothing is known, with why; an empty reason where nobody has read them yet."""
    tweaks: Mapping[Place, Tweak]
    """All that the pack sets, those of sets that are off among them."""
    released: Mapping[Place, Tweak]
    """What the last release sets."""
    before: Mapping[Place, Value] | None
    """The settings of the last release as they came; None where there is none."""


def shown(draft: Draft) -> Shown:
    seen = checking.checked(draft)
    return seen.once("settings", lambda: _shown(draft, seen.subject))


def _shown(draft: Draft, subject: Subject) -> Shown:
    files = _files(subject)
    hashes = {path: subject.hashes[mod][path] if mod else subject.written[path] for path, mod in files.items()}
    schemas = {mod: schema.sha256 for mod in {*files.values()} - {""} if (schema := subject.schema_of(mod))}
    known = readings.known(draft.pack, {*hashes.values(), *schemas.values()})
    read = {path: known.get(sha256) for path, sha256 in hashes.items()}
    # A crew's own: what its agents told of a file is nobody else's, though the file is.
    about = (draft.pack.crew_id, subject.profile.comments)
    mark = (*about, tuple(sorted(hashes.items())), tuple(sorted(schemas.items())), frozenset(known))
    table = _tables.get(mark)
    if table is None:
        if len(_tables) >= MOST_TABLES:
            _tables.clear()
        table = _tables[mark] = table_of(_described(subject, files, read, known), subject.profile.comments)
    last = draft.pack.releases.filter(withdrawal=None).order_by("-pk").first()
    lock = read_recipe(bytes(last.document)).lock if last else None
    return Shown(
        table,
        {mod: subject.name(mod) if mod else WRITTEN for mod in dict.fromkeys(files.values())},
        files,
        {path: one.trouble if one else "" for path, one in read.items() if one is None or one.trouble},
        draft_terms.tweaks_of(draft),
        {(one.path, one.key): one for one in lock.terms.tweaks} if lock else {},
        _before(draft, lock) if lock else None,
    )


def _files(subject: Subject) -> dict[str, str]:
    """Every settings file that is laid down, by its path, with the mod whose file lies there, by the mods' names; and
    of no mod, last, those that no build carries and that the game wrote on somebody's machine.
    """
    holder = subject.laid.holder
    laid = {
        path: mod
        for mod in sorted(subject.hashes, key=lambda mod: (subject.name(mod).casefold(), mod))
        for path in sorted(subject.hashes[mod])
        if holder.get(path) == mod and subject.terms.is_settings(path)
    }
    written = (path for path in sorted(subject.written) if path not in holder and subject.terms.is_own_settings(path))
    return {**laid, **dict.fromkeys(written, "")}


def _described(
    subject: Subject, files: Mapping[str, str], read: Mapping[str, Reading | None], known: Mapping[str, Reading]
) -> list[SettingsFile]:
    told = replace(subject, readings={**subject.readings, **known})
    mods = dict.fromkeys(mod for mod in files.values() if mod)
    names = {mod: told.name(mod) for mod in mods} | {"": WRITTEN}
    notes = {mod: told.notes(mod) for mod in mods}
    limits = {mod: told.limits(mod) for mod in mods}
    return [
        SettingsFile(mod, names[mod], path, reading, limits.get(mod, {}), notes.get(mod, {}))
        for path, mod in files.items()
        if (reading := read[path]) is not None
    ]


def _before(draft: Draft, lock: Lock) -> dict[Place, Value]:
    hashes = {one.path: one.sha256 for one in lock.files if lock.terms.is_settings(one.path)}
    known = readings.known(draft.pack, set(hashes.values()))
    read = {path: known[sha256] for path, sha256 in hashes.items() if sha256 in known}
    return {(path, key): value for path, one in read.items() for key, value in one.keys.items()}


@dataclass(frozen=True)
class FileChange:
    """One change of a settings file between two builds of a mod. `is_set`: the pack sets the older key."""

    path: str
    change: SettingsChange
    is_set: bool


def between(draft: Draft, moves: Iterable[tuple[str, str, str]]) -> dict[str, list[FileChange]]:
    """By mod what its settings have otherwise after a move; `moves`: mods with the versions before and after. Files
    that were not read say nothing.
    """
    pack = draft.pack
    wanted = {(mod, version) for mod, *both in moves for version in both if version}
    rows = Build.objects.filter(mod__in=shelf(pack), mod__slug__in={mod for mod, _ in wanted})
    files = {
        (row.mod.slug, row.version): readings.settings_of(row, pack.game.profile)
        for row in rows.select_related("mod__source")
        if (row.mod.slug, row.version) in wanted
    }
    known = readings.known(pack, {sha256 for paths in files.values() for sha256 in paths.values()})
    tweaks = draft_terms.tweaks_of(draft)
    found: dict[str, list[FileChange]] = {}
    for mod, before, after in moves:
        old, new = files.get((mod, before), {}), files.get((mod, after), {})
        for path in sorted(old.keys() & new.keys()):
            if old[path] != new[path] and {old[path], new[path]} <= known.keys():
                found.setdefault(mod, []).extend(
                    FileChange(path, one, (path, one.key) in tweaks)
                    for one in settings_changes(known[old[path]], known[new[path]])
                )
    return found


class NoText(ConvoyError):
    """A settings file whose text this site does not have."""

    code = "no-such-text"


def text_of(draft: Draft, path: str) -> bytes:
    """A settings file as its build carries it. Raises NotFound and NoText."""
    subject = checking.checked(draft).subject
    mod = subject.laid.holder.get(path)
    if mod is None and path in subject.written:
        raise NoText(
            f"The text of {path} is not here.", "The game writes it on each machine.", "Set single keys of it."
        )
    if mod is None or not subject.terms.is_settings(path):
        raise NotFound("The pack lays no such settings file down.", now="Choose one of those listed.")
    data = texts.kept(draft.pack, subject.hashes[mod][path])
    if data is None:
        why = "Only a person may fetch its archive." if not subject.builds[mod].pickup.is_automatic else ""
        raise NoText(
            f"The text of {path} is not here.",
            why or "Its archive has not been read since this site keeps texts.",
            "Its settings are in the table all the same.",
        )
    return data


_opened = lru_cache(maxsize=MOST_OPENED)(open_settings)
"""Files as builds carry them, which never change."""


def rendered(draft: Draft, path: str) -> Document:
    """A settings file as the next release would render it. Raises as `text_of`, and UnreadableSettings."""
    document = _opened(path, text_of(draft, path))
    data = render_into(document, draft_terms.terms_of(draft).by_path.get(path, ()))
    return document if data == document.data else open_settings(path, data)


@dataclass(frozen=True)
class Retyped:
    """What somebody's text says otherwise: keys that are to be set, and those that are as the build has them again.
    `dropped`: keys that it lost, which stay; `is_more`: whether it differs in anything that does not travel.
    """

    sets: Mapping[Key, Value]
    resets: tuple[Key, ...]
    dropped: tuple[Key, ...]
    is_more: bool


def retyped(draft: Draft, path: str, text: str, before: str | None = None) -> Retyped:
    """What was typed into `before`; by itself the file as it would be rendered now. What somebody else set meanwhile is
    not in it, and is no change. Raises UnreadableSettings, NotFound and NoText.
    """
    now = rendered(draft, path) if before is None else open_settings(path, before.encode())
    own = _opened(path, text_of(draft, path)).values
    wanted = open_settings(path, text.encode()).values
    changed = {key: value for key, value in wanted.items() if key not in now.values or not same(now.values[key], value)}
    again = tuple(key for key, value in changed.items() if key in own and same(own[key], value))
    sets = {key: value for key, value in changed.items() if key not in again}
    dropped = tuple(key for key in now.values if key not in wanted)
    try:
        is_more = now.changed(changed).decode(errors="replace").lstrip("\ufeff") != text.lstrip("\ufeff")
    except UnreadableSettings:
        is_more = True
    return Retyped(sets, again, dropped, is_more)
