"""What changed between two locks: the change log of a release, and what an edit did to a draft."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from ..conflicts.laying import EVERYTHING, Parts
from ..words.versions import parse_version
from ..words.wording import counted, listed
from .canonical import canonical_json, sha256_hex
from .lock import OVERLAY, Lock
from .terms import Terms, Tweak


class What(StrEnum):
    """What happens to a mod, in the order in which change logs tell it; SET is of a setting or step."""

    ADDED = "added"
    UPDATED = "updated"
    TAKEN_BACK = "taken back"
    REMOVED = "removed"
    SET = "set"


@dataclass(frozen=True, slots=True)
class Change:
    """One mod's change. `before` is empty for an addition, `after` for a removal."""

    mod: str
    name: str
    before: str
    after: str
    chosen: bool

    @property
    def what(self) -> What:
        if not self.before:
            return What.ADDED
        if not self.after:
            return What.REMOVED
        return What.UPDATED if parse_version(self.after) > parse_version(self.before) else What.TAKEN_BACK

    def sentence(self) -> str:
        return {
            What.ADDED: f"{self.name} {self.after} added",
            What.REMOVED: f"{self.name} {self.before} removed",
            What.UPDATED: f"{self.name} updated from {self.before} to {self.after}",
            What.TAKEN_BACK: f"{self.name} taken back from {self.before} to {self.after}",
        }[self.what]

    def as_data(self) -> dict[str, Any]:
        return {
            "what": self.what,
            "mod": self.mod,
            "name": self.name,
            "before": self.before,
            "after": self.after,
            "chosen": self.chosen,
        }


@dataclass(frozen=True, slots=True)
class Changes:
    """Changes between two locks, sorted by what happened and name; `base` is the new base's text when it moved."""

    mods: tuple[Change, ...]
    base_before: str
    base_after: str

    @property
    def base_moved(self) -> bool:
        return bool(self.base_before) and self.base_before != self.base_after

    def __len__(self) -> int:
        return len(self.mods) + self.base_moved


def change_log(before: Lock | None, after: Lock) -> tuple[dict[str, Any], ...]:
    """Rows of a change log: what happens to mods, then to settings and steps. `before` of None: nothing was there."""
    mods = tuple(change.as_data() for change in changes(before, after).mods)
    return (*mods, *terms_changes(before.terms if before else Terms(), after.terms), *laying_changes(before, after))


def laying_changes(before: Lock | None, after: Lock) -> tuple[dict[str, Any], ...]:
    """Change log rows for how builds are laid down: parts, winners, what is set aside, the pack's own files."""
    old, new = _laying(before) if before else {}, _laying(after)
    if before is not None:
        # A build that comes or goes takes its parts along: its own row tells enough.
        for one, other in ((old, before), (new, after)):
            for build in other.builds:
                if build.mod not in before.by_mod or build.mod not in after.by_mod:
                    one.pop(f"{build.name}: files", None)
    return set_rows(old, new)


def _laying(lock: Lock) -> dict[str, str]:
    """What a lock says about laying down, each thing by its name."""
    told = {f"{build.name}: files": _parts(build.laid) for build in lock.builds if build.laid != EVERYTHING}
    names = {build.mod: build.name for build in lock.builds}
    told |= {f"winner for {place}": names.get(mod, mod) for place, mod in lock.winners.items()}
    if lock.set_aside:
        mark = sha256_hex(canonical_json(lock.set_aside))[:8]
        told["set aside"] = f"{counted(len(lock.set_aside), 'pattern')} ({mark})"
    told |= {f"collection: {one.name}": one.number for one in lock.collections}
    own = (file for file in (*lock.files, *lock.covered) if file.mod == OVERLAY)
    told |= {f"own file {file.path}": f"{file.size:,} bytes, {file.sha256[:8]}" for file in own}
    return told


def _parts(laid: Parts) -> str:
    only = f"only {listed(laid.only[:4])}" if laid.only else ""
    out = f"without {listed(laid.leave_out[:4])}" if laid.leave_out else ""
    more = max(len(laid.only) - 4, 0) + max(len(laid.leave_out) - 4, 0)
    return ", ".join(filter(None, (only, out, f"and {more} more" if more else "")))


def set_rows(old: Mapping[str, str], new: Mapping[str, str]) -> tuple[dict[str, Any], ...]:
    """Change log rows for things by name that say something else, or are new or gone."""
    return tuple(
        {
            "what": What.SET,
            "mod": "",
            "name": name,
            "before": old.get(name, ""),
            "after": new.get(name, ""),
            "chosen": True,
        }
        for name in sorted(old.keys() | new.keys())
        if old.get(name) != new.get(name)
    )


def terms_changes(before: Terms, after: Terms) -> tuple[dict[str, Any], ...]:
    """Change log rows for what the pack sets, and for steps by hand; told as `Change.as_data` tells mods."""
    old = {f"{one.path}: {'.'.join(one.key)}": _how(one) for one in before.tweaks}
    new = {f"{one.path}: {'.'.join(one.key)}": _how(one) for one in after.tweaks}
    old |= {f"set to choose: {one.name}": counted(len(one.tweaks), "setting") for one in before.offers}
    new |= {f"set to choose: {one.name}": counted(len(one.tweaks), "setting") for one in after.offers}
    old |= {f"step: {one.text}": "to do" for one in before.steps}
    new |= {f"step: {one.text}": "to do" for one in after.steps}
    return set_rows(old, new)


def _how(tweak: Tweak) -> str:
    return f"{tweak.value} ({tweak.how})"


def changes(before: Lock | None, after: Lock) -> Changes:
    """The change log of `after` against `before` (none: everything is added)."""
    old = before.by_mod if before else {}
    found = []
    for mod in old.keys() | after.by_mod.keys():
        if mod == OVERLAY:
            continue
        was, now = old.get(mod), after.by_mod.get(mod)
        if was and now and was.version == now.version and was.archive.sha256 == now.archive.sha256:
            continue
        named = now or was
        assert named is not None
        found.append(
            Change(mod, named.name, was.version if was else "", now.version if now else "", named.chosen),
        )
    return Changes(_in_order(found), before.base.as_text() if before else "", after.base.as_text())


def picks_changes(
    before: Mapping[str, str], after: Mapping[str, str], names: Mapping[str, str], chosen: Collection[str]
) -> tuple[Change, ...]:
    """The same of two drafts' picks, mod to version, without putting a lock together."""
    moved = (mod for mod in before.keys() | after.keys() if before.get(mod) != after.get(mod))
    return _in_order(
        Change(mod, names.get(mod, mod), before.get(mod, ""), after.get(mod, ""), mod in chosen) for mod in moved
    )


def _in_order(found: Iterable[Change]) -> tuple[Change, ...]:
    def place(change: Change) -> tuple[object, ...]:
        return (list(What).index(change.what), not change.chosen, change.name.casefold(), change.mod)

    return tuple(sorted(found, key=place))
