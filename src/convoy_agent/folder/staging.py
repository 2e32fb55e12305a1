"""Staging: every file that a plan places is unpacked, verified, rendered or merged here, before anything changes.

.convoy/staging/ holds files by their sha256, .convoy/settings/ what releases rendered, which is what a later merge
starts from. Builds are staged as their archives arrive, from several threads at once.
"""

from __future__ import annotations

import hashlib
from collections.abc import Collection
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from convoy_core.lock.canonical import sha256_hex
from convoy_core.lock.lock import Lock, LockedBuild, PlacedFile
from convoy_core.lock.rendering import render, rendering
from convoy_core.outside.paths import checked_path
from convoy_core.settings.formats import MAX_BYTES, Key, UnreadableSettings
from convoy_core.settings.merge import KeyMerge, Merged
from convoy_core.sync.plan import BESIDE, Act, Move, Plan
from convoy_io.zips import ArchiveWrong, Zip, opened

from ..site.progress import Listener
from ..storage import disk
from ..storage.files import inside, made_anew, sha256_of, trouble_told, unlinked
from ..storage.store import Store
from .blocks import Siblings
from .differences import as_text
from .folder import Folder
from .merging import Merging
from .record import Adjusting, Record
from .settings_files import bytes_at, too_large


@dataclass
class Staged:
    """What staging a plan came to, path by path. Written into the journal as it stands."""

    content: dict[str, str] = field(default_factory=dict)
    """Path to the sha256 of what will lie there. Equal to the file's own but for tweaked and merged settings."""
    found: dict[str, str] = field(default_factory=dict)
    """For merged files: the sha256 of the member's file that was merged."""
    rendered: dict[str, tuple[str, str]] = field(default_factory=dict)
    """For settings files: the sha256 of what the release renders, and the rendering's name."""
    adjusted: dict[str, Adjusting] = field(default_factory=dict)
    """What is set in settings files that no build carries, by path."""
    notes: list[dict[str, Any]] = field(default_factory=list)
    """What merging did, for the member to read."""
    sure: set[str] = field(default_factory=set)
    """The sha256 of all that lies in staging: hashed as it was written, by this process."""


class Stager:
    """Stages one plan. `stage_build` may be called from several threads; `finish` comes once, after all of them."""

    def __init__(
        self,
        folder: Folder,
        plan: Plan,
        target: Lock,
        record: Record,
        store: Store,
        told: Listener,
        pinned: Collection[tuple[str, Key]] = (),
    ) -> None:
        self._folder, self._target, self._record, self._store, self.told = folder, target, record, store, told
        self._merging, self._adjusted = Merging(folder, target, record, pinned), plan.paths(Act.ADJUST)
        self._wanted: dict[str, list[Move]] = {}
        for move in plan.moves:
            if move.file:
                unlinked(folder.root, checked_path(move.path))
                self._wanted.setdefault(move.file.mod, []).append(move)
        disk.remove_tree(folder.staging)
        folder.staging.mkdir(parents=True)
        self._siblings = Siblings(folder, store)
        self._done: set[str] = set()
        self._sure: set[str] = set()

    def stage_build(self, build: LockedBuild) -> None:
        """Unpacks what the plan wants of a build, each file verified. Raises ArchiveWrong, and changes nothing else.

        An archive that is not what it was when it came into the store is dropped from there; the error's `damaged` is
        then true, and fetching it anew may do.
        """
        if build.mod in self._done or build.mod not in self._wanted:
            return
        archive = self._store.path(build.archive.sha256)
        try:
            with trouble_told(self._folder.root), opened(archive) as packed:
                for move in self._wanted[build.mod]:
                    assert move.file is not None
                    self.told.file(move.path, 0, move.file.size)
                    self._unpack(packed, move.file, build)
                    self.told.file(move.path, move.file.size, move.file.size)
        except FileNotFoundError:
            raise
        except ArchiveWrong as error:
            # Right when it was fetched: either the store's copy was damaged since, or the release is wrong about it.
            damaged = not archive.is_file() or sha256_of(archive) != build.archive.sha256
            if damaged:
                self._store.drop(build.archive.sha256)
            raise ArchiveWrong(
                f"The archive of {build.name} {build.version} cannot be unpacked.",
                "The copy in the store is damaged and was dropped." if damaged else str(error),
                "Sync again to fetch it anew." if damaged else "Nothing was changed. Tell your curator.",
                mod=build.mod,
                damaged=damaged,
            ) from error
        self._done.add(build.mod)

    def stage_stored(self) -> list[LockedBuild]:
        """Stages every build that is still to be staged; gives those whose copy in the store was damaged."""
        damaged = []
        for build in [self._target.by_mod[mod] for mod in self._wanted if mod not in self._done]:
            try:
                self.stage_build(build)
            except ArchiveWrong as error:
                if not error.data.get("damaged"):
                    raise
                damaged.append(build)
        return damaged

    def left(self) -> tuple[int, int]:
        """Bytes and files that are still to be unpacked."""
        sizes = [
            move.file.size
            for mod, moves in self._wanted.items()
            if mod not in self._done
            for move in moves
            if move.file
        ]
        return sum(sizes), len(sizes)

    def finish(self) -> Staged:
        """Renders and merges settings, once every build is staged."""
        staged = Staged(sure=self._sure)
        with trouble_told(self._folder.root):
            for moves in self._wanted.values():
                for move in moves:
                    self._content(move, staged)
            for path in self._adjusted:
                self._adjust(path, staged)
        return staged

    def _unpack(self, packed: Zip, file: PlacedFile, build: LockedBuild) -> None:
        # Two builds may carry one content: each thread writes a file of its own, and the last swaps it in.
        beside = self._folder.staging / f"{file.sha256}.{build.archive.sha256[:12]}"
        if not self._siblings.share(file.sha256, beside):
            _unpack(packed, file, beside)
        disk.replace(beside, self._folder.staging / file.sha256)
        self._sure.add(file.sha256)

    def _content(self, move: Move, staged: Staged) -> None:
        file = move.file
        assert file is not None
        terms = self._target.terms
        if not terms.is_settings(file.path):
            staged.content[file.path] = file.sha256
            return
        if file.size > MAX_BYTES:
            self._whole(move, file, staged)
            return
        plain = (self._folder.staging / file.sha256).read_bytes()
        try:
            new = render(file.path, plain, terms.by_path.get(file.path, ()))
        except UnreadableSettings as error:
            new = plain
            staged.notes.append({"path": file.path, "problem": error.sentence()})
        rendered = self._keep(new, self._folder.settings)
        staged.rendered[file.path] = (rendered, rendering(file.path, file.sha256, terms))
        if move.act is Act.MERGE:
            self._merge(file.path, new, staged)
        else:
            staged.content[file.path] = self._keep(new, self._folder.staging)

    def _whole(self, move: Move, file: PlacedFile, staged: Staged) -> None:
        """Too large for anything to be set in it: it comes as it is, or beside the member's."""
        staged.rendered[file.path] = (file.sha256, rendering(file.path, file.sha256, self._target.terms))
        error = too_large(file.path)
        if move.act is Act.MERGE:
            self._beside(file.path, file.sha256, error, staged)
            return
        staged.content[file.path] = file.sha256
        if self._target.terms.by_path.get(file.path):
            staged.notes.append({"path": file.path, "problem": error.sentence()})

    def _merge(self, path: str, new: bytes, staged: Staged) -> None:
        try:
            mine = bytes_at(self._folder.root, path)
            merged = self._merging.merged(path, mine, new)
        except UnreadableSettings as error:
            self._beside(path, self._keep(new, self._folder.staging), error, staged)
            return
        staged.found[path] = sha256_hex(mine)
        staged.content[path] = self._keep(merged.data, self._folder.staging)
        staged.notes.append(_note(path, merged))

    def _beside(self, path: str, sha256: str, error: UnreadableSettings, staged: Staged) -> None:
        """What cannot be merged is never rewritten: the release's lies beside it."""
        beside = f"{path}{BESIDE}"
        staged.found[path] = staged.content[path] = sha256_of(inside(self._folder.root, path))
        staged.content[beside] = sha256
        staged.notes.append({"path": path, "problem": error.sentence(), "beside": beside})

    def _adjust(self, path: str, staged: Staged) -> None:
        """Sets the pack's keys in a file that the game or a mod wrote. One that cannot be read stays as it is."""
        try:
            mine = bytes_at(self._folder.root, path)
            merged, staged.adjusted[path] = self._merging.adjusted(path, mine)
        except FileNotFoundError:
            # The game took it away meanwhile: the next sync that finds it there sets it.
            return
        except UnreadableSettings as error:
            before = self._record.adjusted.get(path, Adjusting(""))
            staged.adjusted[path] = Adjusting(self._merging.name_of(path), before.keys)
            staged.notes.append({"path": path, "problem": error.sentence()})
            return
        staged.found[path] = sha256_hex(mine)
        staged.content[path] = self._keep(merged.data, self._folder.staging)
        staged.notes.append(_note(path, merged))

    def _keep(self, data: bytes, where: Path) -> str:
        sha256 = sha256_hex(data)
        where.mkdir(exist_ok=True)
        if not (where / sha256).exists() or sha256_of(where / sha256) != sha256:
            beside = where / f"{sha256}.new"
            with made_anew(beside) as file:
                file.write(data)
                disk.written(file)
            disk.replace(beside, where / sha256)
        if where == self._folder.staging:
            self._sure.add(sha256)
        return sha256


def _note(path: str, merged: Merged) -> dict[str, Any]:
    told: dict[str, Any] = {
        "path": path,
        "changed": [".".join(key) for key in merged.changed],
        "kept": [_said(one) for one in merged.kept],
        "overruled": [_said(one) for one in merged.overruled],
    }
    return {**told, "comments_lost": merged.comments_lost} if merged.comments_lost else told


def _said(one: KeyMerge) -> dict[str, str]:
    return {"key": ".".join(one.key), "mine": as_text(one.mine), "new": as_text(one.new)}


def _unpack(packed: Zip, file: PlacedFile, to: Path) -> None:
    """One member into staging; never more bytes than the release names, never through a link."""
    entry = packed.get(file.member)
    if entry.is_link or entry.is_odd or entry.is_folder or entry.size != file.size:
        raise ArchiveWrong(f"{file.member} in it is no plain file, or of another size.")
    digest = hashlib.sha256()
    with made_anew(to) as target:
        for block in packed.blocks(entry):
            digest.update(block)
            target.write(block)
        disk.written(target)
    if digest.hexdigest() != file.sha256:
        disk.remove(to)
        raise ArchiveWrong(f"{file.member} in it is not the file that the release names.")
