"""A random walk through everything that can be done to an installation, over a model that knows every byte of the
member's.

A *treasure* is a content that the member put somewhere. It is theirs until they overwrite or delete it themselves, or
the disk rots where it alone lies. After every command, killed or not, each must lie in the folder, in a kept place
(aside, before, inbox, damaged, *Kept by True Convoy*) or in a backup that restores. From time to time everything that
is in the way is cleared as the agent's sentences say, and then one sync must lead to the release, to the byte.

Each life is one seed: a folder, a store, and some two hundred steps. `python -m tests.agent.walking SEED` repeats one.
"""

from __future__ import annotations

import contextlib
import errno
import hashlib
import json
import os
import random
import shutil
import signal
import sys
import tempfile
import tomllib
import traceback
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from pathlib import Path

import httpx

from convoy_agent import backing_up, by_hand, here, taking_back
from convoy_agent.change import Wish
from convoy_agent.errors import ErrandsLeft, NotAllowed
from convoy_agent.fetching.limits import Limits
from convoy_agent.folder.allowed import Allowed
from convoy_agent.folder.backups import Backups
from convoy_agent.folder.folder import Folder
from convoy_agent.join import join
from convoy_agent.leave import kept_backups, leave
from convoy_agent.mend import mend
from convoy_agent.site import connection
from convoy_agent.storage.store import Store
from convoy_agent.sync import status, sync
from convoy_core.lock.terms import Check, HandStep, How, Terms, Tweak
from convoy_core.sync.orders import Allowance
from convoy_core.sync.plan import SyncChoices
from convoy_core.trust.statement import Named
from convoy_core.words.errors import ConvoyError
from convoy_core.words.model import Pickup, Reach

from .faults import faulty
from .harbour import CODE, Press

STEPS_IN_A_LIFE = 200
MODS = ("ledger", "lanterns", "bells", "fenders", "ropes")
NAMES = (
    "mine.zip", "my pack: best.zip", os.fsdecode(b"mine-\xff.zip"), "aux.txt", "a b/deep/c.dat", ".hidden", "list.json",
    "ledger", "come/z", "ü.dat", "settings.toml", "notes.txt.convoy",
)  # fmt: skip
TWINS = ("pairing.json", "before/list.json")
PATIENCE = Limits(attempts=2, wait_seconds=0, longest_wait=0.01, timeout_seconds=2, patience=0.01)
START = datetime(2026, 11, 25, 20, tzinfo=UTC)


class Yard(Press):
    """The far side, in memory: a site and a source that are sometimes away."""

    def __init__(self, root: Path, chance: random.Random) -> None:
        super().__init__(root)
        self.chance = chance
        self.number = 0
        self.away = self.source_away = False
        self.left_out: list[str] = []
        self.stays_at = ""
        # Clocks go where they like here: its word is older than all of them, and holds for ever.
        self.stated_at = datetime(2000, 1, 1, tzinfo=UTC)
        self.contents: dict[str, str] = {}
        """Path to what the newest release has there."""

    def next_release(self) -> None:
        """Mods come, go and change; the ledger is what worlds depend on; ropes only a person can fetch."""
        self.number += 1
        mods: dict[str, dict[str, str]] = {}
        for mod in MODS:
            if self.chance.random() < 0.25 and mod != "ledger":
                continue
            version = self.chance.randrange(3)
            mods[mod] = {
                "a.dat": f"{mod} {version} " * 20,
                "deep/b.dat": f"{mod} deep {version % 2}",
                "settings.toml": f"volume = {version}\nrate = 1\n",
            }
            if version == 1:
                mods[mod]["only.dat"] = f"{mod} only"
        settings = "mods/ledger/settings.toml"
        terms = Terms(
            ("mods/*/settings.*",),
            ("worlds",),
            (Tweak(settings, ("rate",), self.chance.randrange(3), How.ENFORCED),),
            (HandStep("look", "Look.", Check.EXISTS, "barge.toml"),),
        )
        self.publish(
            f"1.{self.number}", mods, terms=terms, reaches={"ledger": Reach.SAVE, "bells": Reach.OWN},
            pickups={"ropes": Pickup.BY_HAND}, optional=("bells",),
        )  # fmt: skip
        self.contents = {f"mods/{mod}/{path}": text for mod, files in mods.items() for path, text in files.items()}

    def answer(self, request: httpx.Request) -> httpx.Response:
        path = request.url.path
        if path.startswith("/harbour/files/"):
            place = self.root / path.removeprefix("/")
            if self.source_away or not place.is_file():
                raise httpx.ConnectError("away", request=request)
            return httpx.Response(200, stream=httpx.ByteStream(place.read_bytes()))
        if self.away:
            raise httpx.ConnectError("away", request=request)
        if path.startswith("/api/agent/pair"):
            return httpx.Response(200, json=self.pairing(self.charters[0], "player"))
        if path == "/api/agent/head":
            told = {"number": self.stays_at or self.newest, "newest": self.newest, "left_out": self.left_out}
            told["statement"] = self.statement().as_data()
            return httpx.Response(200, json={**told, "sources": {"harbour": "http://yard/harbour"}})
        if path.startswith("/api/agent/releases/"):
            number = path.rsplit("/", 1)[1]
            return httpx.Response(200, content=self.documents[number], headers=self.signatures(number))
        if path == "/api/agent/report":
            json.loads(request.content)
        return httpx.Response(200, json={"done": True, "hold": ""})


class Lost(AssertionError):
    """A treasure is nowhere, or a command did what none may do."""


@dataclass
class Walk:
    """One life. `log` has what was done, for repeating; `counts` how often each kind was."""

    place: Path
    seed: int
    log: list[str] = field(default_factory=list)
    counts: Counter[str] = field(default_factory=Counter)

    def __post_init__(self) -> None:
        self.chance = random.Random(self.seed)
        self.yard = Yard(self.place / "sources", self.chance)
        self.folder = self.place / "member" / "pack"
        self.store = Store(self.place / "store")
        self.moment = START
        self.number = 0
        self.treasures: dict[str, str] = {}
        """Content that is the member's, with what it is: for a file all of it, for a setting the line."""
        self.before: set[str] = set()
        """Content that is just the pack's, and lay there before joining."""
        self.joined = False
        self.yard.next_release()

    # --- The model

    def treasure(self, what: str) -> str:
        self.number += 1
        text = f"treasure {self.seed}-{self.number} {what}"
        self.treasures[text] = what
        return text

    def found(self, lasting: bool = False) -> set[str]:
        """Every treasure that lies where it may: not in staging, not among settings that releases rendered, and in
        backups only where a list names it and it is whole. `lasting`: not in backups that retire by themselves.
        """
        texts: set[str] = set()
        lines: set[str] = set()
        own = self.folder / ".convoy"
        skip = {own / "staging", own / "settings", own / "releases"}
        pending = [str(self.folder)]
        while pending:
            place = pending.pop()
            with contextlib.suppress(FileNotFoundError), os.scandir(place) as entries:
                for entry in entries:
                    if entry.is_dir(follow_symlinks=False):
                        inside_backups = entry.name == "content" and Path(place).name == "backups"
                        if Path(entry.path) not in skip and not inside_backups:
                            pending.append(entry.path)
                    elif entry.is_file(follow_symlinks=False):
                        self._read(Path(entry.path), texts, lines)
        folder = Folder(self.folder)
        kept = [Backups(folder)] if own.exists() else []
        for backups in [*kept, *kept_backups(self.folder)]:
            for backup in (one for one in backups.all() if one.by_hand or not lasting):
                for _, _, sha256 in backup.files:
                    place = backups.root / "content" / sha256
                    if place.is_file() and hashlib.sha256(place.read_bytes()).hexdigest() == sha256:
                        self._read(place, texts, lines)
        return {one for one in self.treasures if one in texts or one in lines}

    def _read(self, place: Path, texts: set[str], lines: set[str]) -> None:
        with contextlib.suppress(OSError):
            text = place.read_bytes().decode(errors="replace")
            texts.add(text)
            if len(text) < 10_000:
                lines.update(one.split('"')[1] for one in text.splitlines() if one.startswith("mine") and '"' in one)

    def judge(self, did: str) -> None:
        found = self.found()
        if lost := self.treasures.keys() - found:
            raise Lost(f"after {did}: {sorted(lost)[:3]} nowhere")

    def forgive(self) -> None:
        """After the member's own doing, and after rot: what is gone now they gave up, or nobody could have kept. What
        they overwrote is kept for a while, in backups that were made before a sync.
        """
        found = self.found(lasting=True)
        self.treasures = {one: what for one, what in self.treasures.items() if one in found}

    # --- Steps

    def live(self, steps: int = STEPS_IN_A_LIFE) -> None:
        connection.TRANSPORT = httpx.MockTransport(self.yard.answer)
        try:
            for _ in range(steps):
                self._step()
            self.settle()
        except Lost:
            raise
        except Exception as error:
            raise Lost(f"{error!r} after {self.log[-3:]}\n{traceback.format_exc()}") from error
        finally:
            connection.TRANSPORT = None

    def _step(self) -> None:
        kinds: list[tuple[Callable[[], None], int]] = [
            (self._members_doing, 34), (self._command, 44), (self._world_turns, 8), (self._damage, 6),
            (self.settle, 3), (self._move_folder, 1),
        ]  # fmt: skip
        if not self.joined:
            kinds = [(self._fill_by_hand, 3), (self._join, 4), (self._world_turns, 1), (self._restore_kept, 1)]
        acts, weights = zip(*kinds, strict=True)
        self.chance.choices(acts, weights)[0]()

    def _note(self, what: str) -> None:
        self.log.append(what)
        self.counts[what.split(":")[0]] += 1

    def _world_turns(self) -> None:
        turn = self.chance.randrange(6)
        self._note(f"the world: {turn}")
        if turn < 2:
            self.yard.next_release()
        elif turn == 2:
            self.yard.away = not self.yard.away
        elif turn == 3:
            self.yard.source_away = not self.yard.source_away
        elif turn == 4:
            self.yard.left_out = [] if self.yard.left_out else ["bells"]
            self.yard.stays_at = self.chance.choice(["", "", *list(self.yard.documents)[-3:]])
        else:
            self.moment += timedelta(days=self.chance.uniform(-4000, 4000))

    def now(self) -> datetime:
        self.moment += timedelta(seconds=1)
        return self.moment

    def _fill_by_hand(self) -> None:
        """What lies there before joining is the member's, also where it is just what the pack has."""
        if not self.joined:
            path, text = self.chance.choice(sorted(self.yard.contents.items()))
            if self.chance.random() < 0.4:
                text = self.treasure("before joining")
            self._note(f"fill: {path}")
            if self._write(path, text) and not text.startswith("treasure"):
                self.treasures[text] = "the pack's, before joining"
                self.before.add(text)
            self.forgive()

    def _join(self) -> None:
        self._note("join: as it is")
        with contextlib.suppress(ConvoyError):
            join(CODE, "http://yard", self.folder, as_it_is=True)
            self.joined = True
            # Whoever walks here chose the earlier releases that the yard hands out.
            Allowed(Folder(self.folder).own).keep(Allowance)
        self.judge("join")

    def _restore_kept(self) -> None:
        kept = [one for backups in kept_backups(self.folder) for one in backups.all()]
        if kept:
            self._do("restore kept", lambda: backing_up.restore(self.folder, self.chance.choice(kept).id, self.now))

    def _members_doing(self) -> None:
        acts = [self._put, self._put, self._alter, self._set, self._set, self._delete, self._play, self._play,
                self._in_the_way, self._link, self._inbox, self._bring]  # fmt: skip
        act = self.chance.choice(acts)
        self._note(f"member: {act.__name__}")
        there = self._where_before()
        with contextlib.suppress(OSError):
            act()
        for one, _ in there - self._where_before():
            # Theirs to destroy; that the pack may have the very same somewhere does not bring it back.
            self.treasures.pop(one, None)
        self.forgive()

    def _where_before(self) -> set[tuple[str, Path]]:
        """Where everything lies that is just what the pack has, and lay there before joining."""
        texts = {text.encode(): text for text in self.before if text in self.treasures}
        found = set()
        for place in self.folder.rglob("*") if texts else ():
            with contextlib.suppress(OSError):
                if place.is_file() and not place.is_symlink() and (data := place.read_bytes()) in texts:
                    found.add((texts[data], place))
        return found

    def _write(self, path: str, text: str) -> bool:
        place = self.folder / path
        try:
            place.parent.mkdir(parents=True, exist_ok=True)
            place.write_text(text)
        except OSError:
            return False
        return True

    def _put(self) -> None:
        name = self.chance.choice(NAMES)
        where = self.chance.choice(["mods", "mods/ledger", "", "worlds/canal"])
        self._write(f"{where}/{name}".lstrip("/"), self.treasure("put"))

    def _a_pack_file(self) -> str:
        return self.chance.choice(sorted(self.yard.contents))

    def _alter(self) -> None:
        path = self._a_pack_file()
        if not path.endswith(".toml"):
            self._write(path, self.treasure("altered"))

    def _set(self) -> None:
        """A setting of one's own in a settings file: a line that merges have to keep."""
        files = [path for path in self.yard.contents if path.endswith(".toml") and (self.folder / path).is_file()]
        if files:
            place = self.folder / self.chance.choice(sorted(files))
            text = place.read_text(errors="replace")
            if "treasure" not in text or "mine" in text:
                place.write_text(f'{text.rstrip()}\nmine{self.number + 1} = "{self.treasure("setting")}"\n')

    def _delete(self) -> None:
        there = [path for path in self.folder.rglob("*") if ".convoy" not in path.parts]
        if there:
            place = self.chance.choice(sorted(there))
            if place.is_dir() and not place.is_symlink():
                shutil.rmtree(place)
            else:
                place.unlink()

    def _play(self) -> None:
        world = self.chance.choice(["canal", "canal", "weir"])
        self._write(f"worlds/{world}/{self.chance.choice(['map.dat', 'crew.dat', 'deep/x'])}", self.treasure("world"))

    def _in_the_way(self) -> None:
        place = self.folder / self._a_pack_file()
        if self.chance.random() < 0.5:
            place = place.parent
        if place.is_dir() and not place.is_symlink():
            shutil.rmtree(place)
            place.write_text(self.treasure("a file where a folder was"))
        else:
            place.unlink(missing_ok=True)
            (place / "odd").mkdir(parents=True)
            (place / "odd/x").write_text(self.treasure("a folder where a file was"))

    def _link(self) -> None:
        outside = self.place / "outside"
        outside.mkdir(exist_ok=True)
        (outside / "theirs").write_text("not ours")
        path = self.chance.choice([self._a_pack_file(), "mods/linked", "worlds/linked", "mods/ledger"])
        place = self.folder / path
        if place.is_dir() and not place.is_symlink():
            shutil.rmtree(place)
        place.unlink(missing_ok=True)
        place.parent.mkdir(parents=True, exist_ok=True)
        place.symlink_to(outside / self.chance.choice(["theirs", ".", "nowhere"]))

    def _inbox(self) -> None:
        self._write(f".convoy/inbox/{self.chance.choice(NAMES[:4])}", self.treasure("inbox"))

    def _bring(self) -> None:
        (self.folder / ".convoy/inbox").mkdir(exist_ok=True)
        for archive in (self.yard.root / "harbour/files").glob("ropes-*.zip"):
            shutil.copy(archive, self.folder / ".convoy/inbox" / archive.name)

    def _move_folder(self) -> None:
        self._note("member: moves the folder")
        new = self.folder.with_name(f"pack{self.chance.randrange(10**6)}")
        self.folder.rename(new)
        self.folder = new
        self.judge("moving")

    # --- The agent

    def _command(self) -> None:
        aside = [one.path for one in self._quietly(lambda: taking_back.aside_here(self.folder)) or ()]
        backups = [one.id for one in (self._quietly(lambda: backing_up.backups_of(self.folder)) or ((),))[0]]
        numbers = list(self.yard.documents)[-4:]
        some = frozenset(self.chance.sample(sorted(self.yard.contents), 2))
        wish: Callable[..., Wish] = Wish
        commands: list[tuple[str, int, Callable[[], object]]] = [
            ("sync", 12, lambda: self._sync(wish())),
            ("sync --extras-aside", 3, lambda: self._sync(wish(SyncChoices(extras_aside=True)))),
            ("sync --only", 2, lambda: self._sync(wish(SyncChoices(only=some)))),
            ("sync --to", 2, lambda: self._sync(wish(to=Named(self.chance.choice(numbers), "")))),
            ("undo", 4, lambda: taking_back.undo(self.folder, self.store, self.now, limits=PATIENCE)),
            ("backup", 3, lambda: backing_up.back_up(self.folder, self.now)),
            ("restore", 4, lambda: backing_up.restore(self.folder, self.chance.choice(backups or ["none"]), self.now)),
            ("rehearse", 1, lambda: backing_up.rehearse(self.folder, self.now)),
            ("put-back", 4, lambda: taking_back.put_back(self.folder, self.chance.choice(aside or ["none"]))),
            ("status", 2, lambda: status(self.folder, self.store, now=self.now)),
            ("verify", 2, lambda: status(self.folder, self.store, True, self.now)),
            ("mend", 2, lambda: mend(self.folder, self.store, self.now)),
            ("tick", 1, lambda: by_hand.tick(self.folder, "look", self.chance.random() < 0.5)),
            ("here", 1, lambda: here.here(self.folder, self.store, self.now)),
            ("drop backup", 1, lambda: backing_up.drop_backup(self.folder, self.chance.choice(backups or ["none"]))),
            ("prune", 1, self._prune),
            ("leave", 2, lambda: leave(self.folder, self.now(), self.chance.random() < 0.2)),
        ]  # fmt: skip
        name, _, act = self.chance.choices(commands, [weight for _, weight, _ in commands])[0]
        if name == "drop backup":
            # Their own decision: what only it held is given up.
            self._do(name, act, strict=False)
            self.forgive()
            return
        how = self.chance.random()
        if how < 0.15:
            self._killed(name, act)
        elif how < 0.25:
            self._full(name, act)
        else:
            self._do(name, act)
        self.joined = any((self.folder / ".convoy" / name).exists() for name in ("pairing.json", "pairing.json.twin"))

    def _sync(self, wish: Wish) -> object:
        return sync(self.folder, self.store, wish=wish, now=self.now, limits=PATIENCE)

    def _prune(self) -> None:
        from convoy_agent.commands.archive_store import wanted

        use = self.store.use(wanted(self.store))
        for sha256 in use.idle:
            if sha256 not in use.brought:
                self.store.drop(sha256)

    def _quietly(self, act: Callable[[], object]) -> object:
        with contextlib.suppress(ConvoyError):
            return act()
        return None

    def _do(self, name: str, act: Callable[[], object], strict: bool = True) -> None:
        """Runs a command to its end: it may refuse, and it may never break."""
        self._note(f"agent: {name}")
        with contextlib.suppress(ConvoyError):
            act()
        if strict:
            self.judge(name)

    def _full(self, name: str, act: Callable[[], object]) -> None:
        """The disk takes nothing more from some moment on."""
        self._note(f"full disk: {name}")
        code = self.chance.choice([errno.ENOSPC, errno.EROFS])
        with faulty(self.folder, self.chance.randrange(1, 40), code), contextlib.suppress(ConvoyError, OSError):
            act()
        self.judge(f"{name} on a full disk")

    def _killed(self, name: str, act: Callable[[], object]) -> None:
        """The process dies before its nth change to the disk."""
        self._note(f"killed: {name}")
        left = self.chance.randrange(1, 60)
        roots = (str(self.folder), str(self.store.root))
        self.chance.random()  # what the child draws is its own
        child = os.fork()
        if child == 0:
            try:
                sys.addaudithook(_Killer(roots, left))
                act()
            finally:
                os._exit(0)
        os.waitpid(child, 0)
        self.judge(f"{name}, killed")

    def _damage(self) -> None:
        """The disk rots, or somebody meddles: a file of the agent's own, a staged one, an archive, a backup's copy."""
        own = self.folder / ".convoy"
        members = {"aside", "inbox", "damaged", "before"}
        sealed = [place for place in own.rglob("*.json") if not members & set(place.parts)]
        places = [*sealed, *own.glob("staging/*"), *self.store.archives(), *own.glob("backups/content/*")]
        places += [own / "before/list.json"] if (own / "before/list.json").exists() else []
        places = [place for place in places if place.is_file()]
        if not places:
            return
        place = self.chance.choice(sorted(places))
        data = place.read_bytes()
        spoilt = self.chance.choice([data[: len(data) // 2], b"", b"{", data[:-2] + b"\0\0", bytes(30), b"[7]", None])
        self._note(f"damage: {place.relative_to(self.place).as_posix()[-40:]}")
        if spoilt is None:
            place.unlink()
        else:
            place.write_bytes(spoilt)
        self.forgive()

    # --- And then all is well

    def settle(self) -> None:
        """Clears what the agent's sentences say is in the way; then one sync leads to the release, to the byte."""
        if not self.joined:
            return
        self._note("settle")
        self.yard.away = self.yard.source_away = False
        with contextlib.suppress(OSError):
            self._bring()
        for path in self.folder.rglob("*"):
            if path.is_symlink() and ".convoy" not in path.parts:
                path.unlink()
        self.forgive()
        mend(self.folder, self.store, self.now)
        self.judge("mend")
        try:
            done = self._sync(Wish())
        except ErrandsLeft:
            self._bring()
            done = self._sync(Wish())
        except NotAllowed:
            # A leaving that was cut short took along what was allowed here, and forgot what lay here: it is said anew.
            assert not Folder(self.folder).record().release
            Allowed(Folder(self.folder).own).keep(Allowance)
            done = self._sync(Wish())
        self.judge("the sync that settles")
        if done.undone:
            self._sync(Wish())
        found = status(self.folder, self.store, True, self.now)
        wrong = {path: what for path, what in found.deviations.items() if what != "extra"}
        # What is no settings file any more is never rewritten: that is left to its person, and told.
        wrong = {path: what for path, what in wrong.items() if what != "setting" or self._is_toml(path)}
        target = self.yard.stays_at or self.yard.newest
        if found.release != target or wrong or found.plan is None or found.plan.moves:
            raise Lost(f"not settled at {target}: {found.release}, {wrong}, {found.plan and found.plan.moves[:3]}")
        if (self.folder / ".convoy/journal.json").exists():
            raise Lost("a journal is left")
        self.judge("verify")

    def _is_toml(self, path: str) -> bool:
        try:
            tomllib.loads((self.folder / path).read_text())
        except (OSError, ValueError):
            return False
        return True


class _Killer:
    """Kills its process before the nth change below some folders."""

    def __init__(self, roots: tuple[str, ...], left: int) -> None:
        self.roots, self.left = roots, left

    def __call__(self, event: str, given: tuple[object, ...]) -> None:
        if event == "open":
            path, _, flags = given
            if not (isinstance(flags, int) and flags & (os.O_WRONLY | os.O_RDWR | os.O_CREAT)):
                return
        elif event in ("os.rename", "os.remove", "os.rmdir", "os.mkdir"):
            path = given[0]
        else:
            return
        if str(path).startswith(self.roots):
            self.left -= 1
            if self.left <= 0:
                os.kill(os.getpid(), signal.SIGKILL)


@contextlib.contextmanager
def fresh_place() -> Iterator[Path]:
    """In memory where there is such a disk: a walk writes ten thousands of small files."""
    where = "/dev/shm" if Path("/dev/shm").is_dir() else None
    with tempfile.TemporaryDirectory(dir=where, prefix="convoy-walk-") as place:
        yield Path(place)


def live(seed: int, steps: int = STEPS_IN_A_LIFE) -> Counter[str]:
    """One life; raises Lost with the seed and the last steps."""
    with fresh_place() as place:
        walk = Walk(place, seed)
        try:
            walk.live(steps)
        except Lost as lost:
            raise Lost(f"seed {seed}, step {len(walk.log)}: {lost}\nlast: {walk.log[-12:]}") from lost
        return walk.counts


if __name__ == "__main__":
    if len(sys.argv) > 2:
        for number in range(int(sys.argv[1]), int(sys.argv[2])):
            try:
                live(number)
            except Lost as lost:
                print(lost, flush=True)
    else:
        print(live(int(sys.argv[1])))
