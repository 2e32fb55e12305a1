"""What a licence allows a crew to do with a build. Licences are named by SPDX identifiers, or by `LicenseRef-…`.

No legal advice: what is told is the gist, and where a licence is not known here, nothing is passed on.
Source: docs/rules.md, "The job" 9.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import StrEnum


class PassingOn(StrEnum):
    """Whether others than the author may hand the file out."""

    ALLOWED = "allowed"
    FORBIDDEN = "forbidden"
    UNKNOWN = "unknown"


@dataclass(frozen=True, slots=True)
class Meaning:
    passing_on: PassingOn
    sentence: str

    @property
    def may_be_carried(self) -> bool:
        return self.passing_on is PassingOn.ALLOWED


UNSAID = Meaning(
    PassingOn.UNKNOWN, "No licence is named. Until its author says otherwise, members get it from its page."
)
FORBIDDEN = Meaning(PassingOn.FORBIDDEN, "Its author does not let others hand it out: members get it from its page.")

_FREE = "It may be passed on, changed and used for anything; the author's notice stays with it."
_SHARED = "It may be passed on and changed, together with its source text and under the same licence."
_NAMED = "It may be passed on and changed when the author is named"

_ALLOWED = (
    (r"0BSD|Unlicense|CC0-1\.0", "It may be passed on, changed and used for anything."),
    (r"MIT(-0)?|ISC|Zlib|BSD-[234]-Clause|Apache-[12]\.[01]|BSL-1\.0|X11|Artistic-2\.0", _FREE),
    (r"(A|L)?GPL-[123]\.[01](-only|-or-later|\+)?|MPL-[12]\.[01]|EUPL-1\.[12]|EPL-[12]\.0", _SHARED),
    (r"CC-BY-[1-4]\.[05]", f"{_NAMED}."),
    (r"CC-BY-SA-[1-4]\.[05]", f"{_NAMED}, and under the same licence."),
    (r"CC-BY-NC-[1-4]\.[05]", f"{_NAMED}, but not for money."),
    (r"CC-BY-NC-SA-[1-4]\.[05]", f"{_NAMED}, not for money, and under the same licence."),
    (r"CC-BY-ND-[1-4]\.[05]", "It may be passed on unchanged when the author is named."),
    (r"CC-BY-NC-ND-[1-4]\.[05]", "It may be passed on unchanged and not for money when the author is named."),
)
_KNOWN = tuple((re.compile(pattern, re.IGNORECASE), sentence) for pattern, sentence in _ALLOWED)


def meaning(licence: str) -> Meaning:
    """What a licence text of the catalogue means. Of `A OR B` the freer counts, of `A AND B` every part."""
    text = licence.strip()
    if not text or text.upper() in ("NOASSERTION", "NONE"):
        return UNSAID
    if " OR " in text:
        return max((meaning(part) for part in text.split(" OR ")), key=lambda one: one.may_be_carried)
    if " AND " in text:
        return min((meaning(part) for part in text.split(" AND ")), key=lambda one: one.may_be_carried)
    name = text.strip("() ").split(" WITH ")[0]
    if name.startswith("LicenseRef-"):
        return FORBIDDEN
    for pattern, sentence in _KNOWN:
        if pattern.fullmatch(name):
            return Meaning(PassingOn.ALLOWED, sentence)
    return Meaning(PassingOn.UNKNOWN, f"What “{name[:60]}” allows is not known here, so nothing is passed on under it.")
