"""An installation's folder: what the agent keeps in it, what lies in it, and one agent at a time.

.convoy/pairing.json   site, token, pinned key         .convoy/staging/   verified files on their way in
.convoy/record.json    what was placed, with hashes    .convoy/aside/     what was in the way, by date
.convoy/release.json   the release, with signature     .convoy/inbox/     files that the member brought
.convoy/journal.json   a change under way              .convoy/lock       held while an agent works
"""

from __future__ import annotations

import json
import os
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import asdict, dataclass, field
from pathlib import Path

from filelock import FileLock, Timeout

from convoy_core.lock import Lock
from convoy_core.model import Side
from convoy_core.paths import AGENT_FOLDER
from convoy_core.recipe import Recipe, read_recipe
from convoy_core.rollcall import Deviation
from convoy_core.signing import key_fingerprint, verify

from .errors import BadRelease, FolderRefused, NotPaired, SomebodyElse
from .files import sha256_of, told_when_full, walk, write_at_once
from .site import Pairing, SignedRelease

Sight = tuple[int, int, int]
"""Size in bytes, modification and change time in nanoseconds: a file that looks the same is not hashed again."""


@dataclass
class Record:
    """What the agent placed: the release, and path to (sha256, sight) of each file."""

    release: str = ""
    files: dict[str, tuple[str, Sight]] = field(default_factory=dict)

    def hashes(self) -> dict[str, str]:
        return {path: sha256 for path, (sha256, _) in self.files.items()}


class Folder:
    """One installation on disk."""

    def __init__(self, root: Path) -> None:
        self.root = root.absolute()
        self.own = self.root / AGENT_FOLDER
        self.staging = self.own / "staging"
        self.inbox = self.own / "inbox"
        self.journal = self.own / "journal.json"

    # --- Pairing

    def create(self, pairing: Pairing) -> None:
        """Makes the folder an installation. Raises FolderRefused for one that holds anything."""
        self.refuse_taken()
        with told_when_full(self.root):
            self.inbox.mkdir(parents=True, exist_ok=True)
            write_at_once(self.own / "pairing.json", json.dumps(asdict(pairing), indent=1).encode(), private=True)

    def refuse_taken(self) -> None:
        """Raises FolderRefused when the folder cannot become an installation. Asked before a code is used up."""
        if (self.own / "pairing.json").exists():
            raise FolderRefused(
                f"{self.root} is an installation already.", now="Run “convoy sync” in it, or choose another folder."
            )
        if self.root.exists() and not self.root.is_dir():
            raise FolderRefused(f"{self.root} is a file.", now="Choose a folder.")
        if self.root.exists() and any(self.root.iterdir()):
            raise FolderRefused(
                f"{self.root} is not empty.",
                "An installation starts in a folder of its own, so that nothing of yours is touched.",
                "Choose a new or empty folder.",
            )
        nearest = self.root
        while not nearest.exists():
            nearest = nearest.parent
        if not os.access(nearest, os.W_OK | os.X_OK):
            raise FolderRefused(f"{nearest} cannot be written.", "You have no right to.", "Choose another folder.")

    def pairing(self) -> Pairing:
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
        lock = FileLock(self.own / "lock")
        try:
            with told_when_full(self.root), lock.acquire(timeout=0):
                yield
        except Timeout as error:
            raise SomebodyElse(
                f"Another agent works on {self.root}.", "Two at once would spoil it.", "Wait until it has ended."
            ) from error

    # --- Record and release

    def record(self) -> Record:
        try:
            kept = json.loads((self.own / "record.json").read_bytes())
            files = {path: (sha256, (int(a), int(b), int(c))) for path, (sha256, a, b, c) in kept["files"].items()}
            return Record(kept["release"], files)
        except FileNotFoundError:
            return Record()
        except (ValueError, KeyError, TypeError):
            # A record that cannot be read is no record: everything is hashed anew, and nothing is taken for granted.
            return Record()

    def write_record(self, record: Record) -> None:
        rows = {path: [sha256, *sight] for path, (sha256, sight) in record.files.items()}
        data = json.dumps({"release": record.release, "files": rows}, separators=(",", ":")).encode()
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
        verify(pinned, signed.document, signed.signature)
        recipe = read_recipe(signed.document)
        if recipe.pack != pairing.pack_id:
            raise BadRelease(
                f"The site sent a release of another pack, {recipe.pack_name}.", now="Nothing was changed."
            )
        return recipe

    # --- What lies in it

    def scan(self, record: Record, thorough: bool = False) -> dict[str, tuple[str, Sight]]:
        """Every file with its sha256 and sight. Unless `thorough`, files that look as recorded are not hashed."""
        found: dict[str, tuple[str, Sight]] = {}
        for path, entry in walk(self.root):
            stat = entry.stat(follow_symlinks=False)
            sight = (stat.st_size, stat.st_mtime_ns, stat.st_ctime_ns)
            known = record.files.get(path)
            if known and known[1] == sight and not thorough:
                found[path] = known
            elif not entry.is_file(follow_symlinks=False):
                # A link, pipe or device is nobody's pack file; opening it could hang or lead elsewhere.
                found[path] = ("no plain file", sight)
            else:
                found[path] = (sha256_of(Path(entry.path)), sight)
        return found


def deviations(share: Lock, scan: Mapping[str, str]) -> dict[str, Deviation]:
    """Where a folder differs from its share of a release: what the site is told."""
    found = {}
    for file in share.files:
        there = scan.get(file.path)
        if there is None:
            found[file.path] = Deviation.MISSING
        elif there != file.sha256:
            found[file.path] = Deviation.ALTERED
    tops = tuple(f"{top}/" for top in share.managed)
    for path in scan:
        if path.startswith(tops) and path not in share.by_path:
            found[path] = Deviation.EXTRA
    return found


def share_of(recipe: Recipe, pairing: Pairing) -> Lock:
    return recipe.lock.share(Side(pairing.side))
