"""An installation's folder: what the agent keeps in it, what lies in it, and one agent at a time.

.convoy/pairing.json   site, token, pinned key         .convoy/staging/   verified files on their way in
.convoy/record.json    what was placed, with hashes    .convoy/aside/     what was in the way, by date
.convoy/release.json   the release, with signature     .convoy/inbox/     files that the member brought
.convoy/journal.json   a change under way              .convoy/lock       held while an agent works
.convoy/history.jsonl  every sync, a line each         .convoy/settings/  settings as releases rendered them
.convoy/steps.json     steps by hand that are done     .convoy/backups/   worlds and settings (`backups`)
"""

from __future__ import annotations

import json
import os
from collections.abc import Collection, Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import asdict, dataclass, field
from functools import cached_property, lru_cache
from pathlib import Path
from typing import Any, TypeVar

from filelock import FileLock, Timeout

from convoy_core.formats import Key, Unreadable, Value
from convoy_core.lock import Lock
from convoy_core.model import Side
from convoy_core.paths import AGENT_FOLDER, respelled
from convoy_core.plan import NOT_PLAIN, NOT_READ, is_extra
from convoy_core.recipe import Recipe, read_recipe
from convoy_core.rollcall import Deviation, Strayed
from convoy_core.signing import key_fingerprint, verify
from convoy_core.terms import Tweak
from convoy_core.tweaking import broken

from .errors import BadRelease, FolderRefused, NotPaired, SomebodyElse
from .files import far_reaching, hashed, inside, trouble_told, walk, write_at_once
from .site import Pairing, SignedRelease

Thing = TypeVar("Thing")

Sight = tuple[int, int, int]
"""Size in bytes, modification and change time in nanoseconds: a file that looks the same is not hashed again."""


@dataclass
class Record:
    """What the agent placed: the release, path to (sha256, sight) of each file, and what settings were rendered from.

    For settings the sha256 is that of the file as the release rendered it, whatever the member made of it since.
    """

    release: str = ""
    files: dict[str, tuple[str, Sight]] = field(default_factory=dict)
    renderings: dict[str, str] = field(default_factory=dict)

    def hashes(self) -> dict[str, str]:
        return {path: sha256 for path, (sha256, _) in self.files.items()}


class Folder:
    """One installation on disk."""

    def __init__(self, root: Path) -> None:
        self.root = Path(far_reaching(str(root.absolute())))
        self.own = self.root / AGENT_FOLDER
        self.staging = self.own / "staging"
        self.inbox = self.own / "inbox"
        self.settings = self.own / "settings"
        self.history_file = self.own / "history.jsonl"
        self.journal = self.own / "journal.json"

    # --- Pairing

    def create(self, pairing: Pairing, as_it_is: bool = False, again: bool = False) -> None:
        """Makes the folder an installation. Raises FolderRefused for one that holds anything, unless taken `as_it_is`:
        then the first sync adopts what is the pack's, sets aside what is in the way, and names the rest. `again`: it is
        an installation already, and is only given another pairing with the same pack.
        """
        self.refuse_taken(as_it_is, again)
        with trouble_told(self.root):
            self.inbox.mkdir(parents=True, exist_ok=True)
            write_at_once(self.own / "pairing.json", json.dumps(asdict(pairing), indent=1).encode(), private=True)

    def refuse_taken(self, as_it_is: bool = False, again: bool = False) -> None:
        """Raises FolderRefused when the folder cannot become an installation. Asked before a code is used up."""
        if again:
            self.pairing()
            return
        if (self.own / "pairing.json").exists():
            raise FolderRefused(
                f"{self.root} is an installation already.",
                now="Run “convoy sync” in it, choose another folder, or say --again where the site no longer knows it.",
            )
        if self.root.exists() and not self.root.is_dir():
            raise FolderRefused(f"{self.root} is a file.", now="Choose a folder.")
        if not as_it_is and self.root.exists() and any(self.root.iterdir()):
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
        if self.own.is_symlink():
            raise FolderRefused(f"{self.own} is a link.", "It could lead out of the folder.", "Put the folder back.")
        try:
            return Pairing(**json.loads((self.own / "pairing.json").read_bytes()))
        except FileNotFoundError as error:
            raise NotPaired(
                f"{self.root} is no installation.",
                "It was not paired with a pack.",
                "Go to its folder, or run the pairing command from the installation's page.",
            ) from error
        except (ValueError, TypeError) as error:
            raise NotPaired(f"{self.own / 'pairing.json'} cannot be read.", str(error), "Pair anew.") from error

    @contextmanager
    def held(self) -> Iterator[None]:
        """One agent at a time. Raises SomebodyElse at once when another works here."""
        self.pairing()
        self._refuse_links()
        lock = FileLock(self.own / "lock")
        with trouble_told(self.root):
            try:
                lock.acquire(timeout=0)
            except Timeout as error:
                raise SomebodyElse(
                    f"Another agent works on {self.root}.", "Two at once would spoil it.", "Wait until it has ended."
                ) from error
            try:
                yield
            finally:
                lock.release()

    def _refuse_links(self) -> None:
        """What the agent writes among its own files must stay there: a folder may come from somebody else."""
        for place in (self.own, self.own / "backups"):
            with suppress(FileNotFoundError), os.scandir(place) as entries:
                for entry in entries:
                    if entry.is_symlink():
                        raise FolderRefused(
                            f"{entry.path} is a link.", "It could lead out of the folder.", "Move it away."
                        )

    # --- Record and release

    def record(self) -> Record:
        try:
            kept = json.loads((self.own / "record.json").read_bytes())
            files = {path: (sha256, (int(a), int(b), int(c))) for path, (sha256, a, b, c) in kept["files"].items()}
            return Record(kept["release"], files, dict(kept.get("renderings", {})))
        except FileNotFoundError:
            return Record()
        except (ValueError, KeyError, TypeError):
            # A record that cannot be read is no record: everything is hashed anew, and nothing is taken for granted.
            return Record()

    def write_record(self, record: Record) -> None:
        rows = {path: [sha256, *sight] for path, (sha256, sight) in record.files.items()}
        told = {"release": record.release, "files": rows, "renderings": record.renderings}
        data = json.dumps(told, separators=(",", ":")).encode()
        write_at_once(self.own / "record.json", data)

    def keep_release(self, signed: SignedRelease, name: str = "release.json") -> None:
        kept = {"document": signed.document.decode(), "signature": signed.signature.hex(), "key": signed.key.hex()}
        write_at_once(self.own / name, json.dumps(kept).encode())

    def kept_release(self, name: str = "release.json") -> SignedRelease | None:
        try:
            kept = json.loads((self.own / name).read_bytes())
            return SignedRelease(
                kept["document"].encode(), bytes.fromhex(kept["signature"]), bytes.fromhex(kept["key"])
            )
        except (OSError, ValueError, KeyError, TypeError):
            return None

    def trusted(self, signed: SignedRelease, pairing: Pairing) -> Recipe:
        """The recipe, when the pinned key signed it and it is this pack's. Raises BadSignature, BadRelease."""
        pinned = bytes.fromhex(pairing.public_key)
        if signed.key != pinned:
            raise BadRelease(
                "The release is signed by another key than the one that this installation trusts.",
                f"Trusted: {key_fingerprint(pinned)}. Signed by: {key_fingerprint(signed.key)}.",
                "Nothing was changed. Ask your curator whether the site's key was replaced, and pair anew if so.",
            )
        recipe = _verified(pinned, signed.document, signed.signature)
        if recipe.pack != pairing.pack_id:
            raise BadRelease(
                f"The site sent a release of another pack, {recipe.pack_name}.", now="Nothing was changed."
            )
        return recipe

    # --- What lies in it

    def scan(self, record: Record, target: Lock, thorough: bool = False) -> dict[str, str]:
        """Every file with its sha256. Unless `thorough`, files that look as recorded are not hashed.

        Neither are those of which only their being there matters: a copied game has many, and worlds change all the
        time. Where the folder does not tell letter cases apart, paths are spelled as the target spells them.
        """
        found: dict[str, str] = {}
        unknown: list[tuple[str, str]] = []
        for path, entry in self.spelled(dict(walk(self.root)), target).items():
            try:
                stat = entry.stat(follow_symlinks=False)
            except FileNotFoundError:
                continue
            known = record.files.get(path)
            if not entry.is_file(follow_symlinks=False):
                # A link, pipe or device is nobody's pack file; opening it could hang or lead elsewhere.
                found[path] = NOT_PLAIN
            elif known and not thorough and known[1] == (stat.st_size, stat.st_mtime_ns, stat.st_ctime_ns):
                found[path] = known[0]
            elif known or path in target.by_path or is_extra(path, target):
                unknown.append((path, entry.path))
            else:
                found[path] = NOT_READ
        for (path, _), sha256 in zip(unknown, hashed([place for _, place in unknown]), strict=True):
            found[path] = sha256 or NOT_PLAIN
        return found

    def spelled(self, found: dict[str, Thing], lock: Lock) -> dict[str, Thing]:
        """By path, as the lock spells paths: on systems that tell cases apart that is how they are spelled anyway."""
        return respelled(found, [*lock.managed, *lock.by_path]) if self.folds else found

    @cached_property
    def folds(self) -> bool:
        """Whether this folder's system takes names that differ by case only for one."""
        other = self.own.with_name(self.own.name.upper())
        return self.own.exists() and other.exists() and other.samefile(self.own)

    # --- What its member leaves out

    def keep_left_out(self, left_out: Collection[str]) -> None:
        """Kept here too, as a change that is completed later must end with the same choice it began with."""
        if set(left_out) != self.left_out() and not self.journal.exists():
            write_at_once(self.own / "left-out.json", json.dumps(sorted(left_out)).encode())

    def left_out(self) -> set[str]:
        try:
            return set(map(str, json.loads((self.own / "left-out.json").read_bytes())))
        except (OSError, ValueError, TypeError):
            return set()

    # --- What was done

    def put_down(self, entry: dict[str, Any]) -> None:
        """Adds a sync to the history, once: a change that is completed a second time is there already."""
        if not any(one["id"] == entry["id"] for one in self.history()):
            with self.history_file.open("a") as file:
                file.write(json.dumps(entry) + "\n")
                file.flush()
                os.fsync(file.fileno())

    def history(self) -> list[dict[str, Any]]:
        """Every sync that changed something, oldest first. A line that was cut off by a stop is passed by."""
        found = []
        try:
            lines = self.history_file.read_text().splitlines()
        except FileNotFoundError:
            return []
        for line in lines:
            try:
                entry = json.loads(line)
            except ValueError:
                continue
            if isinstance(entry, dict) and "id" in entry:
                found.append(entry)
        return found

    def sweep_settings(self) -> None:
        """Drops what releases rendered once and the record no longer names."""
        named = {sha256 for sha256, _ in self.record().files.values()}
        for file in self.settings.iterdir() if self.settings.exists() else ():
            if file.name not in named:
                file.unlink()


@lru_cache(maxsize=4)
def _verified(key: bytes, document: bytes, signature: bytes) -> Recipe:
    """Kept for a run: a sync looks at the same release several times, and one of 10,000 files takes a while to read."""
    verify(key, document, signature)
    return read_recipe(document)


@dataclass(frozen=True)
class Look:
    """What lies in a folder, against its share of a release: what the site is told."""

    hashes: dict[str, str]
    deviations: dict[str, Deviation]
    strayed: tuple[Strayed, ...]
    values: dict[str, dict[Key, Value]]
    """Enforced keys with what they say, by path."""
    to_mend: frozenset[str]
    """Settings files with strayed keys that can be set right."""


def look_at(folder: Folder, share: Lock, hashes: dict[str, str]) -> Look:
    """Compares, and reads the settings files in which something is enforced. All other settings are the member's."""
    found: dict[str, Deviation] = {}
    strayed: list[Strayed] = []
    values: dict[str, dict[Key, Value]] = {}
    to_mend, by_hand = set(), share.terms.by_hand
    for file in share.files:
        there = hashes.get(file.path)
        if there is None:
            found[file.path] = Deviation.MISSING
        elif there == NOT_PLAIN or (
            there != file.sha256 and file.path not in by_hand and not share.terms.is_settings(file.path)
        ):
            found[file.path] = Deviation.ALTERED
        elif enforced := share.terms.enforced(file.path):
            off, values[file.path] = _strayed(folder, file.path, enforced)
            if off:
                found[file.path] = Deviation.SETTING
                strayed += off
            if off and values[file.path]:
                to_mend.add(file.path)
    for path in hashes:
        if is_extra(path, share):
            found[path] = Deviation.EXTRA
    return Look(hashes, found, tuple(strayed), values, frozenset(to_mend))


def _strayed(folder: Folder, path: str, enforced: Sequence[Tweak]) -> tuple[list[Strayed], dict[Key, Value]]:
    wanted = {tweak.key: tweak.value for tweak in enforced}
    try:
        off = dict(broken(path, inside(folder.root, path).read_bytes(), enforced))
    except (Unreadable, OSError):
        told = [Strayed(path, ".".join(key), as_text(value), "cannot be read") for key, value in wanted.items()]
        return told, {}
    told = [Strayed(path, ".".join(key), as_text(wanted[key]), as_text(there)) for key, there in off.items()]
    return told, {key: off.get(key, value) for key, value in wanted.items()}


def as_text(value: Any) -> str:
    """A setting's value for people."""
    if value is None:
        return "not there"
    if isinstance(value, bool):
        return "true" if value else "false"
    return str(value)[:200]


def share_of(recipe: Recipe, pairing: Pairing) -> Lock:
    return recipe.lock.share(Side(pairing.side))
