"""The command `convoy`. Exit codes: 0 done or in step, 1 behind or different, 2 refused or malformed input."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console
from rich.progress import BarColumn, DownloadColumn, TaskID, TextColumn, TimeRemainingColumn, TransferSpeedColumn
from rich.progress import Progress as Bar

from convoy_core.plan import Choices

from . import sync as work
from .plain import plain, run
from .store import Store

app = typer.Typer(
    help="Keeps an installation in step with its pack.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
)
app.registered_commands += plain.registered_commands
app.registered_groups += plain.registered_groups
out = Console(highlight=False, soft_wrap=True)

FolderOption = Annotated[Path, typer.Option("--folder", help="The installation's folder.")]
_store: list[Store] = []


@app.callback()
def options(
    store: Annotated[
        Path | None, typer.Option("--store", help="Where archives are kept, for all installations.")
    ] = None,
) -> None:
    _store[:] = [Store(store)] if store else []


@app.command()
def join(
    code: Annotated[str, typer.Argument(help="The pairing code from the installation's page.")],
    into: Annotated[Path, typer.Option("--into", help="A new or empty folder.")],
    site: Annotated[str, typer.Option("--site", envvar="CONVOY_SITE", help="The site's address.")],
    key: Annotated[str, typer.Option("--key", help="The site's key, as the installation's page shows it.")] = "",
) -> None:
    """Pair a folder with an installation."""
    pairing = work.join(code, site, into, key)
    out.print(f"{into} follows [bold]{pairing.pack}[/] from now on. The site's key is {pairing.key}.")
    out.print(f"Next: convoy sync --folder {into}")


@app.command()
def sync(
    folder: FolderOption = Path(),
    extras_aside: Annotated[
        bool, typer.Option("--extras-aside", help="Move aside what lies in the pack's folders and is not the pack's.")
    ] = False,
) -> None:
    """Bring the folder to the pack's newest release."""
    with _Bar() as screen:
        done = work.sync(folder, _the_store(), screen, Choices(extras_aside))
    if done.recovered:
        out.print("A change that was interrupted earlier was completed first.")
    out.print(f"Release {done.release}: {work.describe(done.plan)}.")
    for path in done.aside:
        out.print(f"  moved aside: {path}")
    for path in done.plan.extras:
        out.print(f"  not of the pack, left alone: {path}")


@app.command()
def status(folder: FolderOption = Path()) -> None:
    """Say where the folder stands, and report it."""
    _tell(work.status(folder))


@app.command()
def verify(folder: FolderOption = Path()) -> None:
    """Hash every file anew, and say what differs."""
    _tell(work.status(folder, thorough=True))


def _tell(found: work.Status) -> None:
    out.print(f"[bold]{found.pairing.pack}[/]: release {found.release or 'none yet'}, newest is {found.current}")
    for path, what in sorted(found.deviations.items()):
        out.print(f"  {what.value}: {path}")
    if found.fingerprint:
        out.print(f"fingerprint {found.fingerprint}")
    if found.deviations or found.release != found.current:
        out.print("Not in step. Next: convoy sync")
        raise typer.Exit(1)
    out.print("In step.")


def _the_store() -> Store:
    return _store[0] if _store else Store()


class _Bar:
    """Progress on the terminal: bytes, speed, time left."""

    def __init__(self) -> None:
        columns = (
            TextColumn("{task.description}"),
            BarColumn(),
            DownloadColumn(),
            TransferSpeedColumn(),
            TimeRemainingColumn(),
        )
        self._bar = Bar(*columns, TextColumn("{task.fields[what]}"), console=out, transient=True)
        self._task: TaskID | None = None

    def __enter__(self) -> _Bar:
        self._bar.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._bar.stop()

    def phase(self, phase: str, total: int) -> None:
        if self._task is not None:
            self._bar.remove_task(self._task)
        self._task = self._bar.add_task(phase, total=total, what="")

    def move(self, done: int, what: str) -> None:
        if self._task is not None:
            self._bar.update(self._task, completed=done, what=what)


def main() -> None:
    """The whole command line."""
    run(app)
