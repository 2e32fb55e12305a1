"""Edits of the settings that a pack sets, one by one or many at once, and of the sets that they are grouped in."""

from collections.abc import Callable
from typing import Any

from django.utils import timezone

from convoy_core.lock.terms import MAX_TWEAKS, How, read_tweak
from convoy_core.outside.fields import Fields
from convoy_core.settings.formats import format_of, typed
from convoy_core.words.errors import ConvoyError
from convoy_core.words.model import Side
from convoy_core.words.wording import counted, listed

from ..people.models import User
from . import draft_layers, draft_terms
from .applied import AlreadyThere, Applied, NoSuchLine
from .history import tweak_key
from .models import Draft, Pack
from .shapes.edits import CopySet, DropSet, KeepSet, KeyIn, ResetSettings, SetSettings, subjects_of

MOST_SETS = 60


class NoSettings(ConvoyError):
    """A mod of which no one settings file can be meant."""

    code = "no-settings"


class NotOffered(ConvoyError):
    """A set that is to be each member's choice, and enforces something."""

    code = "not-offered"


class TooMuchSet(ConvoyError):
    """More settings or sets than one pack keeps."""

    code = "too-much-set"


def _set(draft: Draft, edit: SetSettings, user: User) -> Applied:
    if edit.set and edit.set not in draft.tweak_sets:
        raise _no_set(edit.set)
    kept = {tweak_key(one): one for one in draft.tweaks}
    shown = draft_terms.shown_tweaks(draft)
    said = {"by": user.shown, "at": timezone.now().isoformat(timespec="seconds")}
    for at, one in enumerate(edit.settings):
        path = _path(draft, one.path)
        there = shown.get((path, tuple(one.key)), {})
        told = {"path": path, "key": one.key, "set": there.get("set", "") if edit.set is None else edit.set}
        before = kept.get(tweak_key(told), there)
        if edit.out_of is not None:
            kept.pop(tweak_key({**told, "set": edit.out_of}), None)
        value = typed(path, one.text) if one.text is not None else one.value
        how = edit.how or before.get("how", How.START)
        side = edit.side or before.get("side", Side.BOTH)
        tweak = read_tweak(Fields({**told, "value": value, "how": how, "side": side}, f"settings[{at}]"))
        because = before.get("because", "") if edit.because is None else edit.because.strip()
        words = {"because": because, "set": told["set"]}
        kept[tweak_key(told)] = {**tweak.as_data(), **said, **{name: word for name, word in words.items() if word}}
    draft.tweaks = _few(list(kept.values()))
    for name, told_set in draft.tweak_sets.items():
        _refuse_enforced(told_set, name, draft.tweaks)
    return Applied(tuple(sorted(subjects_of(edit))), _told("the pack sets", edit.settings))


def _reset(draft: Draft, edit: ResetSettings, user: User) -> Applied:
    gone = {(one.path, tuple(one.key)) for one in edit.settings}
    paths = set(edit.paths)

    def goes(one: dict[str, Any]) -> bool:
        is_meant = (one["path"], tuple(one["key"])) in gone or one["path"] in paths
        of_set = one.get("set", "")
        # Without a set named, what members choose themselves is not what the pack sets.
        is_offered = draft.tweak_sets.get(of_set, {}).get("offered", False)
        return is_meant and (not is_offered if edit.set is None else of_set == edit.set)

    left = [one for one in draft.tweaks if not goes(one)]
    lost = len(draft.tweaks) - (0 if edit.everything else len(left))
    if not lost:
        raise AlreadyThere("The pack sets none of these.", field="settings")
    draft.tweaks = [] if edit.everything else left
    return Applied(tuple(sorted(subjects_of(edit))), f"the pack no longer sets {counted(lost, 'setting')}")


def _keep_set(draft: Draft, edit: KeepSet, user: User) -> Applied:
    there = draft.tweak_sets.get(edit.id)
    if there is None and edit.name is None:
        raise _no_set(edit.id)
    if there is None and len(draft.tweak_sets) >= MOST_SETS:
        raise TooMuchSet(f"A pack keeps at most {MOST_SETS} sets.", now="Drop one first.")
    after = {**(there or {"on": True, "made": _next(draft)}), **({"name": edit.name} if edit.name else {})}
    if edit.on is not None:
        after["on"] = edit.on
    if edit.offered is not None:
        after["offered"] = edit.offered
    _refuse_enforced(after, edit.id, draft.tweaks)
    draft.tweak_sets = {**draft.tweak_sets, edit.id: after}
    return Applied((f"set {edit.id}",), f"the set “{after['name']}” {_done(there, edit)}")


def _next(draft: Draft) -> int:
    """Counts sets as they are made: of one key the later one's setting holds."""
    return max((one.get("made", 0) for one in draft.tweak_sets.values()), default=0) + 1


def _done(there: dict[str, Any] | None, edit: KeepSet) -> str:
    if there is None:
        return "made"
    if edit.offered is not None:
        return "is each member’s choice" if edit.offered else "holds for all"
    return "renamed" if edit.on is None else "switched on" if edit.on else "switched off"


def _refuse_enforced(told: dict[str, Any], name: str, tweaks: list[dict[str, Any]]) -> None:
    """What must be the same for all is nobody's choice."""
    held = [one for one in tweaks if one.get("set") == name and one["how"] == How.ENFORCED]
    if told.get("offered") and held:
        keys = listed([".".join(one["key"]) for one in held[:4]])
        raise NotOffered(
            f"The set “{told['name']}” cannot be a member’s choice.",
            f"It enforces {keys}.",
            "Make these starting values, or take them out of the set.",
        )


def _drop_set(draft: Draft, edit: DropSet, user: User) -> Applied:
    there = draft.tweak_sets.get(edit.id)
    if there is None:
        raise _no_set(edit.id)
    draft.tweak_sets = {one: told for one, told in draft.tweak_sets.items() if one != edit.id}
    held = [one for one in draft.tweaks if one.get("set") == edit.id]
    draft.tweaks = [one for one in draft.tweaks if one.get("set") != edit.id]
    if edit.keep_settings:
        freed = [{name: value for name, value in one.items() if name != "set"} for one in held]
        draft.tweaks = list({tweak_key(one): one for one in (*draft.tweaks, *freed)}.values())
    return Applied((f"set {edit.id}",), f"the set “{there['name']}” dropped")


def _copy_set(draft: Draft, edit: CopySet, user: User) -> Applied:
    """Whether the other pack may be seen was asked by `services.edit_draft`."""
    other = Pack.objects.select_related("draft").get(pk=edit.pack)
    theirs = other.draft.tweak_sets.get(edit.id)
    if theirs is None:
        raise _no_set(edit.id)
    if edit.id in draft.tweak_sets:
        raise AlreadyThere(f"There is a set “{draft.tweak_sets[edit.id]['name']}” already.", now="Drop it first.")
    came = [one for one in other.draft.tweaks if one.get("set") == edit.id]
    draft.tweak_sets = {**draft.tweak_sets, edit.id: {**theirs, "on": True, "made": _next(draft)}}
    draft.tweaks = _few([*draft.tweaks, *came])
    return Applied((f"set {edit.id}",), f"the set “{theirs['name']}” taken over with {counted(len(came), 'setting')}")


SETTING: dict[type, Callable[..., Applied]] = {
    SetSettings: _set,
    ResetSettings: _reset,
    KeepSet: _keep_set,
    DropSet: _drop_set,
    CopySet: _copy_set,
}
"""Edits that keep who made them."""


def _few(tweaks: list[dict[str, Any]]) -> list[dict[str, Any]]:
    if len(tweaks) > MAX_TWEAKS:
        raise TooMuchSet(f"A pack sets at most {MAX_TWEAKS:,} settings.", now="Place a whole file instead.")
    return tweaks


def _told(verb: str, settings: list[KeyIn]) -> str:
    if len(settings) > 3:
        return f"{verb} {counted(len(settings), 'more setting')}"
    return f"{verb} {listed(['.'.join(one.key) for one in settings])}"


def _no_set(name: str) -> NoSuchLine:
    return NoSuchLine(f"The pack has no set “{name[:40]}”.", now="Choose one of those listed.")


def _path(draft: Draft, path: str) -> str:
    """A path as it is, or the one settings file of the mod that is named in its place. Raises NoSettings."""
    if "/" in path or format_of(path):
        return path
    terms = draft_terms.terms_of(draft)
    placed = next(((build.name, files) for build, files in draft_layers.layers(draft) if build.mod == path), None)
    if placed is None:
        raise NoSettings(f"“{path[:60]}” is no mod of the draft with a build.", now="Add it first.", field="path")
    name, files = placed
    found = [file.path for file in files if terms.is_settings(file.path)]
    if len(found) != 1:
        few = "Its build carries no settings file." if not found else f"It has {listed(found[:6])}."
        raise NoSettings(f"Which settings file of {name} is meant?", few, "Name its path.", field="path")
    return found[0]
