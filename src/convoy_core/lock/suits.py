"""What a collection says it suits: it has no base of its own, and is laid under packs that have one.

Source: docs/rules.md, "Collections".
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from ..outside.fields import Fields
from ..words.model import Base, Build, misfit
from ..words.ranges import ANY_VERSION, Range, parse_range
from ..words.versions import parse_version


@dataclass(frozen=True, slots=True)
class Suits:
    """Game versions and loaders, read as a build's are: no loader named means any, and none."""

    games: Range = ANY_VERSION
    loaders: Mapping[str, Range] = field(default_factory=dict)

    def misfit(self, base: Base) -> str:
        """Why a collection does not suit a base, as a phrase; empty where it does."""
        return misfit(Build("", parse_version("1"), games=self.games, loaders=self.loaders), base)

    def as_data(self) -> dict[str, Any]:
        return {"games": self.games.text, "loaders": {loader: one.text for loader, one in self.loaders.items()}}


SUITS_ALL = Suits()


def read_suits(fields: Fields) -> Suits:
    """From JSON data. Raises MalformedInput."""
    loaders = {loader: parse_range(text) for loader, text in fields.texts("loaders").items()}
    return Suits(parse_range(fields.text("games", "*")), loaders)
