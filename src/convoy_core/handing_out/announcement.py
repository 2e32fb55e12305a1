"""The announcement of a release: what changed in sentences, what members do, what happens to worlds, how big it is.

Written as plain text that a curator edits: paragraphs, lines that end with a colon over lists, lists of `- `. The same
text becomes Markdown in which nothing of it is markup by accident.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import Any

from ..lock.change_log import What
from ..lock.lock import OVERLAY, LockedBuild
from ..lock.recipe import Recipe, ReleaseChannel
from ..lock.whole_log import whole_log
from ..lock.worlds import world_changes
from ..machine.memory import gigabytes, in_words
from ..sync.errands import minutes, what_to_do
from ..words.model import Side
from ..words.wording import counted, listed
from .reading_lists import no_markup

MOST_LISTED = 60
"""Changes told one by one: whoever reads an announcement wants to play; the rest stands in the change log."""

MANY = 6
"""Mods that come in, or leave, each in a line of its own."""


def announcement(before: Recipe | None, after: Recipe, bases: tuple[str, str], address: str = "") -> str:
    """For players who have `before`, or nothing. `bases`: theirs and the new one, in words. `address`: where more is
    told.
    """
    parts = [_opening(after), after.notes.strip(), *_changed(before, after, bases), *_to_do(before, after)]
    parts += [*_worlds(before, after), *_demands(before, after)]
    parts += [f"All of it: {address}"] if address else []
    return "\n\n".join(part for part in parts if part) + "\n"


def as_markdown(text: str) -> str:
    """An announcement, as it was written or edited, as Markdown."""
    lines = text.splitlines()
    told = []
    for at, line in enumerate(lines):
        if line.startswith("- "):
            told.append(f"- {_plainly(line[2:])}")
        elif line.endswith(":") and at + 1 < len(lines) and lines[at + 1].startswith("- "):
            told += [f"**{_plainly(line)}**", ""]
        else:
            told.append(_plainly(line))
    return "\n".join(told) + "\n"


_ADDRESS = re.compile(r"https?://[\w.:/-]+")


def _plainly(line: str) -> str:
    """Without markup, but for addresses, which stay what one can follow."""
    return " ".join(f"<{word}>" if _ADDRESS.fullmatch(word) else no_markup(word) for word in line.split())


def fetched(before: Recipe | None, after: Recipe, side: Side = Side.PLAYER) -> tuple[LockedBuild, ...]:
    """Builds whose archives somebody fetches who has `before`."""
    had = {build.archive.sha256 for build in before.lock.share(side).builds} if before else set()
    return tuple(build for build in after.lock.share(side).builds if build.archive.sha256 not in had)


def _opening(after: Recipe) -> str:
    if after.channel == ReleaseChannel.TRIAL:
        told = "is out for trial: whoever follows trial releases gets it, everybody else stays where they are"
        return f"{after.pack_name} {after.number} {told}."
    return f"{after.pack_name} {after.number} is out."


def _changed(before: Recipe | None, after: Recipe, bases: tuple[str, str]) -> Iterator[str]:
    if before is None:
        chosen = [build.name for build in after.lock.builds if build.chosen and build.mod != OVERLAY]
        more = len(after.lock.builds) - len(chosen)
        brought = f", and {counted(more, 'more mod')} that they need" if more > 0 else ""
        yield " ".join(f"The first release, on {bases[1]}: {listed(chosen[:MOST_LISTED])}{brought}.".split())
        return
    told = [f"The base moves from {bases[0]} to {bases[1]}"] if bases[0] != bases[1] else []
    told += changes_in_words([row for row in whole_log(before, after) if not row["name"].startswith("demand: ")])
    if told:
        yield _list(f"What changed since {before.number}", told)


def changes_in_words(rows: Sequence[dict[str, Any]]) -> list[str]:
    """Sentences without their full stops; where many mods come in, or leave, all of them are one."""
    told: list[str] = []
    for what, lead in ((What.ADDED, "come in"), (What.REMOVED, "leave")):
        named = [f"{row['name']} {row['before'] or row['after']}" for row in rows if row["what"] == what]
        if len(named) > MANY:
            more = len(named) - MOST_LISTED
            shown = [*named[:MOST_LISTED], *([f"{more} more"] if more > 0 else [])]
            told.append(f"{len(named)} mods {lead}: {listed(shown)}")
            rows = [row for row in rows if row["what"] != what]
    return [*told, *map(row_in_words, rows)]


def row_in_words(row: dict[str, Any]) -> str:
    """A row of a change log as a sentence without its full stop."""
    name, old, new = row["name"], row["before"], row["after"]
    match What(row["what"]):
        case What.ADDED:
            return f"{name} {new} comes in" + ("" if row["chosen"] else ", as others need it")
        case What.REMOVED:
            return f"{name} {old} leaves"
        case What.UPDATED:
            return f"{name} goes from {old} to {new}"
        case What.TAKEN_BACK:
            return f"{name} goes back from {old} to {new}"
        case What.SET:
            return f"{name} is now {new}, was {old}" if old and new else f"{name}: {new or 'no longer set'}"


def _to_do(before: Recipe | None, after: Recipe) -> Iterator[str]:
    comes = fetched(before, after)
    size = sum(build.archive.size for build in comes)
    told = [f"Sync: {in_words(size)} to fetch in {counted(len(comes), 'file')}" if comes else "Sync: nothing to fetch"]
    errands = [build for build in comes if not build.pickup.is_automatic and not build.optional]
    if errands:
        told[0] += f", and {counted(len(errands), 'errand')} of about {counted(minutes(errands), 'minute')}"
    told += [f"{build.name}: {what_to_do(build)}" for build in errands]
    had = {step.id for step in before.lock.terms.steps} if before else set()
    told += [f"By hand: {step.text}" for step in after.lock.terms.steps if step.id not in had]
    old = {build.mod for build in before.lock.share(Side.PLAYER).choices} if before else set()
    told += [
        f"You may choose {build.name}{f': {build.advice}' if build.advice else ''}"
        for build in after.lock.share(Side.PLAYER).choices
        if build.mod not in old
    ]
    yield _list("What you do", told)


def _worlds(before: Recipe | None, after: Recipe) -> Iterator[str]:
    found = world_changes(before.lock, after.lock) if before else ()
    if told := [" ".join(filter(None, (f"{one.sentence}.", one.note))) for one in found]:
        yield _list("What happens to worlds", [*told, "They are backed up before a sync"])
    elif before:
        yield "Worlds stay as they are."


def _demands(before: Recipe | None, after: Recipe) -> Iterator[str]:
    now, old = after.needed, before.needed if before else None
    if not now.minimum:
        return
    told = f"It takes {gigabytes(now.minimum)} of memory, better {gigabytes(now.recommended)}"
    if old and old.minimum and old.minimum != now.minimum:
        told += f"; it was {gigabytes(old.minimum)}"
    if now.runtime and old and old.runtime != now.runtime:
        told += f", and the runtime {now.runtime}"
    yield f"{told}."


def _list(title: str, told: Sequence[str]) -> str:
    more = len(told) - MOST_LISTED
    lines = [*told[:MOST_LISTED], *([f"and {more} more"] if more > 0 else [])]
    return "\n".join([f"{title}:", *(f"- {' '.join(line.split())}" for line in lines)])
