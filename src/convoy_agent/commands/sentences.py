"""Sentences of the command line: what a sync did, where a folder stands, what the history holds. Lists stay short."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from convoy_core.sync.next_step import Here, Next, next_step
from convoy_core.sync.plan import Plan, describe, said
from convoy_core.words.wording import counted, listed

from .. import sync as work
from .screen import say

SHOWN = 8
"""Rows of one kind that are shown; `--json` has all of them."""


def say_rows(rows: Sequence[str], what: str) -> None:
    """Some rows, and how many more there are."""
    for row in rows[:SHOWN]:
        say(f"  {row}")
    if len(rows) > SHOWN:
        say(f"  and {len(rows) - SHOWN} more {what}")


def say_synced(done: work.Synced) -> None:
    if done.recovered:
        say("A change that was interrupted earlier was completed first.")
    say(f"Release {done.release}: {describe(done.plan)}.")
    say_sealed(done.sealed_until)
    say_rows(done.mods, "mods")
    _say_worlds(done.plan)
    if done.backup:
        say(f"Backed up before: {done.backup.holds()}. “convoy restore {done.backup.id}” goes back to it.")
    say_rows([f"moved aside: {path}" for path in done.aside], "moved aside; “convoy put-back” lists them")
    for note in done.notes:
        _say_note(note)
    _say_extras(done.plan.extras)
    say_rows([f"not done: {path}. {why}" for path, why in done.undone.items()], "not done")
    for remark in done.remarks:
        say(remark)
    if done.unheard:
        say("The site did not answer any more; it hears of this from the next look.")
    if done.undone:
        say(next_step(Here(done.release, done.release, done.release, moves=len(done.undone))).sentence())
    elif done.steps_left:
        say(f"{counted(len(done.steps_left), 'step')} that only you can do:")
        say_rows(list(done.steps_left), "steps")
        say("Next: convoy steps")


def say_sealed(until: str) -> None:
    if until:
        say(f"It is sealed until {until[:16].replace('T', ' ')} UTC: what is in it is told then.")
        say("It lies on your own disk all the same: whoever looks into the folder sees it.")


def _say_extras(extras: Sequence[str]) -> None:
    if len(extras) > SHOWN:
        say(f"  {len(extras):,} files are not of the pack, as {extras[0]}, and were left alone.")
    else:
        say_rows([f"not of the pack, left alone: {path}" for path in extras], "extras")


def _say_rewritten(plan: Plan | None) -> None:
    if plan is not None and plan.rewritten:
        rows = [f"settings: {path} loses {counted(lost, 'comment')}" for path, lost in plan.rewritten.items()]
        say_rows([f"{row}, which stand within a list that is written anew." for row in rows], "such files")


def _say_worlds(plan: Plan | None) -> None:
    if plan is not None:
        say_rows([f"worlds: {one.sentence}. {one.note}" for one in plan.worlds], "changes to worlds")


def _say_note(note: Any) -> None:
    if "problem" in note:
        say(f"  {note['problem']} The pack's lies beside it: {note.get('beside', '')}")
    kept = [f"yours stays: {note['path']}, {one['key']} = {one['mine']} (the pack says {one['new']})"
            for one in note.get("kept", ())]  # fmt: skip
    enforced = [f"must match: {note['path']}, {one['key']} = {one['new']} (was {one['mine']})"
                for one in note.get("overruled", ())]  # fmt: skip
    say_rows(kept, "settings of yours that stay")
    say_rows(enforced, "settings that must match")


def say_status(found: work.Status) -> None:
    newest = f"newest is {found.current}" if found.current else "no other is open yet"
    say(f"{found.pairing.pack}: release {found.release or 'none yet'}, {newest}")
    if found.unheard:
        say("The site does not answer: this is by what it said last.")
    say_sealed(found.sealed_until)
    by_kind: dict[str, list[str]] = {}
    for path, what in sorted(found.deviations.items()):
        by_kind.setdefault(what.value, []).append(f"{what.value}: {path}")
    for kind, rows in by_kind.items():
        say_rows(rows, f"that are {kind}" if kind != "setting" else "settings that must match")
    if found.fingerprint:
        say(f"fingerprint {found.fingerprint}")
    if found.plan and found.plan.moves:
        say(f"A sync would do: {describe(found.plan)}")
        say_rows(found.mods, "mods")
    _say_worlds(found.plan)
    _say_rewritten(found.plan)
    for one in found.beside:
        say(f"Beside it: {one['name']} {one['number']}, {counted(one['mods'], 'mod')}.")
        for row in one["left_out"]:
            say(f"  without {row['name']} {row['version']}: {row['because']}.")
    for remark in found.remarks:
        if remark != found.doubt:
            say(remark)
    say(next_of(found).sentence())


def here_of(found: work.Status) -> Here:
    return Here(
        found.release,
        found.followed,
        found.current,
        found.deviations,
        len({one.path for one in found.plan.moves}) if found.plan else 0,
        len(found.plan.errands) if found.plan else 0,
        found.steps_left,
        len(found.bad_backups),
        is_other=found.is_other,
        doubt=found.doubt,
    )


def next_of(found: work.Status) -> Next:
    return next_step(here_of(found))


def status_data(found: work.Status) -> dict[str, Any]:
    here, then = here_of(found), next_of(found)
    return {
        "pack": found.pairing.pack,
        "release": found.release,
        "followed": found.followed,
        "newest": found.current,
        "in_step": here.is_in_step,
        "deviations": dict(found.deviations),
        "fingerprint": found.fingerprint,
        "plan": plan_data(found.plan, bool(found.sealed_until)),
        "sealed_until": found.sealed_until,
        "mods": list(found.mods),
        "steps_left": list(found.steps_left),
        "unheard": found.unheard,
        "doubt": found.doubt,
        "beside": list(found.beside),
        "remarks": list(found.remarks),
        "next": {"why": then.why, "command": then.command},
    }


def plan_data(plan: Plan | None, sealed: bool = False) -> dict[str, Any] | None:
    if plan is None:
        return None
    return {
        "moves": [] if sealed else [[move.act, move.path] for move in plan.moves],
        "left_alone": plan.left_alone,
        "mine": list(plan.mine),
        "rewritten": dict(plan.rewritten),
        "extras": list(plan.extras),
        "fetch_bytes": plan.fetch_bytes,
        "errands": [build.archive.name for build in plan.errands],
        "worlds": [{"what": one.sentence, "note": one.note} for one in plan.worlds],
    }


def entry_sentence(entry: Mapping[str, Any]) -> str:
    """One entry of the history, as a sentence."""
    when = str(entry.get("at") or entry["id"])[:16].replace("T", " ")
    before, release = str(entry.get("from", "")), str(entry.get("release", ""))
    if entry.get("damaged"):
        what = "An entry that is damaged"
    elif entry.get("undoes"):
        what = (
            f"Release {before} taken back to {release}" if before != release else f"A mending of {release} taken back"
        )
    elif not before:
        what = f"Release {release} installed"
    elif before == release:
        what = f"Release {release} put right"
    else:
        what = f"From release {before} to {release}"
    mods = [str(one) for one in entry.get("mods", ())]
    told = mods if before and len(mods) <= SHOWN else [counted(len(mods), "mod")] if mods else []
    parts = [listed(told)] if told else []
    if not told or before == release:
        parts += [counts] if (counts := said(entry.get("counts", {}))) else []
    if entry.get("moved") and "moved aside" not in "".join(parts):
        parts.append(f"{counted(len(entry['moved']), 'file')} moved aside")
    if entry.get("backup"):
        parts.append("worlds backed up before")
    if entry.get("undone"):
        parts.append(f"{counted(len(entry['undone']), 'file')} could not be done")
    return f"{when}  {what}{': ' if parts else ''}{'; '.join(parts)}."
