"""Shapes of findings, the ways to mend them, overlaps, and what is set aside."""

from typing import Annotated

from pydantic import Field

from convoy_core.checks import Severity

from ...shapes import Schema, Short
from .edits import MAX_LIST, EditIn

FindingId = Annotated[str, Field(min_length=1, max_length=600)]


class WayOut(Schema):
    """A way to mend a finding: edits of the draft. `is_choice`: it is for a person to decide."""

    text: str
    edits: list[Annotated[EditIn, Field(discriminator="do")]]
    is_choice: bool


class LaidDownOut(Schema):
    because: str
    by: str
    at: str


class FindingOut(Schema):
    """`mark` changes with the evidence; `pair`: two mods whose files can be looked at side by side; `may_be_safe`: it
    has a way that may change nothing else. Evidence and ways are asked for one by one.
    """

    id: str
    mark: str
    check: str
    severity: Severity
    mod: str
    what: str
    why: str
    now: str
    may_be_safe: bool
    pair: list[str]
    laid_down: LaidDownOut | None


class OpenedOut(Schema):
    evidence: list[str]
    ways: list[WayOut]


class CheckedOut(Schema):
    """`reading`: files are being read just now; `unread`: files in a conflict that are not read yet."""

    revision: int
    findings: list[FindingOut]
    reading: bool
    unread: int
    read: int


class FindingIn(Schema):
    finding: FindingId


class TriedOut(Schema):
    """A rehearsed way, told in one line. `mends`: the finding would be gone."""

    text: str
    line: str
    mends: bool
    is_safe: bool


class MendIn(Schema):
    revision: Annotated[int, Field(ge=0, lt=2**31)]
    rehearse: bool = False


class MendedOut(Schema):
    what: str
    way: str


class MendOut(Schema):
    revision: int
    mended: list[MendedOut]


class OverlapNode(Schema):
    """A mod that meets another: its place in the order, and how many files it lays down."""

    mod: str
    name: str
    order: int
    files: int


class OverlapPair(Schema):
    """`one` comes before `other`. `won_by_other`: paths of the pair that `other` holds. `names`: what both change by
    their own word. `decided`: paths for which somebody named the winner.
    """

    one: str
    other: str
    paths: int
    keys: int
    lost: int
    unread: int
    won_by_other: int
    decided: int
    names: list[str]


class OverlapOut(Schema):
    nodes: list[OverlapNode]
    pairs: list[OverlapPair]


class MetKeyOut(Schema):
    """`values`: mod to its value as text; None: it does not set the key. `holds`: the value that is there."""

    key: str
    values: dict[str, str | None]
    holds: str | None


class MetPathOut(Schema):
    path: str
    by: list[str]
    winner: str
    decided: bool
    is_readable: bool
    trouble: str
    keys: list[MetKeyOut]


class PairOut(Schema):
    """Two mods side by side. `turned`: what laying `other` before `one` would turn round: paths."""

    one: str
    other: str
    one_name: str
    other_name: str
    paths: list[MetPathOut]
    more: int
    turned: int
    turned_with: list[str]
    patches: list[str]


class ListIn(Schema):
    text: Annotated[str, Field(max_length=MAX_LIST)]


class CaughtOut(Schema):
    line: int
    pattern: str
    trouble: str
    files: int
    size: int


class AsideOut(Schema):
    """A list of what is set aside, line by line, with all that it catches. `refused`: why it cannot be kept."""

    text: str
    lines: list[CaughtOut]
    files: int
    size: int
    refused: str


class BuildPartOut(Schema):
    id: str
    name: str
    folders: list[str]
    laid: bool
    default: bool
    files: int
    size: int
    needs: dict[str, str]
    breaks: dict[str, str]
    by_crew: bool


class TreeFileOut(Schema):
    """A file of a build by its path below the build's own top; `laid`: whether the draft lays it down."""

    path: str
    size: int
    laid: bool


class PartsOut(Schema):
    """What of a build is laid down: its parts, what the curator chose, and its tree of files."""

    mod: str
    version: str
    parts: list[BuildPartOut]
    only: list[str]
    leave_out: list[str]
    files: list[TreeFileOut]
    more: int
    laid: int
    laid_size: int
    in_all: int
    size: int


class OwnFileOut(Schema):
    path: str
    size: int
    sha256: str
    by: str
    at: str
    is_text: bool


class OwnFilesOut(Schema):
    files: list[OwnFileOut]
    size: int


class LaidIn(Schema):
    """A file that is laid over everything: its name, and the folder of the installation. `unpack`: it is a ZIP whose
    members are meant.
    """

    name: Short
    revision: Annotated[int, Field(ge=0, lt=2**31)]
    folder: Short = ""
    unpack: bool = False


class OwnTextIn(Schema):
    revision: Annotated[int, Field(ge=0, lt=2**31)]
    path: Annotated[str, Field(min_length=1, max_length=220)]
    text: Annotated[str, Field(max_length=2_000_000)]


class OwnTextOut(Schema):
    text: str


class OwnVersionOut(Schema):
    sha256: str
    size: int
    by: str
    at: str
    revision: int
