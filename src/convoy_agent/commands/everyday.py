"""Commands of an evening: join, sync, look, bring what only a person can bring, tick what only a person can do."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Annotated

import typer

from convoy_core.lock.lock import LockedBuild
from convoy_core.sync.errands import minutes, what_to_do
from convoy_core.sync.orders import ASKED_FOR, Allowance
from convoy_core.sync.plan import Act, SyncChoices
from convoy_core.trust.statement import Named
from convoy_core.words.errors import MalformedInput
from convoy_core.words.model import Side
from convoy_core.words.wording import counted

from .. import by_file, by_hand, with_session
from .. import join as joining
from .. import sync as work
from ..change import Wish
from ..fetching import inbox as hand
from ..folder import machine as machines
from ..folder.allowed import Allowed
from ..folder.folder import Folder
from ..watch import Watcher
from .exits import DONE, LEFT
from .options import PLAY, DownloadsOption, FolderOption, JsonOption
from .screen import Bar, asking, print_json, say
from .sentences import say_synced
from .the_store import keep_store

commands = typer.Typer()


@commands.command(rich_help_panel=PLAY)
def join(
    code: Annotated[str, typer.Argument(help="The pairing code from the installation's page, or a pack as a file.")],
    into: Annotated[Path, typer.Option("--into", help="A new or empty folder.")],
    site: Annotated[str, typer.Option("--site", envvar="CONVOY_SITE", help="The site's address.")] = "",
    key: Annotated[str, typer.Option("--key", help="The site's key, as the installation's page shows it.")] = "",
    side: Annotated[Side, typer.Option("--side", help="Of a file: for a player or for the server.")] = Side.PLAYER,
    game: Annotated[Path | None, typer.Option("--game", help="Copy this game into the folder first.")] = None,
    as_it_is: Annotated[
        bool, typer.Option("--as-it-is", help="The folder holds a game already: adopt what is the pack's.")
    ] = False,
    again: Annotated[
        bool, typer.Option("--again", help="The folder follows the pack already, and the site no longer knows it.")
    ] = False,
    with_worlds: Annotated[
        bool, typer.Option("--with-worlds", help="Of a file: lay down the saved worlds that it brings.")
    ] = False,
    as_json: JsonOption = False,
) -> None:
    """Pair a folder with an installation, or have it follow a pack as a file, without any site."""
    file = Path(code)
    is_file = file.is_file()
    if not site and not is_file:
        raise MalformedInput(f"“{code}” is no file here.", now="Name the site with --site, where it is a code.")
    with Bar(quiet=as_json) as screen:
        pairing = (
            by_file.join_file(file, into, keep_store(), key, side, game, as_it_is, screen, with_worlds).pairing
            if is_file
            else joining.join(code, site, into, key, game, as_it_is, screen, again)
        )
    if as_json:
        print_json({"folder": str(into), "pack": pairing.pack, "key": pairing.key, "side": pairing.side})
        return
    say(f"{into} follows {pairing.pack} from now on. {'Its' if is_file else 'The site’s'} key is {pairing.key}.")
    say(f"Next: convoy sync --folder {into}")


@commands.command(rich_help_panel=PLAY)
def sync(
    file: Annotated[Path | None, typer.Argument(help="A pack as a file, where the folder follows files.")] = None,
    folder: FolderOption = Path(),
    extras_aside: Annotated[
        bool, typer.Option("--extras-aside", help="Move aside what lies in the pack's folders and is not the pack's.")
    ] = False,
    only: Annotated[list[str] | None, typer.Option("--only", help="Mend this path alone. May be repeated.")] = None,
    to: Annotated[str, typer.Option("--to", help="Another release than the one that you follow.")] = "",
    anyway: Annotated[bool, typer.Option("--anyway", help="Fetch more than the line's limit allows.")] = False,
    wait: Annotated[bool, typer.Option("--wait", help="Wait for files that you bring, and go on by itself.")] = False,
    downloads: DownloadsOption = None,
    as_json: JsonOption = False,
) -> None:
    """Bring the folder to the release that it follows. Worlds and settings of yours stay."""
    if file is not None:
        by_file.take_file(file, folder, keep_store())
    with Bar(quiet=as_json) as screen:
        bring = _Bringer(folder, downloads or hand.downloads(), wait, as_json)
        choices = SyncChoices(extras_aside, frozenset(only) if only else None)
        named = Named(to, "") if to else None
        done = work.sync(folder, keep_store(), screen, Wish(choices, named, anyway, bring, asking(as_json)))
    if not as_json:
        say_synced(done)
        return
    print_json(
        {
            "release": done.release,
            "aside": done.aside,
            "recovered": done.recovered,
            "notes": done.notes,
            "counts": {act.value: done.plan.count(act) for act in Act},
            "mods": done.mods,
            "worlds": [{"what": one.sentence, "note": one.note} for one in done.plan.worlds],
            "backup": done.backup.id if done.backup else "",
            "extras": done.plan.extras,
            "steps_left": done.steps_left,
            "undone": dict(done.undone),
            "remarks": done.remarks,
            "unheard": done.unheard,
        }
    )


@commands.command(rich_help_panel=PLAY)
def watch(
    folder: FolderOption = Path(),
    once: Annotated[bool, typer.Option("--once", help="Do what is waiting, then end.")] = False,
    downloads: DownloadsOption = None,
    install: Annotated[
        bool, typer.Option("--install", help="From now on, start this with your session; begin at once.")
    ] = False,
    remove: Annotated[bool, typer.Option("--remove", help="Start it with your session no longer.")] = False,
    program: Annotated[
        Path | None, typer.Option("--program", help="Your game, which the page may have started.")
    ] = None,
    allow_all: Annotated[
        bool, typer.Option("--allow-all", help="Let the page ask for all that you would be asked about first.")
    ] = False,
) -> None:
    """Keep reporting, and do what you ask for on the installation's page."""
    if allow_all:
        Allowed(Folder(folder).own).keep(Allowance)
    if install or remove:
        _with_session(folder, install)
        return
    with Bar(quiet=once) as screen:
        ask, places = asking(quiet=once), [downloads or hand.downloads()]
        Watcher(folder, keep_store(), places, say, screen, ask, program).run(once)


@commands.command(rich_help_panel=PLAY)
def allow(
    what: Annotated[list[Allowance] | None, typer.Argument(help="What the page may ask for from now on.")] = None,
    no_longer: Annotated[bool, typer.Option("--no-longer", help="It may ask for that no longer.")] = False,
    folder: FolderOption = Path(),
    as_json: JsonOption = False,
) -> None:
    """Say what the installation's page may ask for here without you being asked first. Without a name: list it."""
    here = Folder(folder)
    with here.held():
        allowed = Allowed(here.own)
        if what:
            allowed.keep(allowed.all() - set(what) if no_longer else allowed.all() | set(what))
        now = allowed.all()
    if as_json:
        print_json(sorted(now))
        return
    for one in Allowance:
        say(f"{one.value:8}  {'allowed' if one in now else 'not allowed':11}  {ASKED_FOR[one]}")


def _with_session(folder: Path, install: bool) -> None:
    Folder(folder).pairing()  # Nothing is started for a folder that follows no pack.
    start = with_session.start_here(folder)
    if install:
        with_session.install(start)
        say(f"{folder} is watched from now on, whenever your session starts. Written: {start.place}")
        say("“convoy watch --remove” ends that.")
    elif with_session.remove(start):
        say(f"{folder} is watched no longer when your session starts.")
    else:
        say(f"{folder} was not watched from the start of your session.")


@commands.command(rich_help_panel=PLAY)
def errands(folder: FolderOption = Path(), as_json: JsonOption = False) -> None:
    """List the files that only you can bring, each with its page. Exit code 1 while one is missing."""
    left = by_hand.errands_of(folder, keep_store())
    if as_json:
        print_json([{"mod": one.build.mod, "version": one.build.version, "file": one.build.archive.name,
                     "size": one.build.archive.size, "sha256": one.build.archive.sha256, "page": one.page,
                     "what_to_do": what_to_do(one.build)} for one in left])  # fmt: skip
    else:
        for one in left:
            say(f"{one.build.name} {one.build.version}: {one.page}")
            say(f"  {what_to_do(one.build)}")
        about = f"{counted(len(left), 'file')} to bring, about {counted(minutes(one.build for one in left), 'minute')}."
        say(f"{about} Next: convoy sync --wait" if left else "Nothing is to be brought by hand.")
    raise typer.Exit(LEFT if left else DONE)


@commands.command(rich_help_panel=PLAY)
def bring(
    files: Annotated[list[Path], typer.Argument(help="Files that you downloaded, under any name.")],
    folder: FolderOption = Path(),
    as_json: JsonOption = False,
) -> None:
    """Hand over files that you were asked to bring. Exit code 1 while one is missing."""
    plan = work.status(folder, keep_store()).plan
    wanted = list(plan.errands) if plan else []
    arrived = hand.Lookout(keep_store(), []).take(files, wanted)
    left = [build for build in wanted if build not in arrived.taken]
    wrong = [(file, meant, by_hand.name_of(folder, file)) for file, meant in arrived.wrong]
    if as_json:
        print_json({"taken": [build.archive.name for build in arrived.taken],
                    "wrong": [{"file": str(file), "is": name} for file, _, name in wrong],
                    "left": [build.archive.name for build in left]})  # fmt: skip
        raise typer.Exit(LEFT if left else DONE)
    for build in arrived.taken:
        say(f"{build.name} {build.version}: that was it.")
    for file, meant, name in wrong:
        say(f"{file.name} is not {meant.name} {meant.version}; it is {name or 'a file that nobody knows'}.")
    say(f"{counted(len(left), 'file')} still to bring." if left else "Nothing is left to bring. Next: convoy sync")
    raise typer.Exit(LEFT if left else DONE)


@commands.command(rich_help_panel=PLAY)
def steps(
    folder: FolderOption = Path(),
    done: Annotated[list[str] | None, typer.Option("--done", help="Tick a step, by its name.")] = None,
    undone: Annotated[list[str] | None, typer.Option("--undone", help="Untick it.")] = None,
    as_json: JsonOption = False,
) -> None:
    """List the steps that only you can do, and tick them. Exit code 1 while one is left."""
    for names, ticked in ((done or [], True), (undone or [], False)):
        for name in names:
            by_hand.tick(folder, name, ticked)
    found = by_hand.steps_of(folder)
    if as_json:
        print_json(found)
    for one in () if as_json else found:
        how = "seen" if one["seen"] else "ticked" if one["done"] else "to do"
        say(f"{how:6}  {one['id']}: {one['text']}")
    if not found and not as_json:
        say("This release asks for no steps by hand.")
    raise typer.Exit(DONE if all(one["done"] for one in found) else LEFT)


@commands.command(rich_help_panel=PLAY)
def machine(
    runtime: Annotated[list[str] | None, typer.Option("--runtime", help="A runtime that is installed here.")] = None,
    folder: FolderOption = Path(),
    as_json: JsonOption = False,
) -> None:
    """Say what this machine is, and which runtimes it has."""
    if runtime:
        machines.say_runtimes(runtime)
    told = machines.facts(folder)
    if as_json:
        print_json(told)
        return
    say(f"{told['memory_mb']} MB of memory, {told['disk_free'] // 2**20} MB free on the disk, {told['system']}")
    say(f"runtimes: {', '.join(told['runtimes']) or 'not said; see --runtime'}")


class _Bringer:
    """What the command line does when errands are all that is missing: looks into the downloads, and may wait."""

    def __init__(self, folder: Path, downloads: Path, wait: bool, quiet: bool) -> None:
        self._folder, self._wait, self._quiet = folder, wait, quiet
        self._lookout = hand.Lookout(keep_store(), [downloads, Folder(folder).inbox])

    def __call__(self, left: Sequence[LockedBuild]) -> Sequence[LockedBuild]:
        turns = iter((True,))
        if self._wait and not self._quiet:
            say(f"{counted(len(left), 'file')} to bring, about {minutes(left)} minutes:")
            for build in left:
                say(f"  {build.name} {build.version}: {what_to_do(build)}")
        return hand.wait_for(left, self._lookout, self._said, lambda: self._wait or next(turns, False))

    def _said(self, arrived: hand.Arrived, missing: Sequence[LockedBuild]) -> None:
        if self._quiet:
            return
        for build in arrived.taken:
            say(f"{build.name} {build.version} has arrived, {len(missing)} to go.")
        for file, meant in arrived.wrong:
            say(f"{file.name} is another build; wanted is {meant.name} {meant.version}.")
