"""Makes a pack of a file that somebody brought, as the worker does it: all of it, or nothing but a reason."""

import tempfile
from collections.abc import Collection, Iterator
from contextlib import contextmanager
from pathlib import Path
from uuid import UUID

from django.db import transaction

from convoy_core.lock.lock import OVERLAY, Lock, LockedBuild
from convoy_core.outside.archive_root import root_of
from convoy_core.words.errors import ConvoyError
from convoy_core.words.wording import counted
from convoy_io.bags import OpenBag, opened_bag

from ... import kept_files, receiving
from ...catalogue.games import add_game
from ...catalogue.models import OwnFile
from ...catalogue.own import adopt
from ...packs import draft_layers, from_lock
from ...packs.models import EMBLEMS, Pack
from ...packs.services import NewPack, start_pack
from ...people import audit
from ...people.models import Crew
from ..models import FAILED, MakingState, Opening
from .opening import base_of, shelf_of, why_not
from .packing import forget_file


def open_up(opening_id: UUID) -> None:
    """What the worker does: all of it, or nothing but a reason."""
    opening = Opening.objects.select_related("crew", "by").filter(pk=opening_id).first()
    if opening is None or opening.state not in (MakingState.WAITS, MakingState.WORKING):
        return
    rows = Opening.objects.filter(pk=opening.pk)
    rows.update(state=MakingState.WORKING)
    try:
        with _opened(opening) as (bag, folder):
            try:
                pack, told = _make(opening, bag, folder)
            except BaseException:
                _forget_unnamed(opening.crew, bag.told.archives)
                raise
    except ConvoyError as error:
        rows.update(state=MakingState.FAILED, told=error.sentence())
        return
    except Exception:
        # Whoever waits is told at once; the job's own end tells the keeper what it was.
        rows.update(state=MakingState.FAILED, told=FAILED)
        raise
    rows.update(state=MakingState.DONE, told=told, done=opening.total, pack=pack)
    forget_file(opening.place)


def _forget_unnamed(crew: Crew, hashes: Collection[str]) -> None:
    """Archives that were kept for a pack that came to nothing: their rows went with it."""
    named = set(OwnFile.objects.filter(crew=crew, sha256__in=hashes).values_list("sha256", flat=True))
    for sha256 in hashes:
        if sha256 not in named:
            forget_file(OwnFile(crew=crew, sha256=sha256).place)


@contextmanager
def _opened(opening: Opening) -> Iterator[tuple[OpenBag, Path]]:
    place = receiving.folder()
    with (
        kept_files.as_path(opening.place, place) as path,
        opened_bag(path) as bag,
        tempfile.TemporaryDirectory(dir=place, prefix="opening-") as folder,
    ):
        yield bag, Path(folder)


def _make(opening: Opening, bag: OpenBag, folder: Path) -> tuple[Pack, str]:
    """All of it in one transaction: a pack that is half there helps nobody."""
    user, recipe = opening.by, bag.told.recipe
    on, brings_game = shelf_of(user, opening.crew, bag)
    version, loader, loader_version = base_of(recipe)
    lock = recipe.lock
    with transaction.atomic():
        game = add_game(user, bag.told.game, opening.crew) if brings_game else on.game
        pack = start_pack(
            user,
            NewPack(
                crew=opening.crew_id,
                game=game.pk,
                name=opening.said["as"],
                emblem=EMBLEMS[0],
                group="",
                notes=recipe.notes[:20_000],
                game_version=version,
                loader=loader,
                loader_version=loader_version,
                suits=(recipe.suits.games.text, recipe.suits.as_data()["loaders"]) if recipe.suits else None,
            ),
        )
        known = from_lock.here(pack, lock)
        listed = from_lock.listed_here(pack, [one.mod for one in lock.builds])
        for one in lock.builds:
            is_inside = one.archive.sha256 in bag.told.archives
            if one.mod in known or one.mod == OVERLAY or why_not(one, is_inside, one.mod in listed):
                continue
            path = _taken_out(bag, one, folder)
            adopt(user, pack, one, lock.base, _root(lock, one, pack), path)
            path.unlink()
        overlay = lock.by_mod.get(OVERLAY)
        own = _taken_out(bag, overlay, folder) if overlay and overlay.archive.sha256 in bag.told.archives else None
        signed = f", signed by {opening.said['mark']}" if opening.said["mark"] else ", which nobody here can vouch for"
        from_lock.fill(user, pack, lock, own, f"opened from the file of {recipe.pack_name} {recipe.number}{signed}")
        audit.note(user, f"opened {recipe.pack_name} {recipe.number} as {pack.name}{signed}", pack.crew)
    return pack, _outcome(pack, lock)


def _taken_out(bag: OpenBag, build: LockedBuild, folder: Path) -> Path:
    """An archive of the file, checked. Raises ArchiveWrong."""
    path = folder / f"{build.archive.sha256}.zip"
    with path.open("wb") as out:
        for block in bag.blocks(build.archive.sha256):
            out.write(block)
    return path


def _root(lock: Lock, build: LockedBuild, pack: Pack) -> str:
    """Which folder of its archive was laid down, by what lies where."""
    top = pack.game.profile.kinds[build.kind].top(build.mod)
    file = next((one for one in (*lock.files, *lock.covered) if one.mod == build.mod), None)
    return root_of(file.member, file.path, top) if file else ""


def _outcome(pack: Pack, lock: Lock) -> str:
    draft = pack.draft
    draft.pack = pack
    made = draft_layers.lock_of(draft)
    if made.fingerprint() == lock.fingerprint():
        return f"The draft gives the very same files: fingerprint {lock.fingerprint()}."
    if {(one.path, one.sha256) for one in made.files} == {(one.path, one.sha256) for one in lock.files}:
        return (
            f"The draft gives the very same files. Its fingerprint is another: the game goes by {made.base.game} here."
        )
    lacking = counted(len(draft.unsettled), "line has no build", "lines have no build")
    return f"{lacking} here: the draft is not what the release was until they have."
