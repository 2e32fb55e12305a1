"""Codes that people paste and read aloud: join codes and pairing codes.

31 letters and digits that cannot be taken for one another (no 0, I, L, O, U), in groups of four; the last one is a
check character. 31 is prime, so the weighted sum finds every single wrong character and every swap of two.
"""

from __future__ import annotations

from collections.abc import Callable

from .errors import BadCode

ALPHABET = "123456789ABCDEFGHJKMNPQRSTVWXYZ"
GROUP = 4

JOIN_LENGTH = 8
"""Characters, check included: 35 bits. Enough for a code that opens one pack's join page and is rate-limited."""

PAIRING_LENGTH = 12
"""Characters, check included: 54 bits. It hands out an agent's token, so it is longer; it also works once only."""


CREW_LENGTH = 11
"""Characters, check included: 49 bits. It brings somebody into a crew, with a role."""

INVITATION_LENGTH = 10
"""Characters, check included: 44 bits. It lets one person make an account."""


def make_code(length: int, choose: Callable[[str], str]) -> str:
    """A new code with its check character. `choose` picks one character of the alphabet (secrets.choice)."""
    body = "".join(choose(ALPHABET) for _ in range(length - 1))
    return body + _check(body)


def read_code(text: str, length: int) -> str:
    """The code as it is kept, from what somebody typed: spaces, dashes and case do not matter.

    Raises BadCode saying which slip it is.
    """
    code = "".join(text.split()).replace("-", "").replace("–", "").upper()
    if len(code) != length:
        raise BadCode(
            "This is not a whole code.",
            f"A code has {length} letters and digits; this has {len(code)}.",
            "Paste it again from where you got it.",
            slip="length",
        )
    strange = sorted(set(code) - set(ALPHABET))
    if strange:
        raise BadCode(
            f"A code never holds “{strange[0]}”.",
            "Codes leave out 0, I, L, O and U, which are easily misread.",
            "Check that character against the code you were given.",
            slip="letters",
        )
    if _check(code[:-1]) != code[-1]:
        raise BadCode(
            "This code has a slip in it.",
            "Its last character does not agree with the others.",
            "Compare it with the code you were given, character by character.",
            slip="check",
        )
    return code


def show_code(code: str) -> str:
    """The code in groups of four, as it is shown: `K7XM-42QD`."""
    return "-".join(code[start : start + GROUP] for start in range(0, len(code), GROUP))


def _check(body: str) -> str:
    total = sum((place + 2) * ALPHABET.index(char) for place, char in enumerate(body))
    # The check stands with weight 1; chosen so that the whole sum is 0 modulo the alphabet's (prime) size.
    return ALPHABET[-total % len(ALPHABET)]
