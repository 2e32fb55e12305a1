"""Which paths may be placed in an installation. The one gate for archives, locks and folders alike.

A path is relative, with forward slashes, and means the same file on Linux, macOS and Windows; anything else is hostile
until proven otherwise, and is refused by name.
"""

from __future__ import annotations

import re
from collections.abc import Iterable

from .errors import HostileArchive

MAX_PATH_LENGTH = 220
"""Characters. Windows takes 260 for a whole path; what is left is the member's own folder."""

AGENT_FOLDER = ".convoy"
"""The agent's own folder inside an installation: no build may place a file there."""

_FORBIDDEN = re.compile(r'[\x00-\x1f\x7f\\:*?"<>|]')
_DEVICE = re.compile(r"(?:con|prn|aux|nul|com[0-9¹²³]|lpt[0-9¹²³])(?:\..*)?", re.IGNORECASE)


def checked_path(path: str) -> str:
    """The path itself when it is safe to place. Raises HostileArchive with the path and what is wrong with it."""
    if wrong := _what_is_wrong(path):
        raise HostileArchive(
            f"“{path[:80]}” cannot be placed.", f"{wrong}.", "The archive is refused as a whole.", path=path[:300]
        )
    return path


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
    if any(part[-1] in " ." for part in parts):
        return "A part ends in a space or a full stop, which two systems read differently"
    if any(_DEVICE.fullmatch(part) for part in parts):
        return "A part is the name of a device on some systems"
    if parts[0].casefold() == AGENT_FOLDER:
        return "It lies in the agent's own folder"
    return ""


def refuse_twins(paths: Iterable[str]) -> None:
    """Raises HostileArchive when two paths are one file where case does not count, or one is the other's folder."""
    seen: dict[str, str] = {}
    for path in paths:
        folded = path.casefold()
        if folded in seen:
            raise HostileArchive(
                f"“{path[:80]}” and “{seen[folded][:80]}” are one file on some systems.",
                "They differ by letter case only.",
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
