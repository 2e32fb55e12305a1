"""Errors of the rules. Each carries its data, and becomes one plain sentence: what, why, what now.

`code` is the stable name by which doors (API, command line) and tests know an error; one code for one fault.
"""

from __future__ import annotations

from typing import Any


class ConvoyError(Exception):
    """A refusal that a person can act upon.

    `what` happened, `why`, and what to do `now`: each a short phrase that reads as a sentence.
    """

    code = "refused"

    def __init__(self, what: str, why: str = "", now: str = "", **data: Any) -> None:
        super().__init__(what)
        self.what = what
        self.why = why
        self.now = now
        self.data = data

    def sentence(self) -> str:
        """The whole refusal as text for a person."""
        return " ".join(part for part in (self.what, self.why, self.now) if part)

    def __str__(self) -> str:
        return self.sentence()


class MalformedInput(ConvoyError):
    """Data from outside that does not have the shape it must have."""

    code = "malformed"


class HostileArchive(ConvoyError):
    """An archive that would write where it must not, or grow without measure. Refused before a byte is written."""

    code = "hostile-archive"


class BadSignature(ConvoyError):
    """A signed document that was not signed by the key that is trusted, or was changed since."""

    code = "bad-signature"


class Untrusted(ConvoyError):
    """What a site says is signed, and still not to be believed. What is there stays as it is."""

    code = "untrusted"


class BadCode(ConvoyError):
    """A join or pairing code that cannot be one: wrong length, wrong letters, or a slip of the keyboard."""

    code = "bad-code"


class NameTaken(ConvoyError):
    """Somebody has used this name already where it must be the only one."""

    code = "name-taken"
