"""Two builds lay different files down at one path. In what is read, keys clash or are lost; else the whole file is.

Equal content is no conflict, and what somebody decided is none either. Source: docs/rules.md, "Order and conflicts".
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property

from ..conflicts.clashes import Compared
from ..words.wording import counted
from .finding import Finding, Severity, Way, add
from .parting import without
from .subject import Subject

MOST_PLACES = 200
"""Paths of one edit; where more are meant, the folder that they share is named."""

SHOWN = 60
"""Lines of evidence that one finding has at the most."""


@dataclass
class Pair:
    """What one build loses to another: paths, by whether they were compared key by key."""

    loser: str
    winner: str
    whole: list[str] = field(default_factory=list)
    compared: list[Compared] = field(default_factory=list)

    @cached_property
    def paths(self) -> list[str]:
        """Asked for once nothing is added any more."""
        return sorted([*self.whole, *(one.meeting.path for one in self.compared)])

    @property
    def clashes(self) -> int:
        return sum(len(one.clashes) for one in self.compared)

    @property
    def lost(self) -> int:
        return sum(any(lost.mod == self.loser for lost in one.lost) for one in self.compared)


def pairs_of(subject: Subject) -> list[Pair]:
    """Who loses to whom at undecided paths. Readable files whose keys agree lose nothing, and are not told."""
    found: dict[tuple[str, str], Pair] = {}
    for meeting in subject.open_meetings:
        compared = subject.compared(meeting)
        concerned = concerned_by(compared) if compared else set(meeting.by)
        for mod in meeting.by:
            if mod == meeting.winner or _same_bytes(subject, meeting.path, mod, meeting.winner):
                continue
            if subject.is_joined(mod, meeting.winner):
                continue
            key = (mod, meeting.winner)
            if compared is None:
                found.setdefault(key, Pair(*key)).whole.append(meeting.path)
            elif mod in concerned:
                found.setdefault(key, Pair(*key)).compared.append(compared)
    return list(found.values())


def _same_bytes(subject: Subject, path: str, one: str, other: str) -> bool:
    return subject.hashes[one][path] == subject.hashes[other][path]


def concerned_by(compared: Compared) -> set[str]:
    """Mods whose files say something that another sets differently, or that is not there any more."""
    return {mod for one in compared.clashes for mod in one.values} | {one.mod for one in compared.lost}


def check(subject: Subject) -> list[Finding]:
    return [_kept_finding(subject, pair) for pair in pairs_of(subject)]


def _kept_finding(subject: Subject, pair: Pair) -> Finding:
    """An edit of a large pack concerns few of its pairs."""
    mods = (pair.loser, pair.winner)
    rests_on = (
        pair.whole,
        [(subject.builds[mod], subject.lines.get(mod), subject.collection_of(mod), subject.top(mod)) for mod in mods],
        [patch for patch in subject.patches if set(mods) <= set(patch.partners)],
        subject.terms.settings,
    )
    files = [subject.files[mod] for mod in mods]
    return subject.kept.get(mods, rests_on, [*pair.compared, *files], lambda: _finding(subject, pair))


def _finding(subject: Subject, pair: Pair) -> Finding:
    """What is added here rests on what `_kept_finding` names, and on nothing else."""
    loser, winner = subject.name(pair.loser), subject.name(pair.winner)
    keys = [
        (one.meeting.path, clash)
        for one in pair.compared
        for clash in one.clashes
        if pair.loser in clash.values and pair.winner in clash.values
    ]
    lost = [(one.meeting.path, gone) for one in pair.compared for gone in one.lost if gone.mod == pair.loser]
    evidence = [
        f"{path}: {'.'.join(clash.key)} is {_shown(clash.values[pair.winner])}, {loser} has "
        f"{_shown(clash.values[pair.loser])}"
        for path, clash in keys[:SHOWN]
    ]
    evidence += [f"{path}: {'.'.join(gone.key)} of {loser} is lost" for path, gone in lost[:SHOWN]]
    said = [
        *([f"{counted(len(pair.whole), 'file')} replaced"] if pair.whole else []),
        *([f"{counted(len(keys), 'value')} overruled"] if keys else []),
        *([f"{counted(len(lost), 'key')} lost"] if lost else []),
    ]
    is_settings = any(subject.terms.is_settings(path) for path in pair.paths)
    why = (
        "Both bring the settings file; members get that of the later one, merged with what they changed."
        if is_settings
        else "Both lay a file down there, and the later in order replaces the whole of it."
    )
    return Finding(
        "overlap",
        Severity.WARNING,
        (pair.loser, pair.winner),
        f"{winner} lies over {loser}: {', '.join(said)}.",
        why,
        "Say whose file it is to be, change the order, or leave one out.",
        pair.winner,
        evidence=tuple([*evidence, *pair.whole[:SHOWN]][:SHOWN]),
        ways=_ways(subject, pair),
        pair=(pair.loser, pair.winner),
    )


def _shown(value: object) -> str:
    text = str(value).lower() if isinstance(value, bool) else str(value)
    return text if len(text) <= 40 else f"{text[:37]}…"


def _ways(subject: Subject, pair: Pair) -> tuple[Way, ...]:
    loser, winner = subject.name(pair.loser), subject.name(pair.winner)
    places = places_for(pair.paths)
    ways = [add(patch.mod, patch.name) for patch in subject.patches if {pair.loser, pair.winner} <= set(patch.partners)]
    ways += [
        Way(f"Keep what {name} has there", ({"do": "winner", "places": places, "mod": mod},), is_choice=True)
        for mod, name in ((pair.winner, winner), (pair.loser, loser))
    ]
    for mod, name in ((pair.loser, loser), (pair.winner, winner)):
        if part := subject.part_with(mod, pair.paths):
            edit = without(subject, mod, part[0])
            ways.append(Way(f"Leave the part “{part[1]}” of {name} out", (edit,), is_choice=True))
    if pair.loser in subject.lines and pair.winner in subject.lines:
        turn = {"do": "move", "mods": [pair.winner], "before": pair.loser}
        ways.append(Way(f"Lay {winner} down before {loser}", (turn,), is_choice=True))
    return (*ways, *subject.ways_without(pair.loser), *subject.ways_without(pair.winner))


def places_for(paths: Sequence[str]) -> list[str]:
    """Paths as an edit names them: one by one, or the folder that all of them share where they are many."""
    if len(paths) <= MOST_PLACES:
        return list(paths)
    first, last = min(paths).split("/"), max(paths).split("/")
    shared = []
    for one, other in zip(first, last, strict=False):
        if one != other:
            break
        shared.append(one)
    return ["/".join(shared)] if shared else list(paths[:MOST_PLACES])
