"""A build whose archive has another hash than the release that members have recorded: one version, two contents."""

from __future__ import annotations

from .finding import Finding, Severity
from .subject import Subject


def check(subject: Subject) -> list[Finding]:
    before = subject.before.by_mod if subject.before else {}
    return [
        Finding(
            "other-archive",
            Severity.WARNING,
            (build.mod, build.version),
            f"{build.name} {build.version} is not the file that the last release recorded.",
            "Its source changed the archive without changing the version.",
            "Look at what changed before you publish it.",
            build.mod,
            evidence=(f"recorded: {was.archive.sha256}", f"listed now: {build.archive.sha256}"),
            ways=subject.ways_without(build.mod),
        )
        for build, _ in subject.layers
        if (was := before.get(build.mod))
        and was.version == build.version
        and was.archive.sha256 != build.archive.sha256
    ]
