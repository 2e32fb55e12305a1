"""Whether an edit does more than was asked: then it is shown before it is kept. Source: docs/rules.md, "The job" 3."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from ..lock.change_log import Change, What
from ..words.wording import counted


def does_more(
    named: Collection[str],
    moved: Sequence[Change],
    adds: bool = False,
    lost: bool = False,
    stays: bool = False,
    other_build: bool = False,
) -> bool:
    """Whether an edit touches more than the mods that were `named`, or does not do what was promised.

    `adds`: it only adds, and what an added mod brings in is no surprise; `lost`: a line lost its build, or was left
    out; `stays`: something that was to go stays; `other_build`: another build comes than was promised.
    """
    strangers = (one for one in moved if one.mod not in named and not (adds and one.what is What.ADDED))
    return lost or stays or other_build or any(strangers)


def effects(moved: Sequence[Change], left_without: int) -> str:
    """What an edit did beyond its own sentence, as a phrase: `brings in 2, moves 1, nothing breaks`. Empty where no
    build changed.

    `left_without`: lines that lost their build by it.
    """
    counts = (
        (sum(one.what is What.ADDED and not one.chosen for one in moved), "brings in"),
        (sum(one.what is What.REMOVED and not one.chosen for one in moved), "lets go of"),
        (sum(one.what in (What.UPDATED, What.TAKEN_BACK) for one in moved), "moves"),
    )
    said = [f"{word} {number}" for number, word in counts if number]
    if left_without:
        said.append(f"leaves {counted(left_without, 'line')} without a build")
    elif moved:
        said.append("nothing breaks")
    return ", ".join(said)


MOST_NAMED = 3


def in_one_line(moved: Sequence[Change], files: int = 0, worse: Sequence[str] = ()) -> str:
    """What a way to mend does, as a sentence: `Fog Patch 1.0.0 comes in; nothing else moves.` `files`: paths where
    something else lies afterwards, told where no mod moves; `worse`: what would be found then that is not found now.
    """
    said = [_moving(one) for one in moved[:MOST_NAMED]]
    if len(moved) > MOST_NAMED:
        said.append(f"{counted(len(moved) - MOST_NAMED, 'other mod')} change")
    elif not moved and files:
        said.append(f"{counted(files, 'file')} of the pack {'is' if files == 1 else 'are'} another then")
    line = f"{'; '.join([*said, 'nothing else moves'])}." if said else "Nothing moves."
    return " ".join([line, *(f"But then: {one}" for one in worse[:MOST_NAMED])])


def _moving(one: Change) -> str:
    return {
        What.ADDED: f"{one.name} {one.after} comes in",
        What.REMOVED: f"{one.name} leaves",
        What.UPDATED: f"{one.name} moves to {one.after}",
        What.TAKEN_BACK: f"{one.name} goes back to {one.after}",
    }[one.what]
