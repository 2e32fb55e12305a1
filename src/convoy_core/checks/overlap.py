"""Two builds place the same path with different content: the later in order wins. Equal content is no conflict."""

from __future__ import annotations

from ..lock.lock import LockedBuild, PlacedFile
from .finding import Finding, Severity, Subject


def check(subject: Subject) -> list[Finding]:
    holder: dict[str, tuple[LockedBuild, PlacedFile]] = {}
    clashes: dict[tuple[str, str], list[str]] = {}
    names: dict[str, str] = {}
    for build, files in subject.layers:
        names[build.mod] = build.name
        for file in files:
            earlier = holder.get(file.path)
            if earlier and earlier[1].sha256 != file.sha256:
                clashes.setdefault((earlier[0].mod, build.mod), []).append(file.path)
            holder[file.path] = (build, file)
    return [
        Finding(
            "overlap",
            Severity.WARNING,
            winner,
            f"{names[winner]} replaces {_count(paths)} of {names[loser]}.",
            "Both carry them with different content, and the later in order wins.",
            "Remove one of them if the wrong one wins.",
            tuple(paths),
        )
        for (loser, winner), paths in clashes.items()
    ]


def _count(paths: list[str]) -> str:
    return "one file" if len(paths) == 1 else f"{len(paths)} files"
