"""`convoy play`, and what was kept of earlier starts."""

from __future__ import annotations

import signal
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from convoy_core.log.wire import log_as_json
from convoy_io.games import Stopped

from .. import play as playing
from .. import sync as work
from ..change import Wish
from ..errors import NotInStep
from ..folder.allowed import Ask
from ..folder.folder import Folder
from ..play import How
from ..playing.runs import Runs
from .exits import DONE, LEFT
from .options import PLAY, FolderOption, JsonOption
from .screen import Bar, asking, print_json, say
from .sentences import say_synced
from .the_store import keep_store

commands = typer.Typer()

HARM = (
    "The game is still running. What it has not saved is lost, and a world that it is just writing may be damaged. "
    "End it?"
)


@commands.command(rich_help_panel=PLAY)
def play(
    folder: FolderOption = Path(),
    plain: Annotated[bool, typer.Option("--plain", help="Start the game without mods.")] = False,
    server: Annotated[str, typer.Option("--server", help="Join a server: its name, with :PORT where it has one.")] = "",
    window: Annotated[str, typer.Option("--window", help="Width and height, as 1280x720.")] = "",
    memory: Annotated[int, typer.Option("--memory", help="MB to give it, instead of what suits this machine.")] = 0,
    program: Annotated[Path | None, typer.Option("--program", help="Your game: what is to be started.")] = None,
    game: Annotated[Path | None, typer.Option("--game", help="The game's profile, without a site.")] = None,
    first: Annotated[bool, typer.Option("--sync", help="Sync first, where it is not in step.")] = False,
    anyway: Annotated[bool, typer.Option("--anyway", help="Start it although it is not in step.")] = False,
    alone: Annotated[bool, typer.Option("--alone", help="What nobody else has is off while it runs.")] = False,
    yes: Annotated[bool, typer.Option("--yes", help="The program named with --program is the right one.")] = False,
    as_json: JsonOption = False,
) -> None:
    """Start the game in step, watch it, and say how it ended. Exit code 1 where it did not end well."""
    ask = asking(as_json)
    # What is said beforehand is said of the program alone: neither of going back, nor of ending a game.
    confirm = (lambda question: True) if yes and program else ask
    how = How(plain, server, window, program, game, memory, anyway, alone)
    tell = (lambda text: None) if as_json else say
    try:
        done = _started(folder, how, confirm, ask, tell)
    except NotInStep as error:
        if not first and not ask(f"{error.sentence()} Sync first?"):
            raise
        with Bar(quiet=as_json) as screen:
            synced = work.sync(folder, keep_store(), screen, Wish(ask=ask))
        if not as_json:
            say_synced(synced)
        done = _started(folder, how, confirm, ask, tell)
    run = done.run
    if as_json:
        print_json({**asdict(run), "sentence": done.sentence, "log": log_as_json(done.log)})
    else:
        say(done.sentence)
        counts = [f"{count} {severity}" for severity, count in run.counts.items() if count and severity != "debug"]
        say(f"Its log: {', '.join(counts) or 'nothing'}. Read it: convoy runs {run.id} --folder {folder}")
        for path, text in run.reports:
            say(f"Crash report: {path}")
            say("\n".join(text.splitlines()[:12]))
        if run.new_files:
            say(f"It wrote settings that were not there before: {', '.join(run.new_files[:6])}")
    raise typer.Exit(DONE if run.is_good else LEFT)


def _started(folder: Path, how: How, confirm: Ask, ask: Ask, tell: Callable[[str], None]) -> playing.Played:
    with _ending(ask) as wanted:
        return playing.play(folder, keep_store(), how, confirm, tell, wanted)


@contextmanager
def _ending(ask: Ask) -> Iterator[playing.Wanted]:
    """Ctrl-C does not end the game: it asks first, and says what that can harm. Twice in a row it does."""
    pressed: list[bool] = []
    asked: list[bool] = []

    def wanted(up: float | None) -> Stopped | None:
        if not pressed:
            return None
        again = len(pressed) > 1 and bool(asked)
        pressed.clear()
        asked.append(True)
        return Stopped.ASKED if again or ask(HARM) else None

    before = signal.signal(signal.SIGINT, lambda *_: pressed.append(True))
    try:
        yield wanted
    finally:
        signal.signal(signal.SIGINT, before)


@commands.command(rich_help_panel=PLAY)
def runs(
    which: Annotated[str, typer.Argument(help="A start whose log is wanted; without it, they are listed.")] = "",
    pin: Annotated[bool, typer.Option("--pin", help="Keep it for good.")] = False,
    folder: FolderOption = Path(),
    as_json: JsonOption = False,
) -> None:
    """List earlier starts, and how each ended; the place of one's log."""
    kept = Runs(Folder(folder).own)
    found = [one for one in kept.all() if which in ("", one.id)]
    if pin and which:
        kept.pin(which)
    if as_json:
        print_json({"played_seconds": kept.played(), "runs": [asdict(one) for one in found]})
        return
    for one in found:
        say(f"{one.id}  {one.release or 'no release'}  {playing.in_words(one)}")
    if which and found:
        say(f"Its log, packed: {kept.log_of(which)}. “convoy log” reads it.")
    if not found:
        say("Nothing was started here yet." if not which else f"There is no start {which}.")
    elif not which:
        say(f"Played here in all: {kept.played() / 3600:.1f} h.")
