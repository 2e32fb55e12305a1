"""Recognises what lies in a folder that somebody filled by hand: known builds, strangers, left-overs, doubles.

Works on a listing (paths, sizes, hashes), never on files. A build is recognised by its hashes alone, wherever it lies
and whatever its folder is called. Source: docs/rules.md, "The job" 2, docs/rules.md, "Sync".
"""

from __future__ import annotations

import codecs
import json
import re
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import takewhile

from ..words.errors import MalformedInput
from ..words.model import CarriedFile
from ..words.profile import GameProfile
from ..words.versions import Version, parse_version
from .fields import checked_text
from .paths import AGENT_FOLDER

FORMAT = "convoy-listing/1"

MAX_FILES = 200_000
"""Files of one listing: twenty of the largest installations that people have."""

MARKS = 3
MOST = 0.5
"""With this share of a build's files a folder is taken for that build, with less for a remnant of it."""

MAX_PLACES = 12
"""Places of one hash that are looked at: the same small file may lie in every mod."""

PACKED = (".zip", ".jar", ".7z", ".rar")

_SUM = re.compile(r"\\?([0-9a-fA-F]{64}) [ *](.+)")


def largest_hashes(files: Iterable[CarriedFile]) -> list[int]:
    """What a build is recognised by: its largest files' hashes, cut to 64 signed bits."""
    return sorted({short_hash(file.sha256) for file in _largest(files)})


def _largest(files: Iterable[CarriedFile]) -> list[CarriedFile]:
    return sorted((file for file in files if file.size), key=lambda file: (-file.size, file.path))[:MARKS]


def short_hash(sha256: str) -> int:
    return int.from_bytes(bytes.fromhex(sha256[:16]), signed=True)


def read_listing(data: bytes) -> tuple[CarriedFile, ...]:
    """A listing as `convoy scan` writes it (JSON), or as `sha256sum` does (then sizes are 0). Raises MalformedInput."""
    # Windows' older shell writes what is sent to a file as UTF-16.
    encoding = "utf-16" if data.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)) else "utf-8-sig"
    try:
        text = data.decode(encoding)
    except UnicodeDecodeError as error:
        raise _no_listing("Its bytes are no text in Unicode.") from error
    files = _from_json(text) if text.lstrip().startswith("{") else _from_sums(text)
    if len(files) > MAX_FILES:
        raise _no_listing(f"It names {len(files)} files; {MAX_FILES} is the most. Choose the game's folder alone.")
    if not files:
        raise _no_listing("It names no file.")
    return tuple(file for file in files if not file.path.startswith(f"{AGENT_FOLDER}/"))


def _from_json(text: str) -> list[CarriedFile]:
    try:
        told = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise _no_listing("It is no whole JSON.") from error
    rows = told.get("files")
    if told.get("format") != FORMAT or not isinstance(rows, list):
        raise _no_listing(f"It is not of the format {FORMAT}.")
    return [_row(row) for row in rows[: MAX_FILES + 1]]


def _row(row: object) -> CarriedFile:
    match row:
        case [str(path), int(size), str(sha256)] if size >= 0 and re.fullmatch("[0-9a-f]{64}", sha256):
            return CarriedFile(checked_text(path, 1_000, "files"), size, sha256)
    raise _no_listing("A row of it is not path, size and sha256.")


def _from_sums(text: str) -> list[CarriedFile]:
    found = []
    for line in text.splitlines()[: MAX_FILES + 1]:
        if not line.strip():
            continue
        match = _SUM.fullmatch(line)
        if not match:
            raise _no_listing(f"This line is no checksum: “{line[:60]}”.")
        # No file of a pack has a backslash in its name: it stands between folders, and twice where the line begins so.
        path = re.sub(r"\\+", "/", checked_text(match[2], 1_000, "files")).removeprefix("./")
        found.append(CarriedFile(path, 0, match[1].lower()))
    return found


def _no_listing(why: str) -> MalformedInput:
    return MalformedInput("This is no listing of a folder.", why, "Make one with `convoy scan FOLDER`.")


@dataclass(frozen=True, slots=True)
class Known:
    """A build that some file of the listing speaks for. `files` are relative to the folder that the game wants."""

    mod: str
    version: str
    archive: str
    files: tuple[CarriedFile, ...]


@dataclass(frozen=True, slots=True)
class Found:
    """A build that lies in the folder, at `place`. `altered`: files of it with other content; `missing`: not there."""

    mod: str
    version: str
    place: str
    files: int
    altered: tuple[str, ...] = ()
    missing: int = 0

    @property
    def is_whole(self) -> bool:
        return not self.altered and not self.missing


@dataclass(frozen=True, slots=True)
class Stranger:
    """A folder or archive where mods lie that no known build explains."""

    place: str
    files: int
    size: int


@dataclass
class TakenOver:
    """`doubles` are other copies of what is in `found`, `remnants` too little of a build to be it, `left_over` what the
    game does not load, `others` how many files lie outside of the folders that packs manage.
    """

    found: list[Found] = field(default_factory=list)
    doubles: list[Found] = field(default_factory=list)
    remnants: list[Found] = field(default_factory=list)
    strangers: list[Stranger] = field(default_factory=list)
    left_over: list[str] = field(default_factory=list)
    others: int = 0


def recognise(files: Sequence[CarriedFile], known: Iterable[Known], profile: GameProfile) -> TakenOver:
    """What a listing comes to. Deterministic: whole builds first, then the larger share, then the newer version."""
    by_hash: dict[str, list[str]] = {}
    for file in files:
        by_hash.setdefault(file.sha256, []).append(file.path)
    there = {file.path: file.sha256 for file in files}
    claimed: set[str] = set()
    folders: set[str] = set()
    """Every folder around something claimed."""
    taken = TakenOver()
    versions: dict[str, Version] = {}
    sightings: list[_Sighting] = []
    for build in known:
        versions.setdefault(build.version, parse_version(build.version))
        for path in sorted(by_hash.get(build.archive, ())):
            taken.found.append(Found(build.mod, build.version, path, 1))
            claimed.add(path)
        sightings += _sightings(build, by_hash, there)
    # By version first, then stably by share: of equal shares the newest comes first.
    sightings.sort(key=lambda one: (one.build.mod, one.place))
    sightings.sort(key=lambda one: versions[one.build.version], reverse=True)
    sightings.sort(key=lambda one: (one.share, len(one.same)), reverse=True)
    for one in sightings:
        free = one.same - claimed
        # A few equal files in or around a recognised build are no remnant of another.
        if len(free) * 2 <= len(one.same) or (one.share < MOST and (not one.place or one.place in folders)):
            continue
        found = Found(one.build.mod, one.build.version, one.place, len(one.same), one.altered, one.missing)
        (taken.found if one.share >= MOST else taken.remnants).append(found)
        claimed |= one.same | set(one.altered)
        folders |= {folder for path in one.same for folder in _folders(path)}
    _set_doubles_apart(taken, versions)
    _judge_the_rest([file for file in files if file.path not in claimed], taken, profile)
    return taken


@dataclass(frozen=True)
class _Sighting:
    build: Known
    place: str
    same: frozenset[str]
    altered: tuple[str, ...]
    missing: int

    @property
    def share(self) -> float:
        return len(self.same) / (len(self.same) + len(self.altered) + self.missing)


def _folders(path: str) -> Iterable[str]:
    parts = path.split("/")
    return ("/".join(parts[:depth]) for depth in range(1, len(parts)))


def _sightings(build: Known, by_hash: Mapping[str, Sequence[str]], there: Mapping[str, str]) -> Iterable[_Sighting]:
    """Every place where a build seems to lie, by the places of its largest files."""
    roots = {
        _roots(file.path, path)
        for file in _largest(build.files)
        for path in sorted(by_hash.get(file.sha256, ()))[:MAX_PLACES]
    }
    for inside, outside in sorted(roots):
        members = [file for file in build.files if file.path.startswith(inside)]
        placed = {outside + file.path.removeprefix(inside): file.sha256 for file in members}
        not_there = len(build.files) - len(placed)
        same = frozenset(path for path, sha256 in placed.items() if there.get(path) == sha256)
        altered = tuple(sorted(path for path in placed if path in there and path not in same))
        if same:
            yield _Sighting(
                build,
                outside.rstrip("/") or _shared_folder(same),
                same,
                altered,
                not_there + len(placed) - len(same) - len(altered),
            )


def _roots(member: str, path: str) -> tuple[str, str]:
    """What is left of a member's and of a file's path without the end that they share: both empty, or ending in `/`."""
    inside, outside = member.split("/"), path.split("/")
    while inside and outside and inside[-1] == outside[-1]:
        inside.pop()
        outside.pop()
    if len(inside) == member.count("/") + 1:
        # Not even the file's name is the same: it was renamed, and only its folder can be compared.
        inside.pop()
        outside.pop()
    return "".join(f"{part}/" for part in inside), "".join(f"{part}/" for part in outside)


def _shared_folder(paths: Collection[str]) -> str:
    first, last = (path.split("/")[:-1] for path in (min(paths), max(paths)))
    shared = takewhile(lambda pair: pair[0] == pair[1], zip(first, last, strict=False))
    return "/".join(one for one, _ in shared)


def _set_doubles_apart(taken: TakenOver, versions: Mapping[str, Version]) -> None:
    """Of several copies of a mod the whole and newest stays; the others are named."""
    best: dict[str, Found] = {}
    for one in sorted(taken.found, key=lambda one: (one.is_whole, versions[one.version]), reverse=True):
        best.setdefault(one.mod, one)
    taken.doubles = sorted(
        (one for one in taken.found if best[one.mod] is not one), key=lambda one: (one.mod, one.place)
    )
    taken.found = sorted(best.values(), key=lambda one: one.mod)


def _judge_the_rest(files: Sequence[CarriedFile], taken: TakenOver, profile: GameProfile) -> None:
    """Strangers: what the game would load. Left over: what lies in its folders and would not be loaded."""
    markers = {layout.place.split("/")[0]: layout.marker for layout in profile.kinds.values() if layout.place}
    tops = set(profile.managed)
    groups: dict[str, list[CarriedFile]] = {}
    for file in files:
        parts = file.path.split("/")
        at = next((place for place, part in enumerate(parts[:-1]) if part in tops), None)
        if at is None:
            taken.others += 1
        else:
            groups.setdefault("/".join(parts[: at + 2]), []).append(file)
    for place, members in sorted(groups.items()):
        top = place.split("/")[-2]
        marker = markers.get(top, "")
        is_file = len(members) == 1 and members[0].path == place
        loads = place.casefold().endswith(PACKED) if is_file else not marker or _holds(members, marker)
        if loads:
            taken.strangers.append(Stranger(place, len(members), sum(one.size for one in members)))
        else:
            taken.left_over += sorted(one.path for one in members)


def _holds(members: Iterable[CarriedFile], marker: str) -> bool:
    return any(one.path.endswith(f"/{marker}") for one in members)
