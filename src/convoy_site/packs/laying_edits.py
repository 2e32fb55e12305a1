"""Edits of how builds are laid down: parts, winners, what is set aside, the pack's own files."""

from collections.abc import Callable, Iterable, Mapping
from pathlib import PurePosixPath
from typing import NamedTuple

from convoy_core.conflicts.set_aside import MAX_LINES, caught_by, read_list
from convoy_core.draft.parts import read_rule
from convoy_core.lock.lock import OVERLAY, LockedBuild
from convoy_core.outside.catcher import catcher
from convoy_core.outside.fields import Fields
from convoy_core.outside.paths import checked_path, refuse_twins
from convoy_core.words.errors import ConvoyError
from convoy_core.words.wording import counted, listed

from ..catalogue import readings
from . import draft_layers, own_files
from .applied import AlreadyThere, Applied, NoSuchLine, name_in
from .models import Draft
from .shapes.edits import PlaceOwn, SetAside, SetAsideAlso, SetParts, SetWinner

MOST_WINNERS = 2_000


class NothingLeft(ConvoyError):
    """A choice of parts that would lay nothing down, or leave out what the game needs to see the mod."""

    code = "nothing-left"


class NotCarried(ConvoyError):
    """A winner for a place where it has no file."""

    code = "not-carried"


class MustStay(ConvoyError):
    """A pattern of what is set aside that catches what must not be missing, or is none."""

    code = "must-stay"


def _parts(draft: Draft, edit: SetParts) -> Applied:
    name = name_in(draft, edit.mod)
    if edit.mod not in draft.picks:
        raise NoSuchLine(f"{name} has no build in the draft.", now="Add it first.", mod=edit.mod)
    rule = read_rule(Fields({"named": edit.named, "only": edit.only, "leave_out": edit.leave_out}))
    before = next(build for build, _ in draft_layers.layers(draft, with_files=False) if build.mod == edit.mod)
    unknown = rule.named.keys() - {part.id for part in before.claims.parts}
    if unknown:
        raise NothingLeft(f"{name} has no part called “{min(unknown)[:60]}”.", now="Look at its parts again.")
    draft.parts = {mod: told for mod, told in draft.parts.items() if mod != edit.mod}
    if told := rule.as_data():
        draft.parts[edit.mod] = told
    build, files = next(one for one in draft_layers.layers(draft) if one[0].mod == edit.mod)
    if not files:
        raise NothingLeft(f"Nothing of {name} would be laid down.", now="Switch the line off instead.", mod=edit.mod)
    marker = marker_of(draft, build)
    if marker and all(file.path != marker for file in files):
        raise NothingLeft(
            f"{name} would be laid down without its {PurePosixPath(marker).name}.",
            "The game would not see it.",
            "Let the top of the build stay.",
            mod=edit.mod,
        )
    return Applied((edit.mod,), f"laid down with {counted(len(files), 'file')}", (name,))


def marker_of(draft: Draft, build: LockedBuild) -> str:
    """Where a build's marker file lies in an installation; empty where its kind has none."""
    layout = draft.pack.game.profile.kinds.get(build.kind)
    return layout.marker_at(build.mod) if layout and build.mod != OVERLAY else ""


def _winner(draft: Draft, edit: SetWinner) -> Applied:
    places = tuple(dict.fromkeys(checked_path(place.rstrip("/")) for place in edit.places))
    subjects = tuple(f"winner for {place}" for place in places)
    kept = {place: mod for place, mod in draft.winners.items() if place not in places}
    if not edit.mod:
        draft.winners = kept
        return Applied(subjects, f"the order decides again for {_some(places)}")
    name = "Own files" if edit.mod == OVERLAY else name_in(draft, edit.mod)
    carried = next((files for build, files in draft_layers.layers(draft) if build.mod == edit.mod), [])
    for place in places:
        if not any(file.path == place or file.path.startswith(f"{place}/") for file in carried):
            raise NotCarried(f"{name} carries nothing at {place}.", now="Choose a mod that does.", mod=edit.mod)
    draft.winners = kept | dict.fromkeys(places, edit.mod)
    if len(draft.winners) > MOST_WINNERS:
        raise NotCarried(f"A draft names at most {MOST_WINNERS} winners.", now="Name folders instead of files.")
    return Applied(subjects, f"wins at {_some(places)}", (name,))


def _some(places: tuple[str, ...]) -> str:
    return listed([*places[:2], counted(len(places) - 2, "other place")] if len(places) > 2 else places)


def _aside(draft: Draft, edit: SetAside) -> Applied:
    text, patterns = refuse_aside(draft, edit)
    draft.set_aside = text
    return Applied(("set aside",), f"{counted(len(patterns), 'line')} of files set aside")


def refuse_aside(draft: Draft, edit: SetAside, builds: Iterable[LockedBuild] | None = None) -> tuple[str, list[str]]:
    """A list as it is kept, and its patterns. Raises MustStay for a line that is none, or catches what must stay.
    `builds`: the draft's, where they were read already.
    """
    text = "\n".join(line.rstrip() for line in edit.text.splitlines())
    lines = read_list(text)
    if wrong := next((line for line in lines if line.trouble), None):
        raise MustStay(
            f"Line {wrong.number} cannot be used: “{wrong.pattern[:60]}”.", wrong.trouble, field=f"line {wrong.number}"
        )
    patterns = [line.pattern for line in lines]
    if patterns:
        known = (build for build, _ in draft_layers.layers(draft, with_files=False)) if builds is None else builds
        _refuse_needed(draft, patterns, known)
    return text, patterns


def _refuse_needed(draft: Draft, patterns: list[str], builds: Iterable[LockedBuild]) -> None:
    """Refuses what catches a marker without which the game does not see a mod, or a file that a setting or step
    names.
    """
    needed = needed_paths(draft, builds)
    for path, at in catcher(tuple(patterns)).caught(needed):
        what = f"“{patterns[at][:60]}” catches {path}."
        raise MustStay(what, needed[path], "Write a line that leaves it alone.", path=path)


def needed_paths(draft: Draft, builds: Iterable[LockedBuild]) -> dict[str, str]:
    """Paths that must not be missing, with why."""
    found = dict.fromkeys((tweak["path"] for tweak in draft.tweaks), "A setting of the pack is in it.")
    found |= {step["path"]: "A step by hand looks at it." for step in draft.steps if step["path"]}
    for build in builds:
        if marker := marker_of(draft, build):
            found[marker] = f"The game would not see {build.name} without it."
    return found


def _aside_also(draft: Draft, edit: SetAsideAlso) -> Applied:
    there = {line.pattern for line in read_list(draft.set_aside)}
    fresh = [one for one in dict.fromkeys(edit.patterns) if one not in there]
    if not fresh:
        raise AlreadyThere("The list has these lines already.")
    if len(there) + len(fresh) > MAX_LINES:
        raise MustStay(f"The list has {MAX_LINES} lines at the most.", now="Write folders instead of files.")
    text = "\n".join(filter(None, [draft.set_aside.rstrip("\n"), *fresh]))
    _aside(draft, SetAside(do="set aside", text=text))
    return Applied(("set aside",), f"{counted(len(fresh), 'more line')} of files set aside")


class CaughtBy(NamedTuple):
    """What one line of a list catches: how many files, and their bytes. `trouble`: why it is no pattern."""

    line: int
    pattern: str
    trouble: str
    files: int
    size: int


def caught(sizes: Mapping[str, int], text: str) -> list[CaughtBy]:
    """What each line of a list catches of a draft's files (path to bytes)."""
    lines = read_list(text)
    usable = [line for line in lines if not line.trouble]
    by = caught_by([line.pattern for line in usable], sizes)
    found = {line.number: one for line, one in zip(usable, by, strict=True)}
    return [
        CaughtBy(line.number, line.pattern, line.trouble, found[line.number].files, found[line.number].size)
        if line.number in found
        else CaughtBy(line.number, line.pattern, line.trouble, 0, 0)
        for line in lines
    ]


def _own(draft: Draft, edit: PlaceOwn) -> Applied:
    before: Mapping[str, dict[str, object]] = draft.own_files.get("files", {})
    removed = [checked_path(path) for path in edit.remove]
    if missing := [path for path in removed if path not in before]:
        raise NoSuchLine(f"The pack has no own file {missing[0]}.", now="Look again.")
    files = {path: one for path, one in before.items() if path not in removed}
    files |= own_files.described(draft.pack, {checked_path(path): sha256 for path, sha256 in edit.add.items()})
    refuse_twins(files)
    builds = (build for build, _ in draft_layers.layers(draft, with_files=False))
    markers = {marker_of(draft, build): build.name for build in builds}
    for path in edit.add:
        if path in markers:
            raise MustStay(f"{path} tells the game what {markers[path]} is.", "An own file would hide it.", path=path)
    draft.own_files = own_files.composed(draft.pack, files)
    for path, sha256 in edit.add.items():
        readings.keep_own(draft.pack, path, own_files.content(draft.pack, sha256))
    subjects = tuple(f"own {path}" for path in (*edit.add, *removed))
    parts = (
        f"{counted(len(edit.add), 'own file')} laid down ({_some(tuple(edit.add))})" if edit.add else "",
        f"{counted(len(removed), 'own file')} taken away ({_some(tuple(removed))})" if removed else "",
    )
    return Applied(subjects or ("own",), ", ".join(filter(None, parts)) or "own files as they were")


LAYING: dict[type, Callable[..., Applied]] = {
    SetParts: _parts,
    SetWinner: _winner,
    SetAside: _aside,
    SetAsideAlso: _aside_also,
    PlaceOwn: _own,
}
