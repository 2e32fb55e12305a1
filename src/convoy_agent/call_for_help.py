"""A call for help: how a folder stands, its machine, its last start and what it said, settings that are otherwise. One
text for people, with everything private replaced.

It is made here and shown; who gets it is its member's to say. Source: docs/rules.md, "Logs".
"""

from __future__ import annotations

import gzip
from collections.abc import Collection, Iterable, Iterator, Mapping
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from convoy_core.log import Log, compared, read_log
from convoy_core.log.entries import Entry
from convoy_core.log.private import Redaction, Replaced
from convoy_core.outside.game_profile import read_profile
from convoy_core.sync.plan import describe
from convoy_core.words.errors import ConvoyError
from convoy_core.words.log_shape import BAD, EntrySeverity
from convoy_core.words.wording import counted, listed

from . import sync
from .folder import machine as machines
from .folder.folder import Folder
from .folder.own_settings import own_settings, tells_of
from .narrowing_here import narrowed
from .play import in_words
from .playing.own import own_known, without_private
from .playing.runs import Run, Runs
from .playing.told import as_told
from .site.connecting import connect
from .storage.store import Store
from .visit import Now

CHUNK = 256 * 1024
MOST_ROWS = 40
"""Rows of one kind: differences, settings, entries. Whoever helps asks for more where it is needed."""

MOST_REPORT_LINES = 60

MOST_LINES = 12
"""Lines of one entry: a stack's top tells."""

LOUD = BAD | {EntrySeverity.WARNING}


@dataclass(frozen=True)
class Call:
    """`replaced`: what was private, for nobody's eyes but its member's, with what stands there instead."""

    text: str
    replaced: tuple[Replaced, ...]
    told: Mapping[str, Any]
    """What a site takes of it (`agent/help`); nothing private is in it."""


def send(root: Path, call: Call, seen: bool) -> str:
    """To the site that the folder follows; gives the address of its page. `seen`: its member has read it, and wants the
    curators to; else they read it there first, before anybody else does. Raises SiteAway, SiteRefused.
    """
    with connect(Folder(root).pairing()) as site:
        return site.call_for_help({**call.told, "send": seen})


def call_for_help(root: Path, store: Store, words: str = "", now: Now = sync.utc_now) -> Call:
    """`words`: what its member says of it. Raises what looking at the folder raises; changes nothing."""
    folder = Folder(root)
    status = sync.status(root, store, now=now)
    hashes = {build.archive.sha256 for build in _builds(folder)} | {status.fingerprint}
    redaction = Redaction(own_known(frozenset(hashes)))
    runs = Runs(folder.own)
    kept = [one for one in runs.all() if not one.narrowing]
    last = _log(folder, runs, kept[0]) if kept else None
    good = _good(folder, runs, kept[1:])
    fresh = {id(one) for one in compared(good, last).new} if good and last else set()
    parts = (
        _head(status, words, now),
        _standing(status),
        _machine(root),
        _starts(kept),
        _said(last, fresh) if kept else (),
        _reports(kept[0]) if kept else (),
        _narrowed(folder),
        () if status.sealed_until else _settings(folder),
    )
    text, _ = redaction.of("\n".join(line for part in parts for line in part) + "\n")
    told: dict[str, Any] = {
        "text": text,
        "words": words[:2000],
        "number": status.release,
        "starts": [_start(one) for one in kept[:12]],
    }
    if last and last.cause:
        cause = last.cause
        told["cause"] = {
            "sentence": cause.sentence[:600], "known": cause.known or "", "mod": cause.mod or "",
            "other": cause.other or "",
        }  # fmt: skip
    told = without_private(told, redaction)
    if last:
        new = {at for at, one in enumerate(last.entries) if id(one) in fresh}
        logs = {"last": as_told(last, new, redaction), "good": as_told(good, (), redaction) if good else []}
        told["logs"] = logs
    return Call(text, redaction.replaced(), told)


def _start(one: Run) -> dict[str, Any]:
    return {
        "began": one.began,
        "release": one.release,
        "sentence": in_words(one)[:600],
        "good": one.is_good and not one.plain,
    }


def _builds(folder: Folder) -> Iterable[Any]:
    with suppress(ConvoyError):
        if lock := folder.installed(folder.pairing()):
            return lock.builds
    return ()


def _head(status: sync.Status, words: str, now: Now) -> Iterator[str]:
    yield f"# A call for help: {status.pairing.pack}"
    yield ""
    if words:
        yield from (f"> {line}" for line in words.splitlines())
        yield ""
    yield f"{status.pairing.name}, {status.pairing.side}, {now():%Y-%m-%d %H:%M} UTC"


def _standing(status: sync.Status) -> Iterator[str]:
    yield from ("", "## Where it stands", "")
    yield f"Release {status.release or 'none'}, fingerprint {status.fingerprint}; followed is {status.followed}."
    if status.sealed_until:
        yield f"It is sealed until {status.sealed_until}: what differs is only counted."
        yield f"{counted(len(status.deviations), 'path')} differ."
        return
    yield from _rows([f"{path}: {one}" for path, one in sorted(status.deviations.items())], "differences", "In step.")
    if status.plan:
        yield f"A sync would do this: {describe(status.plan)}."
        yield from _rows([f"{one.name} {one.version} is to be brought" for one in status.plan.errands], "errands", "")
    yield from _rows([f"Left to do by hand: {one}" for one in status.steps_left], "steps", "")
    yield from status.remarks


def _machine(root: Path) -> Iterator[str]:
    told = machines.facts(root)
    yield from ("", "## The machine", "")
    yield f"{told['system']}, {told['memory_mb']} MB of memory, {told['disk_free'] // 2**20} MB free on the disk."
    yield f"Runtimes: {', '.join(told['runtimes']) or 'not said'}."


def _starts(kept: list[Run]) -> Iterator[str]:
    yield from ("", "## Starts", "")
    if not kept:
        yield "None was made with convoy play."
        return
    yield from (f"- {one.began}, release {one.release}: {in_words(one)}" for one in kept[:5])


def _good(folder: Folder, runs: Runs, earlier: list[Run]) -> Log | None:
    """What the last good start said."""
    good = next((one for one in earlier if one.is_good and not one.plain), None)
    return _log(folder, runs, good) if good else None


def _said(last: Log | None, fresh: Collection[int]) -> Iterator[str]:
    """What the last start said, and what of it the last good one had not."""
    if last is None:
        yield "Its log is not there any more."
        return
    yield from ("", "## What the last one said", "")
    if last.cause:
        yield last.cause.sentence
    counts = ", ".join(f"{count} {severity}" for severity, count in last.by_severity().items() if count)
    yield f"{counts}; {counted(len(last.loaded), 'mod')} came up."
    loud = [one for one in last.entries if one.severity in LOUD]
    loud.sort(key=lambda one: (one.severity not in BAD, id(one) not in fresh))
    for one in loud[:MOST_ROWS]:
        yield from _entry(one, id(one) in fresh)
    if len(loud) > MOST_ROWS:
        yield f"… and {len(loud) - MOST_ROWS} more."


def _reports(run: Run) -> Iterator[str]:
    """Crash reports of the last start, as they begin."""
    for path, text in run.reports:
        yield from ("", f"## Crash report: {path}", "")
        yield from (f"    {line}" for line in text.splitlines()[:MOST_REPORT_LINES])


def _narrowed(folder: Folder) -> Iterator[str]:
    """What narrowing a fault down came to, in the release that lies there."""
    told = narrowed(folder)
    if told is None or told["release"] != folder.record().release:
        return
    yield from ("", "## Narrowed down", "")
    names = {build.mod: build.name for build in _builds(folder)}
    them = listed([names.get(mod, mod) for mod in told["culprits"]]) or "It fails with no mods at all"
    works = {True: "; without them everything else works", False: "; it fails without them, too"}
    yield f"{them}{works.get(told['without_it_works'], '')}. {told['tries']} tries, {told['at'][:10]}."


def _entry(one: Entry, is_new: bool) -> Iterator[str]:
    often = f" ({one.count} times)" if one.count > 1 else ""
    yield f"- {one.severity}, {one.mod or one.origin or 'the game'}{', new' if is_new else ''}{often}: {one.text}"
    yield from (f"    {line}" for line in one.lines[:MOST_LINES])


def _log(folder: Folder, runs: Runs, run: Run) -> Log | None:
    with suppress(OSError, EOFError, ConvoyError):
        profile = read_profile((folder.own / "game.toml").read_text("utf-8"))
        names = {build.mod: build.name for build in _builds(folder)}
        with gzip.open(runs.log_of(run.id)) as packed:
            return read_log(iter(lambda: packed.read(CHUNK), b""), profile, names)
    return None


def _settings(folder: Folder) -> Iterator[str]:
    """Keys that their member has otherwise than the pack placed them; none that may be nobody's business."""
    with suppress(ConvoyError):
        lock = folder.installed(folder.pairing())
        record = folder.record()
        if lock is None:
            return
        otherwise = own_settings(folder, lock, dict.fromkeys(record.files, ""))
        rows = [
            f"{row['path']}: {'.'.join(row['key'])} = {row['mine']} (placed: {row['was']})"
            for row in otherwise
            if tells_of(tuple(row["key"]))
        ]
        yield from ("", "## Settings that are otherwise", "")
        yield from _rows(rows, "settings", "None.")


def _rows(rows: list[str], what: str, none: str) -> Iterator[str]:
    if not rows and none:
        yield none
    yield from (f"- {row}" for row in rows[:MOST_ROWS])
    if len(rows) > MOST_ROWS:
        yield f"… and {len(rows) - MOST_ROWS} more {what}."
