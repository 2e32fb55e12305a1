"""Commands that take and give plain files, and touch no installation."""

from __future__ import annotations

import json
import os
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Any

import typer

from convoy_core.outside.game_profile import read_profile
from convoy_core.outside.inspection import inspect_members
from convoy_core.outside.takeover import FORMAT
from convoy_core.words.errors import MalformedInput
from convoy_core.words.model import Kind
from convoy_core.words.profile import KindLayout
from convoy_core.words.wording import counted
from convoy_io.archives import contents, hashes, marker_of

from ..storage.files import sha256_of, walk, write_at_once
from .options import FILES

commands = typer.Typer()


@commands.command(rich_help_panel=FILES)
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


@commands.command(rich_help_panel=FILES)
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
