"""`./run bench`: measures what the issues ask for, and writes docs/benchmarks.md. Started with a fresh demo stack."""

from __future__ import annotations

import os
import platform
import statistics
import sys
import time
from collections.abc import Callable
from pathlib import Path

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "convoy_site.settings")
django.setup()

from . import (  # noqa: E402 - after django.setup
    chaos,
    checking,
    editing,
    files,
    in_browser,
    in_step,
    load,
    making,
    narrowing,
    resolving,
    site_pages,
    syncing,
    trying,
    tuning,
    under,
    walk,
    ways_in,
)
from .pace import Pace  # noqa: E402

ROOT = Path(__file__).resolve().parent.parent
OUT = ROOT / "docs" / "benchmarks.md"

Row = tuple[str, str, str]
"""What was measured, the figure, and the aim or remark."""

PARTS: dict[str, Callable[[], list[Row]]] = {
    "pages, demo data": site_pages.demo,
    "pages, 5,000 mods": site_pages.large,
    "edits": editing.measure,
    "two at once": editing.together,
    "manifest in the browser": in_browser.measure,
    "finder, 50,000 mods": site_pages.searching,
    "resolver": resolving.measure,
    "collections": under.measure,
    "narrowing": narrowing.measure,
    "logs and trials": trying.measure,
    "checks": checking.measure,
    "checks over the site": checking.over_the_site,
    "settings": tuning.measure,
    "settings over the site": tuning.over_the_site,
    "ways in": ways_in.measure,
    "making a source": making.measure,
    "packs as files": files.measure,
    "sync": syncing.measure,
    "in step": in_step.measure,
    "fetching": in_step.fetching,
    "walk": walk.measure,
    "load": load.measure,
    "chaos": chaos.measure,
}

BY_HAND = {"chaos"}
"""Measured only where it is named: it takes the site apart."""


def main() -> None:
    wanted = [
        part
        for part in PARTS
        if (not sys.argv[1:] and part not in BY_HAND) or any(word in part for word in sys.argv[1:])
    ]
    for part in wanted:
        with Pace() as pace:
            rows = PARTS[part]()
        print(f"\n{part} ({pace})")
        for what, figure, aim in rows:
            print(f"  {what:62} {figure:>28}   {aim}")
        # Each at once: what fails later takes nothing away.
        OUT.write_text(page(part, rows, str(pace)))
    print(f"\nwritten: {OUT.relative_to(ROOT)}")


def page(taken: str, rows: list[Row], paced: str) -> str:
    lines = [
        "# Benchmarks",
        "",
        "Written by `./run bench`. The starting times and profiles at the end are taken by hand, with how.",
        "The machine is shared and noisy: compare ratios within one run, not seconds across runs. How fast it was is",
        "told by a fixed loop that ran beside: at the machine's best it takes 23 ms of processor.",
        "",
        f"Machine: {machine()}.",
        "",
    ]
    sections = [section(part, rows, paced) if part == taken else kept(part) for part in PARTS]
    return "\n".join([*lines, *sections]) + "\n" + starting()


def section(part: str, rows: list[Row], paced: str) -> str:
    taken = f"Taken {time.strftime('%Y-%m-%d')}; {paced}."
    head = [heading(part), "", taken, "", "| what | figure | aim, remark |", "| --- | --- | --- |"]
    return "\n".join([*head, *(f"| {what} | {figure} | {aim} |" for what, figure, aim in rows), ""])


def heading(part: str) -> str:
    return f"## {part.capitalize()}"


def kept(part: str) -> str:
    """A part that is not measured now stands as it was."""
    _, found, rest = (OUT.read_text() if OUT.exists() else "").partition(heading(part) + "\n")
    body = rest.partition("\n## ")[0].strip()
    return f"{heading(part)}\n\n{body if found else 'Not taken yet.'}\n"


def machine() -> str:
    memory = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") / 2**30
    return f"{os.cpu_count()} cores, {memory:.0f} GB, {platform.system()}, Python {platform.python_version()}"


def starting() -> str:
    """The hand-taken part of the page is kept as it stands."""
    mark = "## Starting"
    kept = OUT.read_text() if OUT.exists() else ""
    return kept[kept.index(mark) :] if mark in kept else f"{mark}\n\nNot taken yet.\n"


def p95(seconds: list[float]) -> float:
    return statistics.quantiles(seconds, n=20)[18]


if __name__ == "__main__":
    main()
