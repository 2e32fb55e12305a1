"""What commands share: options, and the groups under which the help lists them."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

PLAY = "Play in step"
BACK = "Go back"
KEEP = "Keep, mend, end"
FILES = "For packs and scripts: plain files in, plain files out"

FolderOption = Annotated[Path, typer.Option("--folder", help="The installation's folder.")]
JsonOption = Annotated[bool, typer.Option("--json", help="Answer as JSON, for scripts; errors, too.")]
DownloadsOption = Annotated[Path | None, typer.Option("--downloads", help="Where your browser puts files.")]
