"""Which edit an undoing takes back, and which a redoing does again.

Every edit may take back an earlier one, also one that was a taking back itself: then it does the earlier again. An
edit stands until one that stands takes it back.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Done:
    """An edit. `takes_back`: the revision that it took back; `again`: it took back a taking back, and so did
    something again; `mine`: done by whoever asks.
    """

    revision: int
    takes_back: int | None = None
    again: bool = False
    mine: bool = True


def taken_back(edits: Sequence[Done]) -> set[int]:
    """Revisions that do not stand any more. `edits`: newest first."""
    gone: set[int] = set()
    for one in edits:
        if one.revision not in gone and one.takes_back is not None:
            gone.add(one.takes_back)
    return gone


def next_to_undo(edits: Sequence[Done]) -> int | None:
    """The newest of one's own edits that stands and did something. `edits`: newest first."""
    gone = taken_back(edits)
    found = (one for one in edits if one.mine and one.revision not in gone and (one.takes_back is None or one.again))
    return next((one.revision for one in found), None)


def next_to_redo(edits: Sequence[Done]) -> int | None:
    """The newest of one's own takings back that stands; none once something fresh was done. `edits`: newest first."""
    gone = taken_back(edits)
    for one in edits:
        if one.mine and one.revision not in gone:
            if one.takes_back is None:
                return None
            if not one.again:
                return one.revision
    return None
