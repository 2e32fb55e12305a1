"""Settings that the pack sets: for a file that nothing carries, a key that is not there, a value of another type, or
out of the range that its schema names.
"""

from __future__ import annotations

from typing import Any

from ..lock.terms import Tweak
from ..settings.formats import MAX_BYTES, TEXT_ONLY, Value, format_of
from ..settings.knowledge import known_of
from ..settings.limits import NO_LIMIT, Limit
from ..settings.readings import Reading
from .finding import Finding, Severity, Way
from .subject import Subject


def check(subject: Subject) -> list[Finding]:
    found = [_unread(subject, mod, why) for mod, why in _unread_schemas(subject).items()]
    for of_set, tweak in subject.terms.with_offered():
        holder = subject.laid.holder.get(tweak.path)
        if holder is None:
            found += _of_nobodys_file(subject, tweak, of_set)
            continue
        reading = subject.reading(holder, tweak.path)
        if reading is None or reading.trouble:
            continue
        is_text = format_of(tweak.path) in TEXT_ONLY
        limit, says = _limit(subject, holder, tweak, reading, is_text)
        if limit != NO_LIMIT:
            if wrong := limit.wrong(tweak.value, is_text):
                why = f"{subject.name(holder)} says so {says}."
                found.append(_finding(subject, tweak, of_set, holder, wrong, Severity.WARNING, why))
        elif told := _against(tweak, reading, f"{subject.name(holder)} may have renamed it.", is_text):
            found.append(_finding(subject, tweak, of_set, holder, told[0], Severity.WARNING, told[1]))
    return found


def _of_nobodys_file(subject: Subject, tweak: Tweak, of_set: str) -> list[Finding]:
    """A setting of a file that the game, or a mod, writes itself."""
    reading = subject.readings.get(subject.written.get(tweak.path, ""))
    if not subject.terms.is_own_settings(tweak.path):
        severity, what = Severity.WARNING, "no build lays that file down"
        why = "It is none of the game’s settings files, so nothing is set."
    elif reading is None or reading.trouble:
        severity, what = Severity.ADVICE, "no build lays that file down"
        why = "It is set as soon as the game, or a mod, has written it; until somebody’s has, nobody knows its keys."
    else:
        told = _against(tweak, reading, "So it is on a machine that wrote it.", format_of(tweak.path) in TEXT_ONLY)
        if told is None:
            return []
        severity, (what, why) = Severity.WARNING, told
    return [_finding(subject, tweak, of_set, "", what, severity, why)]


def _against(tweak: Tweak, reading: Reading, gone: str, is_text: bool) -> tuple[str, str] | None:
    """What is wrong with a tweak by the file as it comes, and why; `gone`: why a key may be missing."""
    if tweak.key not in reading.keys:
        return "the file has no such key", gone
    there = reading.keys[tweak.key]
    if is_text or kind(tweak.value) == kind(there):
        return None
    return f"it is {kind(there)}, not {kind(tweak.value)}", f"The file has {there} there."


def _limit(subject: Subject, mod: str, tweak: Tweak, reading: Reading, is_text: bool) -> tuple[Limit, str]:
    """What a value may be, by the mod's schema or by the comment about the key; and which of them says so."""
    limits = subject.limits(mod)
    if tweak.key in limits or tweak.key not in reading.keys:
        return limits.get(tweak.key, NO_LIMIT), "of its settings"
    value = {tweak.key: reading.keys[tweak.key]}
    known = known_of(value, reading.comments, {}, {}, subject.profile.comments, is_text)
    return known[tweak.key].limit, "in the file"


def _unread_schemas(subject: Subject) -> dict[str, str]:
    """Mods whose settings the pack sets and whose description of them is not to be read, with why."""
    found = {}
    for mod in {subject.laid.holder.get(tweak.path) for _, tweak in subject.terms.with_offered()} - {None}:
        schema = subject.schema_of(mod) if mod else None
        if mod and schema:
            reading = subject.readings.get(schema.sha256)
            why = f"It is larger than {MAX_BYTES // 2**20} MB." if schema.size > MAX_BYTES else ""
            if why := why or (reading.trouble if reading else ""):
                found[mod] = f"{schema.path}: {why}"
    return found


def _unread(subject: Subject, mod: str, why: str) -> Finding:
    return Finding(
        "schema",
        Severity.ADVICE,
        (mod,),
        f"What {subject.name(mod)} says of its settings cannot be read.",
        "Whether the pack’s settings are within their range is not known.",
        "Look at the values yourself.",
        mod,
        evidence=(why,),
    )


def kind(value: Value) -> str:
    if isinstance(value, bool):
        return "true or false"
    if isinstance(value, int | float):
        return "a number"
    return "a list" if isinstance(value, list | tuple) else "text"


def _finding(subject: Subject, tweak: Tweak, of_set: str, mod: str, what: str, severity: Severity, why: str) -> Finding:
    reset: dict[str, Any] = {"do": "reset", "settings": [{"path": tweak.path, "key": list(tweak.key)}]}
    if of_set:
        reset["set"] = of_set
    key = ".".join(tweak.key)
    name = next((one.name for one in subject.terms.offers if one.id == of_set), "")
    who = f"The set “{name}” sets" if of_set else "The pack sets"
    return Finding(
        "tweak",
        severity,
        (tweak.path, key, *([of_set] if of_set else [])),
        f"{who} {key} in {tweak.path}: {what}.",
        why,
        "Set another key, or take the setting away.",
        mod,
        evidence=(f"{key} = {tweak.value} ({tweak.how})",),
        ways=(Way("Take the setting away", (reset,), is_choice=True),),
    )
