"""Files that the agent keeps for itself: each with the version of its form and a checksum, swapped in as a whole.

    true-convoy record 2 sha256:4f1c…
    {"release": "1.2.0", …}

One that was altered, cut short or mixed up is *damaged*: it is never half believed. Files of earlier agents had no
first line; they are read as form 1. What follows from a loss is the reader's to say: nothing is guessed here.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

from ..errors import TooNew
from .files import write_at_once

FORM = 2
"""The version that is written. A newer agent's file is refused, not taken for damaged."""

TWIN = ".twin"
"""Ends the name of the second copy of a file that nothing else could replace."""


Thing = TypeVar("Thing")


class Damaged(Exception):
    """A file of the agent's own does not hold what was written to it. `place` says which."""

    def __init__(self, place: Path) -> None:
        super().__init__(str(place))
        self.place = place


def write(place: Path, body: Any, private: bool = False, twin: bool = False) -> None:
    """`twin`: a second copy is kept beside it. The name of the file is the name of its form."""
    data = json.dumps(body, separators=(",", ":")).encode()
    head = f"true-convoy {place.stem} {FORM} sha256:{hashlib.sha256(data).hexdigest()}\n"
    for each in (place, twin_of(place)) if twin else (place,):
        write_at_once(each, head.encode() + data, private)


def read(
    place: Path, parse: Callable[[Any], Thing] = lambda body: body, private: bool = False, twin: bool = False
) -> Thing:
    """What `parse` makes of what was written. Raises FileNotFoundError, Damaged, TooNew.

    What `parse` cannot read (KeyError, TypeError, ValueError, AttributeError) is damaged, too. A lost or damaged file
    that has a twin is put back from it.
    """
    try:
        return _read(place, place.stem, parse)
    except (FileNotFoundError, Damaged) as lost:
        if not twin:
            raise
        try:
            found = _read(twin_of(place), place.stem, parse)
        except (FileNotFoundError, Damaged):
            raise lost from None
    write_at_once(place, twin_of(place).read_bytes(), private)
    return found


def twin_of(place: Path) -> Path:
    return place.with_name(place.name + TWIN)


def _read(place: Path, name: str, parse: Callable[[Any], Thing]) -> Thing:
    try:
        return parse(_body(place, name))
    except (KeyError, TypeError, ValueError, AttributeError) as error:
        raise Damaged(place) from error


def _body(place: Path, name: str) -> Any:
    try:
        data = place.read_bytes()
    except IsADirectoryError as error:
        raise Damaged(place) from error
    if data[:1] in (b"{", b"["):
        return _parsed(place, data)
    head, _, body = data.partition(b"\n")
    words = head.decode("ascii", "replace").split()
    if len(words) != 4 or words[:2] != ["true-convoy", name] or not words[2].isdecimal():
        raise Damaged(place)
    if int(words[2]) > FORM:
        raise TooNew(
            f"{place} was written by a newer agent.",
            "This one does not know its form, and would spoil it.",
            "Install the newest agent, then go on.",
        )
    if words[3] != f"sha256:{hashlib.sha256(body).hexdigest()}":
        raise Damaged(place)
    return _parsed(place, body)


def _parsed(place: Path, data: bytes) -> Any:
    try:
        return json.loads(data)
    except (ValueError, RecursionError) as error:
        raise Damaged(place) from error
