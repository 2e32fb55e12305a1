"""Parts of builds: which of their files a pack lays down, and what the parts that are laid down need and break.

A build may name parts, each laid down or not by default; a curator says otherwise, or chooses by folders and patterns.
Source: docs/rules.md, "Parts, set aside, own files".
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from ..conflicts.laying import Parts
from ..outside.claims import Claims, Part
from ..outside.fields import Fields
from ..outside.patterns import checked_patterns
from ..words.errors import MalformedInput
from ..words.model import Build
from ..words.ranges import ANY_VERSION, Range, both

MAX_PARTS_NAMED = 200
MAX_CHOSEN = 400
"""Patterns that one line may hold."""


@dataclass(frozen=True, slots=True)
class PartRule:
    """What a curator says of one build's files. `named`: part id to whether it is laid down; parts that are not named
    are as the build has them. `only`, `leave_out`: patterns below the build's own top.
    """

    named: Mapping[str, bool] = field(default_factory=dict)
    only: tuple[str, ...] = ()
    leave_out: tuple[str, ...] = ()

    def as_data(self) -> dict[str, Any]:
        told = {"named": dict(self.named), "only": list(self.only), "leave_out": list(self.leave_out)}
        return {name: value for name, value in told.items() if value}


AS_IT_COMES = PartRule()


def read_rule(fields: Fields) -> PartRule:
    """A rule from JSON data. Raises MalformedInput for what is no pattern, or catches every file."""
    named = fields.flags("named")
    if len(named) > MAX_PARTS_NAMED:
        raise MalformedInput("The line names more parts than a build may have.", field=fields.place("named"))
    only, leave_out = (
        checked_patterns(fields.strings(name), fields.place(name), MAX_CHOSEN) if fields.has(name) else ()
        for name in ("only", "leave_out")
    )
    for pattern in leave_out:
        if not pattern.strip("*/"):
            raise MalformedInput(
                f"“{pattern}” would leave everything out.",
                now="Switch the line off instead, or name a folder.",
                field=fields.place("leave_out"),
            )
    return PartRule(named, only, leave_out)


def laid_parts(claims: Claims, rule: PartRule) -> list[Part]:
    """The parts that are laid down, in the build's order."""
    return [part for part in claims.parts if rule.named.get(part.id, part.default)]


def as_patterns(claims: Claims, rule: PartRule) -> Parts:
    """Which files are laid down. A folder that a laid-down part shares with one that is left out stays."""
    laid = laid_parts(claims, rule)
    kept = {folder for part in laid for folder in part.folders}
    left_out = (part for part in claims.parts if part not in laid)
    gone = [f"{folder}/**" for part in left_out for folder in part.folders if folder not in kept]
    return Parts(rule.only, (*dict.fromkeys(gone), *rule.leave_out))


def as_rule(claims: Claims, laid: Parts) -> PartRule:
    """The rule that lays down what a release lays down of a build: `as_patterns` of it is `laid` again."""
    gone = set(laid.leave_out)
    named = {
        part.id: is_laid
        for part in claims.parts
        if (is_laid := not any(pattern in gone for pattern in part.patterns)) is not part.default
    }
    followed = set(as_patterns(claims, PartRule(named)).leave_out)
    return PartRule(named, laid.only, tuple(one for one in laid.leave_out if one not in followed))


def with_parts(build: Build, claims: Claims, rule: PartRule = AS_IT_COMES) -> Build:
    """The build as resolving has to see it: it needs and breaks what its laid-down parts do, too."""
    laid = laid_parts(claims, rule)
    if not any(part.needs or part.breaks for part in laid):
        return build
    needs, breaks = dict(build.needs), dict(build.breaks)
    for part in laid:
        for mod, asked in part.needs.items():
            needs[mod] = both(needs.get(mod, ANY_VERSION), asked)
        for mod, broken in part.breaks.items():
            breaks[mod] = _either(breaks[mod], broken) if mod in breaks else broken
    return replace(build, needs=needs, breaks=breaks)


def _either(one: Range, other: Range) -> Range:
    return Range(f"{one.text} || {other.text}", (*one.any_of, *other.any_of))
