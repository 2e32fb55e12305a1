"""Resolve: from base, wanted lines, current lock and the catalogue's builds to one build per mod, or why there is none.

`problem` holds what goes in and out, `search` finds the answer, `explain` says why there is none, `reasons` answers
`why` and `why not`, `wire` is the JSON of docs/formats.md.
"""

from .problem import Answer, Impossible, Problem, Solved
from .reasons import needed_by, why_not
from .search import TooHard, resolve

__all__ = ["Answer", "Impossible", "Problem", "Solved", "TooHard", "needed_by", "resolve", "why_not"]
