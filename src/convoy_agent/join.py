"""Joining: a folder is paired with an installation. What can be wrong is found out before the code is used up."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path

from convoy_core.lock.recipe import read_recipe
from convoy_core.lock.signing import key_fingerprint

from .errors import BadRelease, FolderRefused, NotPaired
from .folder.copying import copy_game
from .folder.folder import Folder
from .leave import finish as finish_leaving
from .site import site as sites
from .site.progress import Screen, Silent
from .site.site import Pairing


def join(
    code: str,
    site: str,
    root: Path,
    key: str = "",
    game: Path | None = None,
    as_it_is: bool = False,
    screen: Screen | None = None,
    again: bool = False,
) -> Pairing:
    """Pairs a folder with an installation of the site's; with `game`, the folder becomes a copy of that game first.
    `again` gives an installation that the site no longer knows another pairing, and keeps all that lies in it.

    Everything that can be wrong is found out before the code is used up, and before the game is copied. Raises
    FolderRefused, BadRelease for another key, SiteRefused, DiskFull.
    """
    folder = Folder(root)
    folder.refuse_taken(as_it_is, again)
    _refuse_shown(folder, sites.look(site, code), key, again)
    if not again:
        finish_leaving(folder, datetime.now(UTC))
    if game is not None:
        copy_game(game, folder.root, screen or Silent())
    pairing = sites.pair(site, code)
    _refuse_shown(folder, pairing, key, again)
    folder.create(pairing, as_it_is or game is not None, again)
    return pairing


def _refuse_shown(folder: Folder, shown: Pairing, key: str, again: bool) -> None:
    _refuse_key(shown, key)
    if again:
        _refuse_other(folder, shown, key_named=bool(key))


def _refuse_key(shown: Pairing, key: str) -> None:
    if key and shown.key.replace("-", "") != key.upper().replace("-", ""):
        raise BadRelease(
            "The site shows another key than the pairing command names.",
            f"Named: {key}. Shown: {shown.key}.",
            "Nothing was installed. Copy the command again from the installation's page, or ask your curator.",
        )


def _refuse_other(folder: Folder, now: Pairing, key_named: bool) -> None:
    """A folder goes on with its own pack and key. Where its pairing is damaged, the releases kept in it say which."""
    try:
        before = folder.pairing()
    except NotPaired:
        for signed in folder.releases.all():
            recipe = read_recipe(signed.document)
            _refuse_pack(recipe.pack == now.pack_id, recipe.pack_name, now.pack)
            _refuse_new_key(signed.key.hex(), now, key_named)
        return
    same = (before.pack_id, before.side) == (now.pack_id, now.side)
    _refuse_pack(same, f"{before.pack} as a {before.side}", f"{now.pack} as a {now.side}")
    _refuse_new_key(before.public_key, now, key_named)


def _refuse_pack(same: bool, follows: str, is_for: str) -> None:
    if not same:
        raise FolderRefused(
            f"The folder follows {follows}; this code is for {is_for}.",
            "What lies there would not be what it follows.",
            "Nothing was changed. Choose another folder for it.",
        )


def _refuse_new_key(trusted: str, now: Pairing, key_named: bool) -> None:
    if trusted != now.public_key and not key_named:
        raise BadRelease(
            "The site signs with another key than the one that this folder trusts.",
            f"Trusted: {key_fingerprint(bytes.fromhex(trusted))}. Shown: {now.key}.",
            "Nothing was changed. Ask your curator whether the key was replaced; if so, name it with --key.",
        )
