"""An installation's folder: what the agent keeps in it, what lies in it, and one agent at a time.

.convoy/pairing.json   site, token, pinned key         .convoy/staging/   verified files on their way in
.convoy/record.json    what was placed, with hashes    .convoy/aside/     what was in the way, by sync
.convoy/releases/      releases, with signatures       .convoy/inbox/     files that the member brought
.convoy/journal.json   a change under way              .convoy/lock       held while an agent works
.convoy/history/       every sync, a file each         .convoy/settings/  settings as releases rendered them
.convoy/head.json      what the site said last         .convoy/backups/   worlds and settings (`backups`)
.convoy/steps.json     steps by hand that are done     .convoy/before/    what lay here before joining (`before`)
.convoy/count.json     the last number that was given  .convoy/damaged/   files of the agent's own that were spoilt
.convoy/beside/        collections beside (`beside`)     .convoy/runs/      starts of the game (`playing.runs`)
.convoy/program.json   what the member lets be run     .convoy/playing    held while the game runs
.convoy/trust.json     charter, newest word (`trust`)  .convoy/allowed.json  what the page may ask for here
.convoy/off/           what is off while the game runs   (`off`)
.convoy/narrowing.json what was tried (`narrowing_here`) .convoy/narrowing/   what is put by for that (`put_by`)

Files end in .json and are `sealed`. A loss is told (`Folder.remarks`), and what can be made anew is.
"""

from __future__ import annotations

import os
from collections.abc import Collection, Iterator
from contextlib import contextmanager, suppress
from dataclasses import asdict, replace
from functools import cached_property
from pathlib import Path
from typing import Any, TypeVar

from filelock import FileLock, Timeout

from convoy_core.lock.in_worlds import for_worlds, in_worlds
from convoy_core.lock.lock import Lock
from convoy_core.lock.recipe import Recipe
from convoy_core.lock.terms import Terms
from convoy_core.outside.paths import AGENT_FOLDER, is_litter, is_safe, respelled
from convoy_core.sync.plan import NOT_PLAIN, NOT_READ, is_extra
from convoy_core.trust.statement import Named
from convoy_core.words.errors import ConvoyError
from convoy_core.words.profile import WORLD

from ..errors import BeingNarrowed, FolderRefused, NotPaired, SomebodyElse
from ..site.head import Head, Pairing, beside_of, milestones_of, pinned_of
from ..storage import disk, sealed
from ..storage.disk import is_link
from ..storage.files import free_name, hashed, move, trouble_told, walk
from .beside import BesideKept
from .history import Entry, History
from .off import switch_on
from .record import UNSEEN, Record, read_record, rebuilt
from .releases import Releases, share_of

Thing = TypeVar("Thing")

OWN_FOLDERS = (
    "backups", "history", "releases", "before", "settings", "staging", "aside", "inbox", "damaged", "narrowing", "off",
)  # fmt: skip
"""Folders of the agent's own in which no entry may be a link, but for what a member brought into the inbox."""


class Folder:
    """One installation on disk. `remarks` gathers what its person has to be told beside what they asked for."""

    def __init__(self, root: Path) -> None:
        self.root = Path(disk.far_reaching(str(root.absolute())))
        self.own = self.root / AGENT_FOLDER
        self.staging = self.own / "staging"
        self.inbox = self.own / "inbox"
        self.settings = self.own / "settings"
        self.releases = Releases(self.own)
        self.journal = self.own / "journal.json"
        self.remarks: list[str] = []
        self.doubted: set[str] = set()
        """Paths that the last thorough scan found altered although they look as recorded."""

    # --- Pairing

    def create(self, pairing: Pairing, as_it_is: bool = False, again: bool = False) -> None:
        """Makes the folder an installation. Raises FolderRefused for one that holds anything, unless taken `as_it_is`:
        then the first sync adopts what is the pack's, sets aside what is in the way, and names the rest. `again`: it is
        an installation already, and is only given another pairing with the same pack.
        """
        self.refuse_taken(as_it_is, again)
        with trouble_told(self.root):
            self.inbox.mkdir(parents=True, exist_ok=True)
            sealed.write(self.own / "pairing.json", pairing.as_kept(), private=True, twin=True)
            if pairing.charter:
                self.releases.trust.pin(pairing.charter)

    def refuse_taken(self, as_it_is: bool = False, again: bool = False) -> None:
        """Raises FolderRefused when the folder cannot become an installation. Asked before a code is used up."""
        if again:
            if not self.own.is_dir():
                self.pairing()
            return
        if (self.own / "pairing.json").exists():
            raise FolderRefused(
                f"{self.root} is an installation already.",
                now="Run “convoy sync” in it, choose another folder, or say --again where the site no longer knows it.",
            )
        if self.root.exists() and not self.root.is_dir():
            raise FolderRefused(f"{self.root} is a file.", now="Choose a folder.")
        if not as_it_is and self.root.exists() and any(not is_litter(entry.name) for entry in self.root.iterdir()):
            raise FolderRefused(
                f"{self.root} is not empty.",
                "An installation starts in a folder of its own, so that nothing of yours is touched.",
                "Choose a new or empty folder, or say --as-it-is to take this one over with what lies in it.",
            )
        nearest = self.root
        while not nearest.exists():
            nearest = nearest.parent
        if not os.access(nearest, os.W_OK | os.X_OK):
            raise FolderRefused(f"{nearest} cannot be written.", "You have no right to.", "Choose another folder.")

    def pairing(self) -> Pairing:
        if is_link(self.own):
            raise FolderRefused(f"{self.own} is a link.", "It could lead out of the folder.", "Put the folder back.")
        try:
            return sealed.read(self.own / "pairing.json", lambda told: Pairing(**told), private=True, twin=True)
        except FileNotFoundError as error:
            raise NotPaired(
                f"{self.root} is no installation.",
                "It was not paired with a pack.",
                "Go to its folder, or run the pairing command from the installation's page.",
            ) from error
        except sealed.Damaged as error:
            raise NotPaired(
                f"{self.own / 'pairing.json'} is damaged, and so is its copy.",
                "Which site and pack this folder follows is lost; everything in it is still there.",
                "Ask for a new pairing command on the installation's page, and add --again.",
            ) from error

    @property
    def is_narrowing(self) -> bool:
        """Whether mods are put by here, as a fault is being narrowed down."""
        return (self.own / "narrowing").is_dir()

    @contextmanager
    def held(self, narrowing: bool = False) -> Iterator[None]:
        """One agent at a time. Raises SomebodyElse at once when another works here, and BeingNarrowed unless it is for
        `narrowing` itself.
        """
        self.pairing()
        self._refuse_links()
        if self.is_narrowing and not narrowing:
            raise BeingNarrowed(
                f"A fault is being narrowed down in {self.root}.",
                "Mods and worlds are put by until that ends or pauses, and nothing else is changed meanwhile.",
                "Go on with “convoy narrow-here”; “convoy narrow-here pause” puts everything back.",
            )
        lock = FileLock(self.own / "lock")
        with trouble_told(self.root):
            try:
                lock.acquire(timeout=0)
            except Timeout as error:
                raise SomebodyElse(
                    f"Another agent works on {self.root}.", "Two at once would spoil it.", "Wait until it has ended."
                ) from error
            try:
                with suppress(OSError):
                    self.inbox.mkdir(exist_ok=True)
                self._switch_on()
                yield
            finally:
                lock.release()

    @contextmanager
    def playing(self) -> Iterator[None]:
        """While a game runs from this folder. Raises SomebodyElse where one does already."""
        lock = FileLock(self.own / "playing")
        try:
            lock.acquire(timeout=0)
        except Timeout as error:
            raise SomebodyElse(
                f"The game runs from {self.root}.", "Its files are in use.", "Close the game first."
            ) from error
        try:
            yield
        finally:
            lock.release()

    def refuse_while_playing(self) -> None:
        """Asked before anything is changed under a game that may hold it. Raises SomebodyElse."""
        with self.playing():
            return

    def _switch_on(self) -> None:
        """What was off while a game was played, and stayed so as that run was killed."""
        if (self.own / "off").is_dir():
            with suppress(SomebodyElse), self.playing():
                self.remarks += [
                    f"{path} stays in .convoy/off, as something lies in its place."
                    for path in switch_on(self.root, self.own)
                ]

    def _refuse_links(self) -> None:
        """What the agent writes among its own files must stay there: a folder may come from somebody else."""
        within = BesideKept(self.own).places()
        for place in (self.own, *(self.own / name for name in OWN_FOLDERS), *within):
            for entry in disk.entries_of(str(place)):
                if is_link(Path(entry.path)):
                    if place == self.inbox:
                        continue
                    raise FolderRefused(f"{entry.path} is a link.", "It could lead out of the folder.", "Move it away.")

    def put_away(self, place: Path, remark: str) -> None:
        """Moves a spoilt file of the agent's own out of the way, and has its person told. Nothing is deleted."""
        with suppress(FileNotFoundError):
            move(place, free_name(self.own / "damaged" / place.name))
        self.remarks.append(remark)

    # --- Record and releases

    def record(self) -> Record:
        """What was placed. One that is damaged, or lost although releases are kept here, is made anew and written."""
        place = self.own / "record.json"
        try:
            return sealed.read(place, read_record)
        except FileNotFoundError:
            if not self.history().all():
                return Record()
        except sealed.Damaged:
            pass
        return self._rebuilt_record(place)

    def _rebuilt_record(self, place: Path) -> Record:
        found = self._likeliest_release()
        if found is None:
            told = "No release is kept here either: what is the pack's is recognised at the next sync."
            self.put_away(place, f"The record of what was placed here is damaged or lost. {told}")
            return Record()
        release, share, hashes = found
        record = rebuilt(release, share, hashes)
        told = f"It was made anew from release {release.number} and from what lies here: {len(record.files)} files."
        self.put_away(place, f"The record of what was placed here was damaged or lost. {told}")
        self.write_record(record)
        return record

    def _likeliest_release(self) -> tuple[Named, Lock, dict[str, str]] | None:
        """Of the kept releases the one of which most lies here: its name, this machine's share, path to hash."""
        last = [one["release"] for one in self.history().all()[-1:]]
        best: tuple[tuple[int, bool], tuple[Named, Lock, dict[str, str]]] | None = None
        for signed in self.releases.all():
            with suppress(ConvoyError):
                pairing = self.pairing()
                recipe = self.releases.trusted(signed, pairing)
                share = share_of(recipe, pairing)
                # What its member chose is lost too: what lies in a world tells.
                there = self.worlds_there(share.terms)
                share = in_worlds(share, dict.fromkeys(for_worlds(share), there), there)
                paths = [file.path for file in share.files if not is_link(self.root / file.path)]
                hashes = dict(zip(paths, hashed([str(self.root / path) for path in paths]), strict=True))
                hashes = {path: one for path, one in hashes.items() if one}
                right = sum(hashes.get(file.path) == file.sha256 for file in share.files)
                rank = (right, recipe.number in last)
                if best is None or rank > best[0]:
                    best = rank, (Named(recipe.number, recipe.sha256), share, hashes)
        return best[1] if best else None

    def write_record(self, record: Record) -> None:
        sealed.write(self.own / "record.json", record.as_data())

    def doubt(self, paths: Collection[str]) -> None:
        """Files that look as recorded and are not: from now on the next scan hashes them, too."""
        record = self.record()
        for path in paths:
            if path in record.files:
                record.files[path] = (record.files[path][0], UNSEEN)
        self.write_record(record)
        disk.remove(self.own / "calm.json")

    def installed(self, pairing: Pairing) -> Lock | None:
        """This machine's share of the installed release, as far as it is known here. Raises what `trusted` raises."""
        recipe = self.installed_recipe(pairing)
        return share_of(recipe, pairing) if recipe else None

    def installed_recipe(self, pairing: Pairing) -> Recipe | None:
        """The installed release as a whole, as far as it is known here. Raises what `trusted` raises."""
        record = self.record()
        signed = self.releases.kept(record.named) if record.release else None
        return self.releases.trusted(signed, pairing) if signed else None

    # --- What the site said last

    def keep_head(self, head: Head) -> None:
        told = {
            **asdict(replace(head, order=None, said=None, beside=())),
            "left_out": sorted(head.left_out),
            "sources": dict(head.sources),
            "worlds": {mod: list(worlds) for mod, worlds in head.worlds.items()},
            "sets": sorted(head.sets),
            "pinned": sorted([path, list(key)] for path, key in head.pinned),
            "milestones": [asdict(one) for one in head.milestones],
            "beside": [{**asdict(replace(one, said=None)), "refused": dict(one.refused)} for one in head.beside],
        }
        if told != self._kept_head():
            sealed.write(self.own / "head.json", told)

    def kept_head(self) -> Head | None:
        """What the site said when it was last heard; None when it never was. Good enough to look at a folder by."""
        with suppress(TypeError, ValueError, KeyError, AttributeError):
            if told := self._kept_head():
                sets = {name: frozenset(told.get(name, ())) for name in ("left_out", "sets")}
                rows = {
                    "pinned": pinned_of(told.get("pinned", ())),
                    "milestones": milestones_of(told.get("milestones", ())),
                    "beside": beside_of(told.get("beside", ())),
                }
                return Head(**{**told, **sets, **rows})
        return None

    def _kept_head(self) -> dict[str, Any] | None:
        with suppress(FileNotFoundError, sealed.Damaged):
            told: Any = sealed.read(self.own / "head.json")
            return told if isinstance(told, dict) else None
        return None

    # --- What lies in it

    def scan(self, record: Record, target: Lock, thorough: bool = False) -> dict[str, str]:
        """Every file with its sha256. Unless `thorough`, files that look as recorded are not hashed.

        Neither are those of which only their being there matters: a copied game has many, and worlds change all the
        time. Where the folder does not tell letter cases apart, paths are spelled as the target spells them.
        """
        found: dict[str, str] = {}
        unknown: list[tuple[str, str]] = []
        alike: set[str] = set()
        adjusted = {*target.adjusted, *record.adjusted}
        for path, entry in self.spelled(dict(walk(self.root)), target).items():
            try:
                stat = entry.stat(follow_symlinks=False)
            except FileNotFoundError:
                continue
            known = record.files.get(path)
            looks_known = known and known[1] == (stat.st_size, stat.st_mtime_ns, stat.st_ctime_ns)
            if not entry.is_file(follow_symlinks=False):
                # A link, pipe or device is nobody's pack file; opening it could hang or lead elsewhere.
                found[path] = NOT_PLAIN
            elif known and looks_known and not thorough:
                found[path] = known[0]
            elif known or path in target.by_path or path in adjusted or is_extra(path, target):
                unknown.append((path, entry.path))
                if looks_known:
                    alike.add(path)
            else:
                found[path] = NOT_READ
        for (path, _), sha256 in zip(unknown, hashed([place for _, place in unknown]), strict=True):
            found[path] = sha256 or NOT_PLAIN
        self.doubted = {path for path in alike if found[path] != record.files[path][0]}
        return found

    def spelled(self, found: dict[str, Thing], lock: Lock) -> dict[str, Thing]:
        """By path, as the lock spells paths: on systems that tell cases apart that is how they are spelled anyway."""
        return respelled(found, [*lock.managed, *lock.by_path, *lock.terms.by_path]) if self.folds else found

    @cached_property
    def folds(self) -> bool:
        """Whether this folder's system takes names that differ by case only for one."""
        other = self.own.with_name(self.own.name.upper())
        return self.own.exists() and other.exists() and other.samefile(self.own)

    def worlds_there(self, terms: Terms) -> list[str]:
        """Saved worlds that lie here, as `FOLDER/NAME`, sorted. One that is a link leads elsewhere, and nothing is
        placed there; neither is one of a name that not every system takes.
        """
        return sorted(
            f"{folder}/{entry.name}"
            for folder in terms.worlds
            if not is_link(self.root / folder)
            for entry in disk.entries_of(str(self.root / folder))
            if disk.entry_is_folder(entry) and entry.name != WORLD and is_safe(f"{folder}/{entry.name}")
        )

    # --- What its member leaves out

    def keep_left_out(self, left_out: Collection[str]) -> None:
        """Kept here too, for whoever looks without the site."""
        if set(left_out) != self.left_out():
            sealed.write(self.own / "left-out.json", sorted(left_out))

    def left_out(self) -> set[str]:
        """The site says it anew at the next look, if it is lost."""
        try:
            return sealed.read(self.own / "left-out.json", lambda told: set(map(str, told)))
        except (FileNotFoundError, sealed.Damaged):
            return set()

    # --- What was done

    def history(self) -> History:
        return History(self.own)

    def entries(self) -> list[Entry]:
        """Every sync that changed something, oldest first; what is damaged is remarked upon."""
        history = self.history()
        found = history.all()
        if history.damaged:
            self.remarks.append(
                f"{len(history.damaged)} of {len(found)} entries of the history are damaged. What they moved aside is "
                "still there."
            )
        return found

    def sweep_settings(self) -> None:
        """Drops what releases rendered once and the record no longer names."""
        named = {sha256 for sha256, _ in self.record().files.values()}
        for file in self.settings.iterdir() if self.settings.exists() else ():
            if file.name not in named:
                disk.remove(file)
