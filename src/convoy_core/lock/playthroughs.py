"""What a playthrough forbids of a change from one lock to another. Source: docs/rules.md, "Playthroughs"."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from enum import StrEnum

from ..settings.formats import Key, Value
from ..words.model import Reach
from .change_log import What, change_log, changes
from .lock import Lock
from .terms import How
from .worlds import world_changes


class Rule(StrEnum):
    """What may change under a playthrough."""

    NOTHING = "nothing changes"
    NOT_THE_WORLD = "only what touches nobody's world"
    ANYTHING = "anything"


@dataclass(frozen=True, slots=True)
class Breach:
    """One thing that a rule forbids. `about`: the mod, or `base`, or the name of what is set; `why`: what it does to
    worlds. `before`: the version that the mod would have to stay at; empty where that is not what mends it.
    """

    about: str
    what: str
    why: str
    before: str = ""


def breaches(rule: Rule, before: Lock, after: Lock) -> tuple[Breach, ...]:
    """What of a change is forbidden, each once. `before`: what the world is played with now."""
    if rule is Rule.ANYTHING:
        return ()
    found = {one.about: one for one in _of_the_world(before, after)}
    if rule is Rule.NOTHING:
        for one in _of_anything(before, after):
            found.setdefault(one.about, one)
    return tuple(found.values())


def _of_the_world(before: Lock, after: Lock) -> Iterator[Breach]:
    if before.base != after.base:
        what = f"The base is changed from {before.base.as_text()} to {after.base.as_text()}"
        yield Breach("base", what, "A world may not open on another base, or not on the old one again.")
    for one in world_changes(before, after):
        if one.mod:
            yield Breach(one.mod, one.sentence, one.note, one.before)
    bound = {build.mod for build in (*before.builds, *after.builds) if build.reach is Reach.SAVE}
    moved = {one.mod for one in changes(before, after).mods}
    old, new = _lying(before, bound), _lying(after, bound)
    for mod in sorted(bound - moved):
        if differing := sorted(path for path in old[mod] | new[mod] if (path in old[mod]) != (path in new[mod])):
            name = (after.by_mod.get(mod) or before.by_mod[mod]).name
            paths = sorted({path for path, _ in differing})
            more = f" and {len(paths) - 1} more" if len(paths) > 1 else ""
            yield Breach(mod, f"{name} lays other files down: {paths[0]}{more}", "Worlds depend on what it lays down.")
    was, now = _set(before, bound), _set(after, bound)
    for (path, key), mod in sorted({**_keys(was), **_keys(now)}.items()):
        if was.get((path, key, mod)) != now.get((path, key, mod)):
            name = (after.by_mod.get(mod) or before.by_mod[mod]).name
            what = f"{name}: {'.'.join(key)} is set otherwise"
            yield Breach(f"{path}: {'.'.join(key)}", what, "Worlds depend on this mod, and on how it is set.")


def _lying(lock: Lock, mods: set[str]) -> Mapping[str, set[tuple[str, str]]]:
    """By mod, path and content of each of its files that lies there; settings apart, of which members own the rest."""
    found: dict[str, set[tuple[str, str]]] = {mod: set() for mod in mods}
    for file in lock.files:
        if file.mod in mods and not lock.terms.is_settings(file.path):
            found[file.mod].add((file.path, file.sha256))
    return found


_Set = Mapping[tuple[str, Key, str], Value]


def _set(lock: Lock, mods: set[str]) -> _Set:
    """What is set for all in settings files of these mods."""
    return {
        (tweak.path, tweak.key, file.mod): tweak.value
        for tweak in lock.terms.tweaks
        if tweak.how is not How.ADVICE and (file := lock.by_path.get(tweak.path)) is not None and file.mod in mods
    }


def _keys(found: _Set) -> dict[tuple[str, Key], str]:
    return {(path, key): mod for path, key, mod in found}


def _of_anything(before: Lock, after: Lock) -> Iterator[Breach]:
    for change in changes(before, after).mods:
        yield Breach(change.mod, change.sentence(), "Nothing is to change.", change.before)
    for row in change_log(before, after):
        if row["what"] == What.SET:
            told = " to ".join(filter(None, (row["before"] and f"from {row['before']}", row["after"])))
            yield Breach(row["name"], f"{row['name']}: {told or 'no more'}", "Nothing is to change.")
