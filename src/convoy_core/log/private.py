"""Replaces what is private in a text before it leaves a machine, and says what was replaced.

What a machine knows of itself (its home folder, its person's account, its name) is replaced wherever it stands; what
only looks private (addresses, keys, tokens) by its shape. It rather replaces too much: a number that looks like an
address costs a reader little. One thing has one stand-in throughout, so that a reader can still follow it.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection
from dataclasses import dataclass, field
from ipaddress import ip_address

SHORTEST = 3
"""Characters of an account's or machine's name that is replaced as a word: shorter ones stand in too many words."""

_OPEN_ADDRESSES = frozenset({"127.0.0.1", "0.0.0.0", "::1", "::", "255.255.255.255"})  # noqa: S104
_NAME = r"[^\\/\s:*?\"'<>|,;)\]]+"
_HOMES = re.compile(
    rf"(?i)((?:[a-z]:)?[\\/]+(?:users|home|documents and settings)[\\/]+)({_NAME}(?: {_NAME})?(?=[\\/])|{_NAME})"
)
_KEPT_QUIET = (
    r"(?:pass(?:word|wd|phrase)?|secret|token|api[_-]?key|apikey|auth|credential|session(?:[_-]?id)?|"
    r"cookie|bearer|private[_-]?key|access[_-]?key|signature|\bpwd|\bkey|\bpin)"
)
_PATTERNS = (
    ("key", re.compile(r"-----BEGIN [A-Z ]{3,40}-----[\s\S]{0,8000}?(?:-----END [A-Z ]{3,40}-----|\Z)")),
    ("token", re.compile(r"\beyJ[\w-]{4,}\.[\w-]{4,}(?:\.[\w-]*)?")),
    ("token", re.compile(r"(?i)\b(?:bearer|basic|digest)\s+([\w.~+/-]{6,}=*)")),
    ("password", re.compile(r"(?i)\b[a-z][a-z0-9+.-]{1,20}://([^\s/@:]{1,80}:[^\s/@]{1,200})@")),
    ("secret", re.compile(
        rf"(?i)(?:{_KEPT_QUIET})[\"']?\s{{0,3}}(?:[:=]|=>|\bis\b)\s{{0,3}}[\"']?([^\s\"',;&<>|]{{3,400}})"
    )),
    ("e-mail address", re.compile(r"[\w.+-]{1,64}@[\w-]{1,63}(?:\.[\w-]{1,63}){1,6}")),
    ("network address", re.compile(r"(?<![\w.:-])(?:[0-9a-fA-F]{2}[:-]){5}[0-9a-fA-F]{2}(?![\w:-])")),
    ("address", re.compile(r"(?<![\w.])\d{1,3}(?:\.\d{1,3}){3}(?![\w.]*\d)")),
    ("address", re.compile(
        r"(?<![\w:.])(?:[0-9a-fA-F]{0,4}:){2,7}(?:[0-9a-fA-F]{1,4}|(?=[\s\]/%]|$))(?:%\w+)?(?![\w:])"
    )),
    ("token", re.compile(r"(?<![\w+/=-])[\w+/-]{24,}={0,2}(?![\w+/=])")),
)  # fmt: skip

_SIGNS = {"key": "-----BEGIN", "password": "://", "e-mail address": "@"}
"""What a text must hold for a pattern to be found in it: looking for that is many times quicker."""


@dataclass(frozen=True, slots=True)
class Known:
    """What a machine knows of itself. `public`: texts that look like keys and are none, as hashes of builds."""

    homes: Collection[str] = ()
    accounts: Collection[str] = ()
    machines: Collection[str] = ()
    public: Collection[str] = ()


@dataclass(frozen=True, slots=True)
class Replaced:
    """`what` was replaced: the text itself, for nobody's eyes but its owner's; `by` its stand-in."""

    kind: str
    what: str
    by: str
    times: int


def without_private(text: str, known: Known | None = None) -> tuple[str, tuple[Replaced, ...]]:
    """The text with stand-ins, and what they stand for, in the order in which they were first met."""
    return Redaction(known or Known()).of(text)


@dataclass
class Redaction:
    """Several texts with the same stand-ins: a log, a plan, settings."""

    known: Known
    _stand_ins: dict[tuple[str, str], str] = field(default_factory=dict)
    _times: Counter[tuple[str, str]] = field(default_factory=Counter)

    def of(self, text: str) -> tuple[str, tuple[Replaced, ...]]:
        """The text, and all that was replaced so far."""
        for kind, pattern in self._words():
            text = pattern.sub(lambda found, kind=kind: self._by(kind, found[0]), text)  # type: ignore[misc]
        text = _HOMES.sub(lambda found: found[1] + self._by("account", found[2]), text)
        for kind, pattern in _PATTERNS:
            if kind in _SIGNS and _SIGNS[kind] not in text:
                continue
            text = pattern.sub(lambda found, kind=kind: self._part(kind, found), text)  # type: ignore[misc]
        return text, self.replaced()

    def replaced(self) -> tuple[Replaced, ...]:
        return tuple(
            Replaced(kind, what, by, self._times[(kind, what)]) for (kind, what), by in self._stand_ins.items()
        )

    def _words(self) -> list[tuple[str, re.Pattern[str]]]:
        """Longest first: a home folder holds the account's name."""
        known = self.known
        homes = [one.rstrip("/\\") for one in known.homes]
        found = [("home folder", one) for one in homes if len(one) >= SHORTEST]
        # A path is written with slashes of either kind, and doubled in many logs.
        made = [
            (kind, re.compile("(?i)" + r"[\\/]+".join(map(re.escape, re.split(r"[\\/]+", one))) + r"(?![\w-])"))
            for kind, one in sorted(found, key=lambda row: -len(row[1]))
        ]
        words = [("account", one) for one in known.accounts] + [("machine", one) for one in known.machines]
        made += [
            (kind, re.compile(rf"(?i)(?<![^\W_]){re.escape(one)}(?![^\W_])"))
            for kind, one in sorted(words, key=lambda row: -len(row[1]))
            if len(one) >= SHORTEST
        ]
        return made

    def _part(self, kind: str, found: re.Match[str]) -> str:
        """Of a named secret the value alone is replaced."""
        group = 1 if found.re.groups else 0
        what = found[group]
        if "‹" in what or what in self.known.public or not _is_private(kind, what):
            return found[0]
        before, after = found.start(group) - found.start(), found.end(group) - found.start()
        return found[0][:before] + self._by(kind, what) + found[0][after:]

    def _by(self, kind: str, what: str) -> str:
        if "‹" in what:
            return what
        key = (kind, what.lower() if kind in ("account", "machine", "home folder") else what)
        if key not in self._stand_ins:
            number = sum(one == kind for one, _ in self._stand_ins) + 1
            self._stand_ins[key] = f"‹{kind} {number}›"
        self._times[key] += 1
        return self._stand_ins[key]


def _is_private(kind: str, what: str) -> bool:
    if kind == "token":
        # Long words and paths are none: a token has figures among its letters.
        return any(map(str.isdigit, what)) and any(map(str.isalpha, what))
    if kind != "address":
        return True
    try:
        return str(ip_address(what.partition("%")[0])) not in _OPEN_ADDRESSES
    except ValueError:
        return False
