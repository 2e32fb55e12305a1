"""Resolve: from base, wanted lines, current lock and the catalogue's builds to one build per mod, or why there is none.

`problem` goes in, `answer` comes out, `resolver` the door. Underneath: `eligible` says which builds may be taken,
`at_sight` finds answers that need no search; else `formula` writes builds down as clauses as far as the search
comes, `solver` searches and learns, `best` finds the best answer by the order of preference, with `support` for builds
kept without a reason, `counting` for wishes of which some may fail, and `ties` for the one of equally good answers.
For an impossible problem `clash` finds the lines, `explain` the sentences (from `facts`, by `smallest`), `ways_out`
what would free it. `reasons` answers `why` and `why not`, `wire` is the JSON of docs/formats.md.
"""

from .answer import Answer, Freeing, Impossible, Solved, WayOut
from .eligible import Eligible
from .problem import Library, Problem, Shelves
from .reasons import Edge, edges, leading_to, needed_by, why, why_not, why_not_at_all
from .resolver import TooHard, every_clash, resolve, told

__all__ = [
    "Answer",
    "Edge",
    "Eligible",
    "Freeing",
    "Impossible",
    "Library",
    "Problem",
    "Shelves",
    "Solved",
    "TooHard",
    "WayOut",
    "edges",
    "every_clash",
    "leading_to",
    "needed_by",
    "resolve",
    "told",
    "why",
    "why_not",
    "why_not_at_all",
]
