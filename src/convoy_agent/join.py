"""Joining: a folder is paired with an installation. What can be wrong is found out before the code is used up."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

from convoy_core.lock.recipe import read_recipe
from convoy_core.trust.charter import Charter, Duty, begin

from .errors import BadRelease, FolderRefused, NotPaired
from .folder.copying import copy_game
from .folder.folder import Folder
from .leave import finish as finish_leaving
from .site import site as sites
from .site.head import Pairing
from .site.progress import Screen, Silent


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
    assert pairing.charter
    pairing = replace(pairing, mark=_begun(pairing).mark)
    folder.create(pairing, as_it_is or game is not None, again)
    return pairing


def _refuse_shown(folder: Folder, shown: Pairing, key: str, again: bool) -> None:
    _refuse_key(shown, key)
    if again:
        _refuse_other(folder, shown, key_named=bool(key))


def _begun(shown: Pairing) -> Charter:
    """The charter that the site shows, signed by its own keys. Raises BadSignature, CharterOver, MalformedInput."""
    assert shown.charter
    return begin(shown.charter, datetime.now(UTC))


def _refuse_key(shown: Pairing, key: str) -> None:
    mark = _begun(shown).mark
    if key and mark.replace("-", "") != key.upper().replace("-", ""):
        raise BadRelease(
            "The site shows another key than the pairing command names.",
            f"Named: {key}. Shown: {mark}.",
            "Nothing was installed. Copy the command again from the installation's page, or ask your curator.",
        )


def _refuse_other(folder: Folder, now: Pairing, key_named: bool) -> None:
    """A folder goes on with its own pack and keys. Where its pairing is damaged, the releases kept in it say which."""
    charter = _begun(now)
    try:
        before = folder.pairing()
    except NotPaired:
        for signed in folder.releases.all():
            recipe = read_recipe(signed.document)
            _refuse_pack(recipe.pack == now.pack_id, recipe.pack_name, now.pack)
            known = {key for key, _ in signed.signatures} & set(charter.duties[Duty.RELEASE].keys)
            _refuse_new_keys(bool(known), "those of the releases that lie here", charter, key_named)
        return
    same = (before.pack_id, before.side) == (now.pack_id, now.side)
    _refuse_pack(same, f"{before.pack} as a {before.side}", f"{now.pack} as a {now.side}")
    trusted = folder.releases.trust.now(before).charter
    _refuse_new_keys(charter.mark in (before.key, trusted.mark), trusted.mark, charter, key_named)


def _refuse_pack(same: bool, follows: str, is_for: str) -> None:
    if not same:
        raise FolderRefused(
            f"The folder follows {follows}; this code is for {is_for}.",
            "What lies there would not be what it follows.",
            "Nothing was changed. Choose another folder for it.",
        )


def _refuse_new_keys(known: bool, trusted: str, now: Charter, key_named: bool) -> None:
    if not known and not key_named:
        raise BadRelease(
            "The site's charter has other keys than those that this folder trusts.",
            f"Trusted: {trusted}. Shown: {now.mark}.",
            "Nothing was changed. Ask your curator whether the keys were replaced; if so, name the new one with --key.",
        )
