"""Narrowing a fault down: from a set of mods that fails to the smallest one that still does. `suspects` knows what goes
together, `search` asks for tries and draws its conclusions. Source: docs/rules.md, "Narrowing a fault down".
"""

from .search import Found, Outcome, Search, narrow, tries_for_one
from .suspects import Suspects

__all__ = ["Found", "Outcome", "Search", "Suspects", "narrow", "tries_for_one"]
