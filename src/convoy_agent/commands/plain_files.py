"""Commands that take and give plain files, and touch no installation."""

from __future__ import annotations

import gc
import json
import os
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Any

import typer

from convoy_core.outside.game_profile import read_profile
from convoy_core.outside.inspection import inspect_members
from convoy_core.outside.takeover import FORMAT
from convoy_core.resolve import Eligible, Impossible, Problem, Solved, why_not_at_all
from convoy_core.resolve import resolve as find_lock
from convoy_core.resolve import why as paths_to
from convoy_core.resolve.wire import read_problem, write_answer
from convoy_core.words.errors import MalformedInput
from convoy_core.words.model import Kind
from convoy_core.words.profile import KindLayout
from convoy_core.words.wording import counted
from convoy_io.archives import contents, hashes, marker_of

from ..storage.files import sha256_of, walk, write_at_once
from .game import game_app
from .options import FILES
from .running import run
from .settings import settings
from .source import source_app

plain = typer.Typer()
plain.add_typer(settings, name="settings", rich_help_panel=FILES)
plain.add_typer(game_app, name="game", rich_help_panel=FILES)
plain.add_typer(source_app, name="source", rich_help_panel=FILES)


@plain.command(rich_help_panel=FILES)
def resolve(
    seconds: Annotated[bool, typer.Option("--seconds", help="Say how long each part took.")] = False,
) -> None:
    """Read a resolver's problem as JSON from standard input, and write the answer."""
    started = time.perf_counter()
    problem = _problem()
    parsed = time.perf_counter()
    eligible = Eligible(problem.library, problem.base)
    prepared = time.perf_counter()
    answer = find_lock(problem, eligible)
    solved = time.perf_counter()
    written = write_answer(answer)
    if seconds:
        # Builds are prepared as the search comes to them: that part cannot be told apart from the search.
        parts = {"parse": parsed - started, "prepare": prepared - parsed, "solve": solved - prepared}
        written["seconds"] = {name: round(value, 4) for name, value in parts.items()}
    print(json.dumps(written, ensure_ascii=False))
    raise typer.Exit(0 if isinstance(answer, Solved) else 1)


@plain.command(rich_help_panel=FILES)
def why(mod: str) -> None:
    """Every path from a wanted line to a mod, for a problem on standard input."""
    problem = _problem()
    answer = find_lock(problem)
    if isinstance(answer, Impossible):
        print("\n".join(answer.because))
        raise typer.Exit(1)
    paths = paths_to(mod, answer.picks, list(problem.want))
    for path in paths:
        print(" needs ".join(f"{step} {answer.picks[step].version}" for step in path))
    if not paths:
        print(f"{mod} is not in the answer.")
        raise typer.Exit(1)


@plain.command("why-not", rich_help_panel=FILES)
def why_not(mod: str, version: str) -> None:
    """What rules a build out, for a problem on standard input."""
    print("\n".join(why_not_at_all(mod, version, _problem())))


@plain.command(rich_help_panel=FILES)
def inspect(
    archive: Annotated[Path, typer.Argument(help="A ZIP archive.")],
    game: Annotated[Path | None, typer.Option("--game", help="The game's profile, a TOML file.")] = None,
    kind: Annotated[Kind, typer.Option("--kind", help="What the archive is taken for.")] = Kind.MOD,
    hash_files: Annotated[bool, typer.Option("--hash", help="Hash every file in it.")] = False,
) -> None:
    """Say what an archive holds, where it would go, and what speaks against it. Nothing is unpacked."""
    layout = read_profile(game.read_text()).kinds.get(kind) if game else KindLayout("", "")
    if layout is None:
        raise MalformedInput(f"The game has no place for a {kind}.", now="Choose another kind.")
    members = contents(archive)
    found = inspect_members(members, layout)
    told: dict[str, Any] = {
        "archive": archive.name,
        "size": archive.stat().st_size,
        "sha256": sha256_of(archive),
        "files": found.files,
        "unpacked": found.unpacked,
        "refused": [{"path": one.path, "why": one.why} for one in found.refusals],
        "roots": list(found.roots),
        "root": found.root,
        "left_out": found.left_out,
        "notes": list(found.notes),
    }
    if found.is_fine and layout.marker:
        told["marker"] = marker_of(archive, f"{found.root}{layout.marker}")
    if found.is_fine and hash_files:
        told["hashes"] = dict(hashes(archive, members))
    print(json.dumps(told, ensure_ascii=False, indent=1))
    raise typer.Exit(0 if found.is_fine else 1)


@plain.command(rich_help_panel=FILES)
def scan(
    folder: Annotated[Path, typer.Argument(help="The game's folder, or one that somebody filled by hand.")],
    out: Annotated[Path | None, typer.Option("--out", help="Write the listing here, not to standard output.")] = None,
) -> None:
    """List a folder: every file with its size and hash. A pack's page takes the listing over into a draft."""
    if not folder.is_dir():
        raise MalformedInput(f"{folder} is no folder.", now="Name the game's folder.")
    rows = [[path, entry.stat().st_size, sha256_of(Path(entry.path))] for path, entry in _plain_files(folder)]
    text = json.dumps({"format": FORMAT, "files": sorted(rows)}, ensure_ascii=True, separators=(",", ":"))
    if out:
        write_at_once(out, text.encode(), among_others=True)
        print(f"{counted(len(rows), 'file')} listed in {out}.")
    else:
        print(text)


def _plain_files(folder: Path) -> Iterator[tuple[str, os.DirEntry[str]]]:
    """Links, pipes and devices are passed by: following them could lead anywhere. Names that are no text, too."""
    for path, entry in walk(folder):
        if entry.is_file(follow_symlinks=False) and path.isprintable():
            yield path, entry


def _problem() -> Problem:
    # A large problem is some million small objects, none of them garbage: collecting would only look at them again.
    gc.disable()
    return read_problem(sys.stdin.buffer.read())


def main() -> None:
    """The plain commands alone: they start faster without what syncing needs."""
    run(plain)
