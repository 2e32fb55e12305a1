"""What an archive holds, judged before a byte of it is written: hostile or not, and which folder in it the game wants.

It is handed the archive's table of contents, as `Member`s, and never opens anything. Sources: docs/rules.md, "The
job" 4 and 5, docs/rules.md "Checks" (archive); the issue "Inspection". Reading archives is the agent's part, in
`convoy_io.archives`.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import islice

from ..words.errors import HostileArchive
from ..words.profile import KindLayout
from ..words.wording import counted
from .archive_root import roots_of
from .paths import checked_path, fold, refuse_twins

MAX_MEMBERS = 50_000
"""Files in one archive: ten times the largest mod that people make."""

MAX_UNPACKED = 20 * 2**30
"""Bytes that an archive may unpack to."""

MAX_RATIO = 200
"""Unpacked to packed bytes of a member above RATIO_FROM; honest data packs to a hundredth at the utmost."""

RATIO_FROM = 2**20

MAX_WHOLE_RATIO, WHOLE_FROM = 100, 64 * 2**20
"""The same for an archive as a whole, above so many bytes: many members that each grow by a little less."""

MAX_DEPTH = 24
"""Folders within folders."""

ARCHIVES = (".zip", ".7z", ".rar", ".tar", ".gz", ".xz", ".jar")
REFUSALS_TOLD = 20


@dataclass(frozen=True, slots=True)
class Member:
    """One entry of an archive's table of contents. Sizes in bytes."""

    path: str
    size: int
    packed: int
    is_link: bool = False
    is_encrypted: bool = False
    is_odd: bool = False
    """A pipe, a device, or what else is neither file nor folder nor link."""
    is_guessed: bool = False
    """Its archive does not say in which letters its name is written; it was read as UTF-8."""

    @property
    def is_folder(self) -> bool:
        return self.path.endswith("/")


@dataclass(frozen=True, slots=True)
class Refusal:
    """Why an archive must not be unpacked: the member, or empty for the whole, and what is wrong with it."""

    path: str
    why: str


@dataclass(frozen=True, slots=True)
class Inspection:
    """`root`: the folder of the archive that is laid down, empty for its top, None when that cannot be told.

    `notes` are no reason to refuse: something lies too deep, differs in case, is an archive in the archive.
    """

    files: int
    unpacked: int
    refusals: tuple[Refusal, ...]
    roots: tuple[str, ...]
    root: str | None
    left_out: int
    notes: tuple[str, ...]

    @property
    def is_fine(self) -> bool:
        return not self.refusals and self.root is not None


def refusals_of(members: Sequence[Member]) -> tuple[Refusal, ...]:
    """What is hostile in a table of contents, whatever its kind: the first few. Never raises."""
    return tuple(islice(_refusals(members), REFUSALS_TOLD))


def inspect_members(
    members: Sequence[Member], layout: KindLayout, refusals: tuple[Refusal, ...] | None = None
) -> Inspection:
    """Judges a table of contents for one kind of content. Never raises: everything wrong is told, by name.

    `refusals`: where several kinds are tried, what `refusals_of` said; it is the same for all.
    """
    files = [member for member in members if not member.is_folder]
    refusals = refusals_of(members) if refusals is None else refusals
    paths = [member.path for member in files]
    roots = () if refusals else roots_of(paths, layout)
    root = roots[0] if len(roots) == 1 else None
    left_out = 0 if root is None else sum(not path.startswith(root) for path in paths)
    guessed = [member.path for member in files if member.is_guessed]
    notes = () if refusals else tuple(_notes(paths, layout, roots, root, left_out, guessed))
    return Inspection(len(files), sum(member.size for member in files), refusals, roots, root, left_out, notes)


def _refusals(members: Sequence[Member]) -> Iterable[Refusal]:
    if not members:
        yield Refusal("", "It is empty.")
    if len(members) > MAX_MEMBERS:
        yield Refusal("", f"It holds {len(members)} entries; {MAX_MEMBERS} is the most.")
        return
    total, packed = sum(member.size for member in members), sum(member.packed for member in members)
    if total > MAX_UNPACKED:
        yield Refusal("", f"It would unpack to {total // 2**30} GB; {MAX_UNPACKED // 2**30} is the most.")
    elif total > WHOLE_FROM and total > MAX_WHOLE_RATIO * max(1, packed):
        yield Refusal("", f"It would grow from {packed // 2**20} to {total // 2**20} MB.")
    folders = {fold(member.path.rstrip("/")) for member in members if member.is_folder}
    safe = []
    for member in members:
        if why := _hostile(member):
            yield Refusal(member.path[:300], why)
        elif not member.is_folder:
            safe.append(member.path)
            if fold(member.path) in folders:
                yield Refusal(member.path[:300], "It is both a file and a folder.")
    try:
        refuse_twins(safe)
    except HostileArchive as error:
        yield Refusal(str(error.data.get("path", "")), error.sentence())


def _hostile(member: Member) -> str:
    try:
        checked_path(member.path.rstrip("/") or "/")
    except HostileArchive as error:
        return error.why
    if member.is_link:
        return "It is a link, which could point anywhere."
    if member.is_odd:
        return "It is a pipe, a device or a socket, which no archive of a mod needs."
    if member.is_encrypted:
        return "It is encrypted, so nobody can see what it is."
    if member.path.count("/") > MAX_DEPTH:
        return f"It lies more than {MAX_DEPTH} folders deep."
    if member.size > RATIO_FROM and member.size > MAX_RATIO * max(1, member.packed):
        return f"It would grow to {member.size // 2**20} MB from {member.packed} bytes."
    return ""


def _notes(
    paths: Sequence[str],
    layout: KindLayout,
    roots: Sequence[str],
    root: str | None,
    left_out: int,
    guessed: Sequence[str],
) -> Iterable[str]:
    if not roots:
        yield f"No folder in it holds a {layout.marker}, so the game would not see it."
    elif root is None:
        yield f"{counted(len(roots), 'folder')} could be meant: {', '.join(one or 'the top' for one in roots[:5])}."
    elif root:
        yield f"The game wants the folder “{root.rstrip('/')}”, {counted(root.count('/'), 'level')} down."
    if root and left_out:
        yield f"{counted(left_out, 'file')} beside that folder would be left out."
    name = layout.folder
    odd = {part for path in paths for part in path.split("/")[:-1] if part != name and part.casefold() == name}
    for part in sorted(odd):
        yield f"Its folder “{part}” is written “{name}” by the game; on some systems these are two."
    if guessed:
        count = counted(len(guessed), "name")
        yield f"It does not say in which letters {count} are written; they were read as UTF-8: {guessed[0]}."
    nested = [path for path in paths if path.lower().endswith(ARCHIVES)]
    if nested:
        yield f"It holds {counted(len(nested), 'archive')} within: {', '.join(nested[:3])}. They stay as they are."


@dataclass(frozen=True, slots=True)
class ArchiveFolder:
    """A folder of an archive: its path without a slash at the end, and what lies in it at any depth. Size in bytes."""

    path: str
    files: int
    size: int


TREE_DEPTH, TREE_MOST = 4, 120
"""How much of an archive's tree is shown to somebody who is to choose from it."""


def folders_of(members: Sequence[Member]) -> tuple[ArchiveFolder, ...]:
    """The folders near an archive's top, sorted; at most TREE_MOST."""
    found: dict[str, list[int]] = {}
    for member in members:
        parts = member.path.split("/")[:-1]
        for depth in range(1, min(len(parts), TREE_DEPTH) + 1):
            of = found.setdefault("/".join(parts[:depth]), [0, 0])
            of[0] += not member.is_folder
            of[1] += member.size
    return tuple(ArchiveFolder(path, *found[path]) for path in sorted(found)[:TREE_MOST])
