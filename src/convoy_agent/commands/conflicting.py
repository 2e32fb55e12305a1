"""`convoy conflicts`: what is lost where folders are laid over each other. It touches no installation."""

from __future__ import annotations

import json
import sys
from pathlib import Path

import typer

from convoy_core.conflicts.clashes import Compared, Tree, compare
from convoy_core.conflicts.laying import Layer, Meeting, lay
from convoy_core.conflicts.wire import ConflictProblem, FolderLayer, Unread, conflict_answer, read_conflict_problem
from convoy_core.outside.patterns import matcher
from convoy_core.settings.formats import MAX_BYTES, UnreadableSettings, read_tree
from convoy_core.words.errors import MalformedInput

from ..storage.files import sha256_of, walk
from .options import FILES

commands = typer.Typer()


@commands.command(rich_help_panel=FILES)
def conflicts() -> None:
    """Read layers of folders as JSON from standard input, and write which files and keys are lost where they meet."""
    try:
        problem = read_conflict_problem(json.load(sys.stdin))
    except (ValueError, RecursionError) as error:
        raise MalformedInput("The problem is no JSON.", str(error)[:200]) from error
    places = {layer.mod: _files_of(layer) for layer in problem.layers}
    laid = lay(_hashed(places), problem.winners, problem.set_aside)
    compared, unread = _compared(laid.meetings, places, problem)
    print(json.dumps(conflict_answer(laid.meetings, compared, unread), ensure_ascii=False))


def _files_of(layer: FolderLayer) -> dict[str, Path]:
    folder = Path(layer.folder)
    if not folder.is_dir():
        raise MalformedInput(f"{layer.folder} is no folder.", now="Name the folder that the mod was unpacked to.")
    return {
        path: Path(entry.path)
        for path, entry in walk(folder)
        if entry.is_file(follow_symlinks=False) and layer.parts.keep(path)
    }


def _hashed(places: dict[str, dict[str, Path]]) -> list[Layer]:
    """Only what several layers carry has to be read."""
    seen: set[str] = set()
    several: set[str] = set()
    for files in places.values():
        several |= seen & files.keys()
        seen |= files.keys()
    return [
        Layer(mod, {path: sha256_of(place) if path in several else "" for path, place in files.items()})
        for mod, files in places.items()
    ]


def _compared(
    meetings: tuple[Meeting, ...], places: dict[str, dict[str, Path]], problem: ConflictProblem
) -> tuple[dict[str, Compared], list[Unread]]:
    compared: dict[str, Compared] = {}
    unread: list[Unread] = []
    for meeting in meetings:
        if not problem.readable or not matcher(problem.readable).fullmatch(meeting.path):
            continue
        trees: dict[str, Tree] = {}
        for mod in meeting.by:
            try:
                trees[mod] = _tree(meeting.path, places[mod][meeting.path])
            except UnreadableSettings as error:
                unread.append(Unread(meeting.path, mod, error.sentence()))
        if len(trees) == len(meeting.by):
            compared[meeting.path] = compare(meeting, trees)
    return compared, unread


def _tree(path: str, place: Path) -> Tree:
    with place.open("rb") as file:
        # One byte more than may be read: what is larger is refused by its size, not by how it was cut.
        return read_tree(path, file.read(MAX_BYTES + 1))
