"""Settings that the pack sets: for a file that nothing carries, a key that is not there, a value of another type."""

from __future__ import annotations

from ..lock.terms import Tweak
from ..settings.formats import TEXT_ONLY, Value, format_of
from .finding import Finding, Severity, Way
from .subject import Subject


def check(subject: Subject) -> list[Finding]:
    found = []
    for tweak in subject.terms.tweaks:
        holder = subject.laid.holder.get(tweak.path)
        if holder is None:
            found.append(
                _finding(
                    subject,
                    tweak,
                    "",
                    "no build lays that file down",
                    Severity.ADVICE,
                    "The game may write it at its first start; else nothing happens.",
                )
            )
            continue
        reading = subject.reading(holder, tweak.path)
        if reading is None or reading.trouble:
            continue
        if tweak.key not in reading.keys:
            found.append(
                _finding(
                    subject,
                    tweak,
                    holder,
                    "the file has no such key",
                    Severity.WARNING,
                    f"{subject.name(holder)} may have renamed it.",
                )
            )
        elif format_of(tweak.path) not in TEXT_ONLY and kind(tweak.value) != kind(reading.keys[tweak.key]):
            there = reading.keys[tweak.key]
            found.append(
                _finding(
                    subject,
                    tweak,
                    holder,
                    f"it is {kind(there)}, not {kind(tweak.value)}",
                    Severity.WARNING,
                    f"The file has {there} there.",
                )
            )
    return found


def kind(value: Value) -> str:
    if isinstance(value, bool):
        return "true or false"
    if isinstance(value, int | float):
        return "a number"
    return "a list" if isinstance(value, list | tuple) else "text"


def _finding(subject: Subject, tweak: Tweak, mod: str, what: str, severity: Severity, why: str) -> Finding:
    others = [one.as_data() for one in subject.terms.tweaks if one != tweak]
    key = ".".join(tweak.key)
    return Finding(
        "tweak",
        severity,
        (tweak.path, key),
        f"The pack sets {key} in {tweak.path}: {what}.",
        why,
        "Set another key, or take the setting away.",
        mod,
        evidence=(f"{key} = {tweak.value} ({tweak.how})",),
        ways=(Way("Take the setting away", ({"do": "tweaks", "tweaks": others},), is_choice=True),),
    )
