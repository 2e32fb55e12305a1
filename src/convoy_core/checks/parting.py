"""The edit that leaves something of a build out, beside what is left out of it already."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from .subject import Subject


def without(subject: Subject, mod: str, part: str = "", paths: Sequence[str] = ()) -> dict[str, Any]:
    """`part`: a named part; `paths`: files, as they would lie in an installation."""
    build = subject.builds[mod]
    top = subject.top(mod)
    claimed = {pattern for one in build.claims.parts for pattern in one.patterns}
    named = {one.id: not set(one.patterns) <= set(build.laid.leave_out) for one in build.claims.parts}
    if part:
        named[part] = False
    rest = [pattern for pattern in build.laid.leave_out if pattern not in claimed]
    out = [*rest, *(path.removeprefix(top) for path in paths)]
    return {"do": "parts", "mod": mod, "named": named, "only": list(build.laid.only), "leave_out": out}
