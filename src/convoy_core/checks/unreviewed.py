"""A build of the crew's own whose claim only its uploader has looked at, where a crew wants a second pair of eyes.

What touches its player alone is matched by nobody, and what belongs to both sides runs on the server: both are easily
said, and trusted by everybody. What the archive's contents say against it is shown. Source: docs/rules.md, "Checks".
"""

from __future__ import annotations

from collections.abc import Collection

from ..conflicts.laying import Meeting
from ..lock.lock import LockedBuild
from ..words.model import Reach, Side
from ..words.wording import counted, listed
from .finding import Finding, Severity
from .subject import Subject

CHECK = "unreviewed"


def is_reviewed(side: Side, reach: Reach) -> bool:
    """Whether a claim is one that a second curator looks at."""
    return reach is Reach.OWN or side is Side.BOTH


def claim(side: Side, reach: Reach) -> str:
    """A claim in words, as far as it is looked at."""
    said = {
        "it touches its player alone": reach is Reach.OWN,
        "it belongs to players and the server": side is Side.BOTH,
    }
    return listed([words for words, is_said in said.items() if is_said])


def check(subject: Subject) -> list[Finding]:
    found = []
    for mod, waiting in sorted(subject.unreviewed.items()):
        build = subject.builds.get(mod)
        if build is None:
            continue
        no = f" {waiting.refused_by} said no: {waiting.note}" if waiting.refused_by else ""
        found.append(
            Finding(
                CHECK,
                Severity.BLOCKER,
                (mod, build.version),
                f"{build.name} {build.version} claims that {claim(build.side, build.reach)}, "
                "and no second curator has looked at that.",
                f"{waiting.by or 'Somebody'} uploaded it, and this crew wants a second pair of eyes.{no}",
                "A curator who did not upload it looks at what it holds, and says whether it is so.",
                mod,
                evidence=tuple(against(subject, build)),
                ways=subject.ways_without(mod),
            )
        )
    return found


def against(subject: Subject, build: LockedBuild) -> list[str]:
    """What a build's contents say against its claim, as sentences."""
    told = []
    marker = subject.unreviewed[build.mod].marker if build.mod in subject.unreviewed else {}
    for what, ours in (("side", build.side), ("reach", build.reach)):
        if (said := marker.get(what)) and said != ours:
            told.append(f"Its own marker says {what} “{said}”, not “{ours}”.")
    theirs = [one for one in subject.laid.meetings if build.mod in one.by and len(one.by) > 1]
    if build.reach is Reach.OWN:
        told += _changed(subject, build, theirs)
        data = [path for path in subject.hashes[build.mod] if subject.is_data(path)]
        if data:
            many = counted(len(data), "data file")
            told.append(f"It lays down {many}, {data[0]} among them: the game reads those for all.")
        enforced = [path for path in subject.hashes[build.mod] if subject.terms.enforced(path)]
        if enforced:
            told.append(f"The pack enforces settings in {enforced[0]}, which it lays down.")
    return told


def _changed(subject: Subject, build: LockedBuild, meetings: Collection[Meeting]) -> list[str]:
    by: dict[str, list[str]] = {}
    for meeting in meetings:
        for mod in meeting.by:
            if mod != build.mod and subject.builds[mod].must_match:
                by.setdefault(mod, []).append(meeting.path)
    return [
        f"It brings another {paths[0]} than {subject.name(mod)}, which must be the same for everyone"
        + (f"; {len(paths) - 1} more like it." if len(paths) > 1 else ".")
        for mod, paths in by.items()
    ]
