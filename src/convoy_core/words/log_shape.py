"""How a game's log looks, as its profile says it. The rules that read one are in `log`."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum


class EntrySeverity(StrEnum):
    """How bad an entry of a log is, from the least."""

    DEBUG = "debug"
    INFORMATION = "information"
    WARNING = "warning"
    ERROR = "error"
    FATAL = "fatal"


BAD = frozenset({EntrySeverity.ERROR, EntrySeverity.FATAL})


class Mend(StrEnum):
    """What helps where a known message says so. `mod` and `other` are what the message names."""

    BRING_IN = "bring in the other"
    LEAVE_OUT = "leave it out"
    OTHER_BUILD = "another build of it"
    ONE_OF_TWO = "one of the two"
    OTHER_BASE = "another base"
    MORE_MEMORY = "more memory"
    OTHER_RUNTIME = "another runtime"
    LAY_ANEW = "lay it down anew"


COMMON_WORDS: Mapping[EntrySeverity, tuple[str, ...]] = {
    EntrySeverity.DEBUG: ("debug", "trace", "verbose"),
    EntrySeverity.INFORMATION: ("information", "info", "notice"),
    EntrySeverity.WARNING: ("warning", "warn"),
    EntrySeverity.ERROR: ("error", "severe"),
    EntrySeverity.FATAL: ("fatal", "critical"),
}
"""What games commonly write for a severity; a profile's own words come on top."""


@dataclass(frozen=True, slots=True)
class KnownMessage:
    """`line`: plain words with places in braces (KNOWN_PARTS), found anywhere in an entry. `says`: the sentence that a
    person reads, with the same places.
    """

    id: str
    line: str
    says: str
    mend: Mend


@dataclass(frozen=True, slots=True)
class LogShape:
    """`line`: how an entry begins (LOG_PARTS). `continues`: how lines begin that belong to the entry above; without
    any, every line does that does not look like `line`. `main_screen`, `closed`, `crash`: words that say so.
    `loaded`: what is said of a mod that came up (`{mod}`, `{version}`). `reports`: patterns of crash reports.
    """

    place: str
    line: str = "{text}"
    main_screen: str = ""
    closed: str = ""
    crash: tuple[str, ...] = ()
    loaded: str = ""
    continues: tuple[str, ...] = ()
    severities: Mapping[EntrySeverity, tuple[str, ...]] = field(default_factory=dict)
    reports: tuple[str, ...] = ()
    known: tuple[KnownMessage, ...] = ()


LOG_PARTS = frozenset({"time", "severity", "origin", "text"})
"""What a line of a log is made of."""

KNOWN_PARTS = frozenset({"mod", "other", "version", "wanted", "key", "path", "number"})
"""What a known message may name."""

LOADED_PARTS = frozenset({"mod", "version"})
