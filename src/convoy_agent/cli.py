"""The command `convoy`. Exit codes: 0 done or in step, 1 behind or different, 2 refused or malformed input."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any

import typer

from convoy_core.errands import minutes, what_to_do
from convoy_core.lock import LockedBuild
from convoy_core.plan import Act, Choices, Plan
from convoy_core.words import counted

from . import asked
from . import errands as hand
from . import machine as machines
from . import sync as work
from .backups import Backups
from .folder import Folder
from .leaving import leave as leave_pack
from .plain import plain, run
from .screen import Bar, say
from .storing import keep as keep_store
from .storing import store_app
from .watch import Watcher

app = typer.Typer(
    help="Keeps an installation in step with its pack.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
)
app.registered_commands += plain.registered_commands
app.registered_groups += plain.registered_groups
app.add_typer(store_app, name="store")

FolderOption = Annotated[Path, typer.Option("--folder", help="The installation's folder.")]
JsonOption = Annotated[bool, typer.Option("--json", help="Answer as JSON, for scripts.")]
DownloadsOption = Annotated[Path | None, typer.Option("--downloads", help="Where your browser puts files.")]


@app.callback()
def options(
    store: Annotated[
        Path | None, typer.Option("--store", help="Where archives are kept, for all installations.")
    ] = None,
) -> None:
    if store:
        keep_store(store)


@app.command()
def join(
    code: Annotated[str, typer.Argument(help="The pairing code from the installation's page.")],
    into: Annotated[Path, typer.Option("--into", help="A new or empty folder.")],
    site: Annotated[str, typer.Option("--site", envvar="CONVOY_SITE", help="The site's address.")],
    key: Annotated[str, typer.Option("--key", help="The site's key, as the installation's page shows it.")] = "",
    game: Annotated[Path | None, typer.Option("--game", help="Copy this game into the folder first.")] = None,
    as_it_is: Annotated[
        bool, typer.Option("--as-it-is", help="The folder holds a game already: adopt what is the pack's.")
    ] = False,
    again: Annotated[
        bool, typer.Option("--again", help="The folder follows the pack already, and the site no longer knows it.")
    ] = False,
) -> None:
    """Pair a folder with an installation."""
    with Bar() as screen:
        pairing = work.join(code, site, into, key, game, as_it_is, screen, again)
    say(f"{into} follows {pairing.pack} from now on. The site's key is {pairing.key}.")
    say(f"Next: convoy sync --folder {into}")


@app.command()
def sync(
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
    """Bring the folder to the release that it follows."""
    with Bar(quiet=as_json) as screen:
        bring = _Bringer(folder, downloads or hand.downloads(), wait, as_json)
        choices = Choices(extras_aside, frozenset(only) if only else None)
        done = work.sync(folder, keep_store(), screen, work.Wish(choices, to, anyway, bring))
    if as_json:
        _print_json({"release": done.release, "aside": done.aside, "recovered": done.recovered, "notes": done.notes,
                     "counts": {act.value: done.plan.count(act) for act in Act}})  # fmt: skip
        return
    if done.recovered:
        say("A change that was interrupted earlier was completed first.")
    say(f"Release {done.release}: {work.describe(done.plan)}.")
    for path in done.aside:
        say(f"  moved aside: {path}")
    for note in done.notes:
        _print_note(note)
    for path in done.plan.extras:
        say(f"  not of the pack, left alone: {path}")
    if done.unheard:
        say("The site did not answer any more; it hears of this from the next look.")


def _print_note(note: Any) -> None:
    if "problem" in note:
        say(f"  {note['problem']} The pack's lies beside it: {note.get('beside', '')}")
    for one in note.get("kept", ()):
        say(f"  yours stays: {note['path']}, {one['key']} = {one['mine']} (the pack says {one['new']})")
    for one in note.get("overruled", ()):
        say(f"  enforced: {note['path']}, {one['key']} = {one['new']} (was {one['mine']})")


@app.command()
def status(folder: FolderOption = Path(), as_json: JsonOption = False) -> None:
    """Say where the folder stands and what a sync would do, and report it."""
    _tell(work.status(folder, keep_store()), as_json)


@app.command()
def verify(folder: FolderOption = Path(), as_json: JsonOption = False) -> None:
    """Hash every file anew, and say what differs."""
    _tell(work.status(folder, keep_store(), thorough=True), as_json)


def _tell(found: work.Status, as_json: bool) -> None:
    in_step = not found.deviations and found.release == found.current
    if as_json:
        told = {"pack": found.pairing.pack, "release": found.release, "newest": found.current, "in_step": in_step}
        _print_json({**told, "deviations": dict(found.deviations), "fingerprint": found.fingerprint,
                     "plan": _plan_data(found.plan)})  # fmt: skip
        raise typer.Exit(0 if in_step else 1)
    newest = f"newest is {found.current}" if found.current else "no other is open yet"
    say(f"{found.pairing.pack}: release {found.release or 'none yet'}, {newest}")
    for path, what in sorted(found.deviations.items()):
        say(f"  {what.value}: {path}")
    if found.fingerprint:
        say(f"fingerprint {found.fingerprint}")
    if found.plan and found.plan.moves:
        say(f"A sync would do: {work.describe(found.plan)}")
    for world in found.plan.worlds if found.plan else ():
        say(f"  worlds: {world.change.sentence()}. {world.note}")
    if in_step:
        say("In step.")
        return
    say("Not in step. Next: convoy sync" if found.current or found.deviations else "Not in step. Wait for a release.")
    raise typer.Exit(1)


def _plan_data(plan: Plan | None) -> dict[str, Any] | None:
    if plan is None:
        return None
    return {
        "moves": [[move.act, move.path] for move in plan.moves],
        "left_alone": plan.left_alone,
        "mine": list(plan.mine),
        "extras": list(plan.extras),
        "fetch_bytes": plan.fetch_bytes,
        "errands": [build.archive.name for build in plan.errands],
    }


@app.command()
def watch(
    folder: FolderOption = Path(),
    once: Annotated[bool, typer.Option("--once", help="Do what is waiting, then end.")] = False,
    downloads: DownloadsOption = None,
) -> None:
    """Keep reporting, and do what you ask for on the installation's page."""
    with Bar(quiet=once) as screen:
        Watcher(folder, keep_store(), [downloads or hand.downloads()], say, screen).run(once)


@app.command()
def bring(
    files: Annotated[list[Path], typer.Argument(help="Files that you downloaded, under any name.")],
    folder: FolderOption = Path(),
) -> None:
    """Hand over files that you were asked to bring."""
    plan = work.status(folder, keep_store()).plan
    wanted = list(plan.errands) if plan else []
    arrived = hand.Lookout(keep_store(), []).take(files, wanted)
    for build in arrived.taken:
        say(f"{build.name} {build.version}: that was it.")
    for file, meant in arrived.wrong:
        name = asked.name_of(folder, file) or "a file that nobody knows"
        say(f"{file.name} is not {meant.name} {meant.version}; it is {name}.")
    left = len(wanted) - len(arrived.taken)
    say(f"{counted(left, 'file')} still to bring." if left else "Nothing is left to bring. Next: convoy sync")
    raise typer.Exit(1 if left else 0)


@app.command()
def undo(folder: FolderOption = Path()) -> None:
    """Take the last sync back."""
    say(f"Back at release {asked.undo(folder, keep_store()).release}.")


@app.command("put-back")
def put_back(
    sync_id: Annotated[str, typer.Argument(help="As “convoy history --json” names it.")], folder: FolderOption = Path()
) -> None:
    """Return what a sync moved aside to its place, where that is free."""
    for path in asked.put_back(folder, sync_id)[0]:
        say(f"back in place: {path}")


@app.command()
def history(folder: FolderOption = Path(), as_json: JsonOption = False) -> None:
    """Every sync that changed something, newest last."""
    here = Folder(folder)
    here.pairing()
    entries = here.entries()
    if as_json:
        _print_json(entries)
        return
    for one in entries:
        what = "taken back" if one.get("undoes") else work.said(one["counts"])
        say(f"{one['id'][:10]}  {one['from'] or 'nothing'} → {one['release']}  {what}")


@app.command()
def backup(folder: FolderOption = Path()) -> None:
    """Back up worlds and settings."""
    say(f"Backed up: {asked.back_up(folder).holds()}.")


@app.command()
def backups(folder: FolderOption = Path(), as_json: JsonOption = False) -> None:
    """List the backups of worlds and settings."""
    here = Folder(folder)
    here.pairing()
    found = Backups(here).all()
    if as_json:
        _print_json([asdict(one) for one in found])
        return
    for one in found:
        say(f"{one.id}  {one.made_at}  {counted(len(one.files), 'file')}, {one.size // 1024} KB  {one.why}")
    if not found:
        say("No backup yet.")


@app.command()
def restore(
    backup: Annotated[str, typer.Argument(help="As “convoy backups” lists it.")], folder: FolderOption = Path()
) -> None:
    """Go back to a backup of worlds and settings."""
    say(f"Worlds and settings are back. How they were is kept as {asked.restore(folder, backup).id}.")


@app.command()
def steps(
    folder: FolderOption = Path(),
    done: Annotated[list[str] | None, typer.Option("--done", help="Tick a step, by its name.")] = None,
    undone: Annotated[list[str] | None, typer.Option("--undone", help="Untick it.")] = None,
    as_json: JsonOption = False,
) -> None:
    """List the steps that only you can do, and tick them. Exit code 1 while one is left."""
    for names, ticked in ((done or [], True), (undone or [], False)):
        for name in names:
            asked.tick(folder, name, ticked)
    found = asked.steps_of(folder)
    if as_json:
        _print_json(found)
    for one in () if as_json else found:
        how = "seen" if one["seen"] else "ticked" if one["done"] else "to do"
        say(f"{how:6}  {one['id']}: {one['text']}")
    if not found and not as_json:
        say("This release asks for no steps by hand.")
    raise typer.Exit(0 if all(one["done"] for one in found) else 1)


@app.command()
def leave(
    folder: FolderOption = Path(),
    keep_all: Annotated[bool, typer.Option("--keep-all", help="Leave every file where it is.")] = False,
) -> None:
    """Stop following the pack: its files go, yours stay."""
    left = leave_pack(folder, work.utc_now(), keep_all)
    say(f"{counted(left.removed, 'file')} of the pack removed, {left.brought_back} of yours back in place.")
    for path in left.stayed:
        say(f"  altered by you, stays: {path}")
    if left.kept:
        say(f"Files that were moved aside, and backups, lie in {Path(folder) / left.kept}.")


@app.command()
def machine(
    runtime: Annotated[list[str] | None, typer.Option("--runtime", help="A runtime that is installed here.")] = None,
    folder: FolderOption = Path(),
) -> None:
    """Say what this machine is, and which runtimes it has."""
    if runtime:
        machines.say_runtimes(runtime)
    told = machines.facts(folder)
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


def _print_json(value: Any) -> None:
    # Escaped: a name on the disk may hold bytes that are no letters.
    print(json.dumps(value, indent=1, default=list))


def main() -> None:
    """The whole command line."""
    run(app)
