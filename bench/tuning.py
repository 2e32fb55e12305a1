"""Settings: searching 30,000 keys, opening a large file, rendering 600 files, reading and changing at the limits."""

from __future__ import annotations

import random
import statistics
import time
from collections.abc import Callable

from convoy_core.draft.all_settings import SettingsFile, table_of
from convoy_core.lock.rendering import render
from convoy_core.lock.terms import How, Tweak
from convoy_core.settings.formats import READERS, open_settings
from convoy_core.settings.readings import read_file

Row = tuple[str, str, str]

FILES, KEYS, TWEAKS, BUILDS = 600, 50, 2_000, 120
WORDS = tuple("fog storm lock toll night lamp wharf barge coal rope tide rain bell crew helm".split())  # noqa: SIM905
QUERIES = ("fog", "0.35", "off by default", "lamp night", "range bell", "zzz", "tide coal rope", "mod-17")

LINES: dict[str, tuple[str, Callable[[int], str], str]] = {
    ".toml": ("", lambda at: f"# What key {at} does. Range: 0 to 10\nkey{at} = {at % 10}\n", ""),
    ".ini": ("[all]\n", lambda at: f"; What key {at} does. Range: 0 to 10\nkey{at} = {at % 10}\n", ""),
    ".properties": ("", lambda at: f"# What key {at} does. Range: 0 to 10\nkey{at} = {at % 10}\n", ""),
    ".json": ("{\n", lambda at: f'  "key{at}": {at % 10}, // What key {at} does\n', '  "end": 1\n}\n'),
    ".yaml": ("", lambda at: f"# What key {at} does. Range: 0 to 10\nkey{at}: {at % 10}\n", ""),
    ".xml": ("<all>\n", lambda at: f"  <!-- What key {at} does -->\n  <key{at}>{at % 10}</key{at}>\n", "</all>\n"),
}


def text_of(chance: random.Random, keys: int = KEYS) -> str:
    lines = []
    for at in range(keys):
        about = " ".join(chance.choices(WORDS, k=5))
        value = chance.choice(("true", "false", "0.35", str(chance.randrange(100)), f'"{chance.choice(WORDS)}"'))
        lines.append(f"# About {about}. Range: 0 to 100. Default: 5\n{chance.choice(WORDS)}_{at} = {value}\n")
    return "\n".join(lines)


def measure() -> list[Row]:
    chance = random.Random(7)
    texts = [text_of(chance) for _ in range(FILES)]
    began = time.perf_counter()
    readings = [read_file("settings.toml", text.encode()) for text in texts[: BUILDS * 5]]
    read = time.perf_counter() - began
    files = [
        SettingsFile(f"mod-{at}", f"Mod {at}", f"mods/mod-{at}/settings.toml", one, {}, {})
        for at, one in enumerate(readings)
    ]
    began = time.perf_counter()
    table = table_of(files)
    made = time.perf_counter() - began
    times = sorted(_seconds(lambda words=words: table.found(words)) for words in QUERIES * 12)
    large = text_of(chance, 5_000).encode()
    opened = statistics.median(_seconds(lambda: open_settings("settings.toml", large).parsed.places) for _ in range(5))
    return [
        (f"search in {len(table.rows):,} keys", f"p95 {times[int(len(times) * 0.95)] * 1000:.0f} ms", "aim 60 ms"),
        (f"making that table of {FILES} readings", f"{made:.2f} s", "once for a set of files"),
        (f"reading {BUILDS} builds' {FILES} files, comments and all", f"{read:.2f} s", "aim 5 s"),
        ("opening a file of 5,000 keys, with their places", f"{opened * 1000:.0f} ms", "aim 200 ms, as text"),
        (f"rendering {FILES} files with {TWEAKS:,} settings", f"{_rendering(texts):.2f} s", "aim 1 s"),
        *_at_the_limits(),
    ]


def _rendering(texts: list[str]) -> float:
    """As an agent does: read, changed, read back."""
    chance = random.Random(9)
    jobs: dict[int, list[Tweak]] = {}
    names = [[line.split(" = ")[0] for line in text.splitlines() if " = " in line] for text in texts]
    for _ in range(TWEAKS):
        at = chance.randrange(len(texts))
        jobs.setdefault(at, []).append(Tweak("s.toml", (chance.choice(names[at]),), chance.randrange(9), How.ENFORCED))
    began = time.perf_counter()
    for at, tweaks in jobs.items():
        render("s.toml", texts[at].encode(), tweaks)
    return time.perf_counter() - began


def _at_the_limits() -> list[Row]:
    rows = []
    for ending, (head, line, foot) in LINES.items():
        most = READERS[ending][2]
        parts, size = [head], len(head) + len(foot)
        while size < most - 200:
            parts.append(line(len(parts)))
            size += len(parts[-1])
        data = ("".join(parts) + foot).encode()
        name = f"large{ending}"
        document = open_settings(name, data)
        key = list(document.values)[len(document.values) // 2]
        value = "3" if isinstance(document.values[key], str) else 3
        reading = _seconds(lambda name=name, data=data: open_settings(name, data))
        changing = _seconds(lambda document=document, key=key, value=value: document.changed({key: value}))
        told = f"{reading:.2f} s, {changing:.2f} s"
        rows.append(
            (f"{ending} of {len(data) // 1024} kB, {len(document.values):,} keys: read; changed", told, "aim 2 s")
        )
    return rows


def _seconds(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began
