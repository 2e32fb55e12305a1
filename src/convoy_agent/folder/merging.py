"""What merging a plan's settings files comes to: while a change is staged, and beforehand, to tell what it costs."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from convoy_core.lock.canonical import sha256_hex
from convoy_core.lock.lock import Lock, PlacedFile
from convoy_core.lock.rendering import keys_set, render, rendering
from convoy_core.settings.formats import MAX_BYTES, Key, UnreadableSettings
from convoy_core.settings.merge import Merged, adjust, merge
from convoy_core.sync.plan import Act, Plan
from convoy_core.words.errors import ConvoyError
from convoy_io.zips import opened

from ..storage.store import Store
from .folder import Folder
from .record import Adjusting, Record
from .settings_files import bytes_at


@dataclass(frozen=True)
class Merging:
    """`target`: this machine's share; `record`: what was placed last; `pinned`: what the member keeps, by file."""

    folder: Folder
    target: Lock
    record: Record
    pinned: Collection[tuple[str, Key]] = ()

    def merged(self, path: str, mine: bytes, new: bytes) -> Merged:
        """The member's file with what a release renders. Raises UnreadableSettings and OSError."""
        base = self.folder.settings / self.record.files.get(path, ("", None))[0]
        # Without what the earlier release rendered, or with a damaged copy, all that differs is taken for the member's.
        before = base.read_bytes() if base.is_file() else new
        if sha256_hex(before) != base.name:
            before = new
        return merge(path, before, mine, new, *self._enforced_and_pinned(path))

    def adjusted(self, path: str, mine: bytes) -> tuple[Merged, Adjusting]:
        """A file that the game or a mod wrote with the pack's keys, and what to remember. Raises UnreadableSettings."""
        sets = keys_set(path, self.target.terms.by_path[path]) if self._is_set(path) else {}
        before = self.record.adjusted.get(path, Adjusting(""))
        merged, keys = adjust(path, mine, sets, before.keys, *self._enforced_and_pinned(path))
        return merged, Adjusting(self.name_of(path), keys)

    def name_of(self, path: str) -> str:
        """What the target sets in a file that no build carries, as `rendering` names it; empty for nothing."""
        return rendering(path, "", self.target.terms) if self._is_set(path) else ""

    def rewritten(self, plan: Plan, store: Store) -> Mapping[str, int]:
        """How many comments each file loses because they stand within a value that is written anew, as far as that can
        be told now: of a build whose archive is still to come it cannot.
        """
        found: dict[str, int] = {}
        for move in plan.moves:
            with suppress(ConvoyError, OSError):
                if move.act is Act.ADJUST:
                    found[move.path] = self.adjusted(move.path, self._mine(move.path))[0].comments_lost
                elif move.act is Act.MERGE and move.file:
                    new = render(move.path, self._plain(move.file, store), self.target.terms.by_path.get(move.path, ()))
                    found[move.path] = self.merged(move.path, self._mine(move.path), new).comments_lost
        return {path: lost for path, lost in found.items() if lost}

    def _mine(self, path: str) -> bytes:
        return bytes_at(self.folder.root, path)

    def _plain(self, file: PlacedFile, store: Store) -> bytes:
        """A build's own file, from the archive in the store. Raises OSError where that is not there."""
        archive: Path = store.path(self.target.by_mod[file.mod].archive.sha256)
        with opened(archive) as packed:
            entry = packed.get(file.member)
            data = b"".join(packed.blocks(entry)) if entry.size == file.size <= MAX_BYTES else b""
        if sha256_hex(data) != file.sha256:
            raise UnreadableSettings(f"{file.path} is not what its release names.")
        return data

    def _is_set(self, path: str) -> bool:
        return path in self.target.adjusted

    def _enforced_and_pinned(self, path: str) -> tuple[list[Key], list[Key]]:
        enforced = [tweak.key for tweak in self.target.terms.enforced(path)]
        return enforced, [key for where, key in self.pinned if where == path]
