"""Which paths may be placed in an installation. The one gate for archives, locks and folders alike.

A path is relative, with forward slashes, and means the same file on Linux, macOS and Windows; anything else is hostile
until proven otherwise, and is refused by name.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Iterator, Mapping
from typing import TypeVar

from ..words.errors import HostileArchive

MAX_PATH_LENGTH = 220
"""Characters. Windows takes 260 for a whole path; what is left is the member's own folder."""

MAX_NAME_BYTES = 240
"""Bytes of one name in UTF-8. Most systems take 255; the agent adds an ending to some while it works."""

AGENT_FOLDER = ".convoy"
"""The agent's own folder inside an installation: no build may place a file there."""

_UNSEEN = re.compile("[\u200c-\u200f\u202a-\u202e\u206a-\u206f\ufeff]")
"""Signs that one system passes over in names: with one of them in it, another name is the agent's folder there."""

_SHORT_OWN = re.compile(r"convoy~[0-9]+", re.IGNORECASE)
"""How one system may call the agent's folder for short."""

LITTER = frozenset(
    {
        "lost+found", ".ds_store", ".appledouble", ".spotlight-v100", ".fseventsd", ".trashes", ".temporaryitems",
        "thumbs.db", "ehthumbs.db", "desktop.ini", "$recycle.bin", "system volume information", ".directory",
    }
)  # fmt: skip
"""Names, folded, that systems leave in folders by themselves: nobody's difference, whatever lies below them."""

_LITTER = re.compile(r"\._.+|\.trash-\d+|\.nfs[0-9a-f]{16,}|\.fuse_hidden[0-9a-f]+", re.IGNORECASE)

_FORBIDDEN = re.compile(r'[\x00-\x1f\x7f\\:*?"<>|\ud800-\udfff]')
_DEVICE = re.compile(r"(?:con|prn|aux|nul|conin\$|conout\$|com[0-9¹²³]|lpt[0-9¹²³]) *(?:\..*)?", re.IGNORECASE)
_SHORT = re.compile(r"[^.~]{1,6}~[0-9]{1,4}(?:\.[^.]{0,3})?")
"""How some systems call a file with a longer name for short: it would be laid over that other file."""


def checked_path(path: str) -> str:
    """The path itself when it is safe to place. Raises HostileArchive with the path and what is wrong with it."""
    if wrong := _what_is_wrong(path):
        raise HostileArchive(
            f"“{path[:80]}” cannot be placed.", f"{wrong}.", "The archive is refused as a whole.", path=path[:300]
        )
    return path


def is_safe(path: str) -> bool:
    """Whether a path may be placed on every system."""
    return not _what_is_wrong(path)


def own_name(path: str) -> str:
    """A path that a member's own file has, when it cannot lead out of the installation. Their names are not judged as
    an archive's are: what lies there already may be called anything. Raises HostileArchive: it came from no scan.
    """
    parts = path.split("/")
    if "\0" in path or any(part in ("", ".", "..") for part in parts) or is_agents(parts[0]):
        raise HostileArchive(f"“{path[:80]}” is no file of this folder.", "It would lead out of it.", path=path[:300])
    return path


def is_agents(name: str) -> bool:
    """Whether some system takes this name for the agent's own folder."""
    return _UNSEEN.sub("", name).casefold().rstrip(" .") == AGENT_FOLDER or bool(_SHORT_OWN.fullmatch(name))


def is_litter(path: str) -> bool:
    """Whether a file is one that a system left there by itself, or lies in such a folder."""
    return any(part.casefold() in LITTER or _LITTER.fullmatch(part) for part in path.split("/"))


def _what_is_wrong(path: str) -> str:
    if not path or len(path) > MAX_PATH_LENGTH:
        return f"A path has 1 to {MAX_PATH_LENGTH} characters"
    if path.startswith("/"):
        return "It is absolute, so it would leave the installation's folder"
    if _FORBIDDEN.search(path):
        return "It holds characters that not every system takes in a name"
    parts = path.split("/")
    if any(part == ".." for part in parts):
        return "It climbs out of the installation's folder"
    if any(part in ("", ".") for part in parts):
        return "It holds an empty part"
    if any(len(part.encode()) > MAX_NAME_BYTES for part in parts):
        return f"A part is longer than {MAX_NAME_BYTES} bytes, more than every system takes in a name"
    if any(part[-1] in " ." for part in parts):
        return "A part ends in a space or a full stop, which two systems read differently"
    if any(_DEVICE.fullmatch(part) for part in parts):
        return "A part is the name of a device on some systems"
    if any(_SHORT.fullmatch(part) for part in parts):
        return "A part is what some systems call another file for short"
    if is_agents(parts[0]):
        return "It lies in the agent's own folder"
    return ""


def refuse_twins(paths: Iterable[str]) -> None:
    """Raises HostileArchive when two paths are one file on some systems, or one is the other's folder."""
    seen: dict[str, str] = {}
    for path in paths:
        folded = fold(path)
        if folded in seen:
            by_case = path.casefold() == seen[folded].casefold()
            raise HostileArchive(
                f"“{path[:80]}” and “{seen[folded][:80]}” are one file on some systems.",
                f"They differ by {'letter case' if by_case else 'how an accent is written'} only.",
                path=path,
            )
        seen[folded] = path
    for folded, path in seen.items():
        folder = folded.rpartition("/")[0]
        while folder:
            if folder in seen:
                raise HostileArchive(
                    f"“{seen[folder][:80]}” is both a file and a folder.", f"“{path[:80]}” lies in it.", path=path
                )
            folder = folder.rpartition("/")[0]


def fold(path: str) -> str:
    """What paths have in common that are one file where neither case nor the writing of accents counts."""
    return unicodedata.normalize("NFC", unicodedata.normalize("NFC", path).casefold())


Thing = TypeVar("Thing")


def respelled(found: Mapping[str, Thing], wanted: Iterable[str]) -> dict[str, Thing]:
    """What was found, by paths as `wanted` spells them: for folders on systems that do not tell cases apart.

    A path is respelled as far as `wanted` knows its folders; what lies in them keeps its own spelling from there on.
    """
    names = {fold(prefix): prefix for path in wanted for prefix in _prefixes(path)}
    return {_respell(path, names): thing for path, thing in found.items()}


def _respell(path: str, names: Mapping[str, str]) -> str:
    known = next((prefix for prefix in _prefixes(path) if fold(prefix) in names), "")
    return names[fold(known)] + path[len(known) :] if known else path


def _prefixes(path: str) -> Iterator[str]:
    """The path, then the folders that it lies in, the nearest first."""
    while path:
        yield path
        path = path.rpartition("/")[0]
