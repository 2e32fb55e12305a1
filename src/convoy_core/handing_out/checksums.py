"""`SHA256SUMS` of an installation: laid in its folder, `sha256sum -c` says what is missing or altered.

What is a member's own there is not listed: settings, what a step by hand changes, worlds. Source: docs/rules.md,
"The job" 9 and 11.
"""

from __future__ import annotations

from ..lock.in_worlds import in_worlds
from ..lock.lock import Lock

NAME = "SHA256SUMS"


def checksums(share: Lock) -> str:
    """`share`: what belongs on one machine. Paths of a lock hold nothing that would have to be escaped."""
    terms = share.terms
    listed = [
        f"{file.sha256}  {file.path}\n"
        for file in in_worlds(share, {}, ()).files
        if not terms.is_settings(file.path) and file.path not in terms.by_hand
    ]
    return "".join(listed)
