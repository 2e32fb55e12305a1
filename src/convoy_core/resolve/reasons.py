"""Reasons in a solved lock: who needs whom, and what rules a build out."""

from __future__ import annotations

from collections.abc import Mapping

from ..model import Base, Build, misfit
from .candidates import Demand


def needed_by(picks: Mapping[str, Build]) -> dict[str, list[str]]:
    """For each mod of a lock, the mods whose needs it meets, sorted."""
    asked: dict[str, list[str]] = {mod: [] for mod in picks}
    for asker in picks.values():
        for mod, wanted in asker.needs.items():
            demand = Demand(mod, wanted, asker)
            for build in picks.values() if mod not in picks else (picks[mod], *_providers(picks, mod)):
                if build.mod != asker.mod and demand.met_by(build):
                    asked[build.mod].append(asker.mod)
    return {mod: sorted(set(askers)) for mod, askers in asked.items()}


def why_not(build: Build, base: Base, picks: Mapping[str, Build]) -> str:
    """The first thing that rules a build out beside the present picks, as a phrase; empty when nothing does."""
    if unfit := misfit(build, base):
        return unfit
    others = [other for mod, other in picks.items() if mod != build.mod]
    for other in others:
        wanted = other.needs.get(build.mod)
        if wanted is not None and not wanted.holds(build.version):
            return f"{other.mod} {other.version} needs {build.mod} {wanted.in_words()}"
        if build.mod in other.breaks and other.breaks[build.mod].holds(build.version):
            return f"{other.mod} {other.version} does not go together with it"
        if other.mod in build.breaks and build.breaks[other.mod].holds(other.version):
            return f"it does not go together with {other.mod} {other.version}"
    for mod, wanted in sorted(build.needs.items()):
        picked = picks.get(mod)
        if picked is not None and not wanted.holds(picked.version):
            return f"it needs {mod} {wanted.in_words()}, and {picked.version} is in the pack"
    return ""


def _providers(picks: Mapping[str, Build], mod: str) -> list[Build]:
    return [build for build in picks.values() if mod in build.provides and build.mod != mod]
