"""A search that a person answers: what to try next follows from what was answered so far, so that a search can be put
down for days, and answers taken back. Source: docs/rules.md, "Narrowing a fault down".
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Sequence
from dataclasses import dataclass

from .search import Found, Outcome, narrow, tries_for_one
from .suspects import Suspects


@dataclass(frozen=True, slots=True)
class Answered:
    """How a try went. `mods`: those that were in it."""

    mods: frozenset[str]
    outcome: Outcome


@dataclass(frozen=True, slots=True)
class Question:
    """`mods` are to be tried next; None where `found` says what it came to. `left`: about how many tries are to come,
    were there one culprit.
    """

    mods: tuple[str, ...] | None
    found: Found | None
    left: int


def asked(suspects: Suspects, answers: Sequence[Answered], chance: float = 1.0) -> Question:
    """What is to be asked after these answers. `chance`: with which a set that fails does so in one try; where that is
    said later on, earlier answers count for whatever is asked of their mods.
    """
    told: dict[Collection[str], list[Outcome]] = defaultdict(list)
    for answer in reversed(answers):
        told[answer.mods].append(answer.outcome)
    search = narrow(suspects, chance)
    try:
        wanted = next(search)
        while answered := told[frozenset(wanted)]:
            wanted = search.send(answered.pop())
    except StopIteration as end:
        found: Found = end.value
        return Question(None, found, 0)
    return Question(wanted, None, max(1, tries_for_one(len(suspects.mods), chance) - len(answers)))
