"""Narrowing a fault down: from a set of mods that fails to the smallest one that still does. `suspects` knows what goes
together, `search` asks for tries and draws its conclusions, `asked` has a person answer. Source: docs/rules.md,
"Narrowing a fault down".
"""

from .asked import Answered, Question, asked
from .search import Found, Outcome, Search, narrow, tries_for_one
from .suspects import Suspects

__all__ = [
    "Answered",
    "Found",
    "Outcome",
    "Question",
    "Search",
    "Suspects",
    "asked",
    "narrow",
    "tries_for_one",
]
