"""Problems and answers as JSON. Source: formats.md, "Resolver problem and answer".

A problem may hold hundreds of thousands of builds, of which the search looks at a few thousand: all are checked, but
only those become Build objects.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import Any

from ..outside.fields import Fields, checked_text
from ..outside.relations import read_relations
from ..words.errors import ConvoyError, MalformedInput
from ..words.model import Base, Build, Channel
from ..words.ranges import ANY_VERSION, Range, parse_range
from ..words.versions import parse_version
from .answer import Answer, Solved
from .problem import Problem


class WireLibrary:
    """The `files` of a problem, read as they are asked for. Raises MalformedInput when any of them is wrong."""

    def __init__(self, files: Sequence[Any]) -> None:
        self._files: dict[str, list[Mapping[str, Any]]] = {}
        self._read: dict[str, list[Build]] = {}
        self._providers: dict[str, list[str]] = {}
        try:
            self._sort(files)
        except (TypeError, KeyError, AttributeError, ValueError, ConvoyError):
            # Something is wrong somewhere: now slowly, for an error that names the field.
            for index, one in enumerate(files):
                _read_build(Fields(one, f"files[{index}]"))
            raise

    def _sort(self, files: Sequence[Any]) -> None:
        """By mod. Texts are gathered first and each checked once: there are far fewer different ones than builds."""
        by_mod = self._files
        ranges: set[str] = {"*"}
        texts: set[str] = set()
        channels: set[str] = set()
        providers: dict[str, set[str]] = {}
        for one in files:
            by_mod.setdefault(one["mod"], []).append(one)
            texts.add(one["version"])
            if "games" in one:
                ranges.add(one["games"])
            if "needs" in one:
                ranges.update(one["needs"].values())
            if "channel" in one:
                channels.add(one["channel"])
            if "loaders" in one:
                ranges.update(one["loaders"].values())
            if "breaks" in one:
                ranges.update(one["breaks"].values())
            if "provides" in one:
                texts.update(one["provides"].values())
                for mod in one["provides"]:
                    if mod != one["mod"]:
                        providers.setdefault(mod, set()).add(one["mod"])
        for name in channels:
            Channel(name)
        for text in ranges:
            parse_range(text)
        for text in (*by_mod, *texts):
            checked_text(text)
        self._providers = {mod: sorted(others) for mod, others in providers.items()}

    def builds_of(self, mod: str) -> Sequence[Build]:
        found = self._read.get(mod)
        if found is None:
            found = self._read[mod] = [_quickly_read(one) for one in self._files.get(mod, ())]
        return found

    def providers_of(self, mod: str) -> Sequence[str]:
        return self._providers.get(mod, ())


def read_problem(text: str | bytes) -> Problem:
    """Read a problem. Raises MalformedInput with the field that is wrong."""
    try:
        top = Fields(json.loads(text))
    except (ValueError, RecursionError) as error:
        raise MalformedInput("The problem is no JSON.", str(error)) from error
    base = top.fields("base")
    loader_version = base.text("loader_version", "")
    return Problem(
        Base(
            "the game",
            parse_version(base.text("game")),
            base.text("loader", ""),
            parse_version(loader_version) if loader_version else None,
        ),
        WireLibrary(top.entries("files")),
        {mod: parse_range(text) for mod, text in top.texts("want").items()},
        {mod: parse_version(text) for mod, text in top.texts("keep").items()},
        frozenset(top.strings("refresh")),
    )


_CHANNELS = {one.value: one for one in Channel}
_NOTHING: dict[str, Any] = {}


def _quickly_read(one: Mapping[str, Any]) -> Build:
    """A build from an entry whose texts were checked."""
    provides = one.get("provides")
    return Build(
        one["mod"],
        parse_version(one["version"]),
        _CHANNELS[one.get("channel", "stable")],
        parse_range(one["games"]) if "games" in one else ANY_VERSION,
        _ranges(one.get("loaders")),
        _ranges(one.get("needs")),
        _ranges(one.get("breaks")),
        {mod: parse_version(text) for mod, text in provides.items()} if provides else _NOTHING,
    )


def _ranges(texts: dict[str, str] | None) -> dict[str, Range]:
    """Most builds say nothing of most relations: they share one empty answer."""
    return {key: parse_range(text) for key, text in texts.items()} if texts else _NOTHING


def _read_build(fields: Fields) -> Build:
    return Build(
        fields.text("mod"),
        parse_version(fields.text("version")),
        fields.one_of("channel", Channel, Channel.STABLE),
        **read_relations(fields),
    )


def write_answer(answer: Answer) -> dict[str, Any]:
    if isinstance(answer, Solved):
        return {"status": "solved", "lock": {mod: build.version.text for mod, build in answer.picks.items()}}
    because = [*answer.because, *(way.text for way in answer.ways_out)]
    return {"status": "impossible", "because": because, "core": list(answer.core)}
