"""Settings of one installation, key by key: what the pack sets there, and what its member changed, as far as the agent
may tell.
"""

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Any

from convoy_core.lock.terms import Tweak
from convoy_core.settings.formats import TEXT_ONLY, format_of
from convoy_core.settings.knowledge import as_words, known_of, says
from convoy_core.settings.readings import Reading
from convoy_core.words.model import Side
from convoy_core.words.profile import GameProfile

from ..catalogue import readings
from ..packs.models import Pack
from ..releases.lookup import recipe_of
from ..releases.models import Release
from .models import Installation
from .shapes.member import OfferedSetOut, OwnSettingOut

MOST_ROWS = 400

PLAIN = (bool, int, float, str)
"""Values that are taken over as they are."""

Place = tuple[str, tuple[str, ...]]
"""A setting: its file's path, and its key."""


def own_settings(one: Installation, target: Release | None) -> list[OwnSettingOut]:
    """By path and key: what going to `target` changes among them first, then what differs here, then the rest."""
    wanted = _tweaks(one, target, one.setting_sets)
    had = _tweaks(one, one.release, one.about.get("sets", ()))
    told = {(row["path"], tuple(row["key"])): row for row in one.about.get("settings", ())}
    pinned = {(path, tuple(key)) for path, key in one.pinned}
    server = _server_has(one)
    rows = []
    for path, key in sorted({*wanted, *had, *told, *pinned, *server}):
        tweak, before, here = wanted.get((path, key)), had.get((path, key)), told.get((path, key))
        rows.append(
            OwnSettingOut(
                path=path,
                key=list(key),
                how=tweak.how if tweak else "",
                pack=as_words(tweak.value) if tweak else "",
                installed=as_words(before.value) if before else "",
                mine=_told(here["mine"]) if here else "",
                was=_told(here["was"]) if here else "",
                server=server.get((path, key), ""),
                pinned=(path, key) in pinned,
            )
        )
    rows.sort(key=lambda row: (row.pack == row.installed, not row.mine, row.path, row.key))
    return rows[:MOST_ROWS]


def offered_sets(one: Installation, target: Release | None) -> list[OfferedSetOut]:
    """Sets of settings that its member may choose."""
    offers = recipe_of(target.pk).lock.bare.share(Side(one.side)).terms.offers if target else ()
    return [
        OfferedSetOut(
            id=offer.id,
            name=offer.name,
            taken=offer.id in one.setting_sets,
            settings=[f"{'.'.join(tweak.key)} = {as_words(tweak.value)}" for tweak in offer.tweaks],
        )
        for offer in offers
    ]


def _told(value: object) -> str:
    return "not there" if value is None else as_words(value)


def _server_has(one: Installation) -> dict[Place, str]:
    """What servers of the pack have otherwise than it was placed, as far as their keepers let it be seen."""
    if one.side == Side.SERVER:
        return {}
    return {
        (str(row["path"]), tuple(row["key"])): _told(row["mine"])
        for told in one.pack.installations.filter(tells_settings=True, side=Side.SERVER).order_by("heard_at")
        for row in told.about.get("settings", ())
    }


def _tweaks(one: Installation, release: Release | None, sets: Collection[str]) -> dict[Place, Tweak]:
    if release is None:
        return {}
    share = recipe_of(release.pk).lock.bare.share(Side(one.side)).with_sets(sets)
    return {(tweak.path, tweak.key): tweak for tweak in share.terms.tweaks}


@dataclass(frozen=True)
class Machine:
    """One installation whose member lets its settings be seen. `rows`: as the agent told them, and what was tuned in
    files that the game or a mod wrote there; `written`: those files, with their hashes.
    """

    installation: Installation
    rows: list[dict[str, Any]]
    written: dict[str, str]


def machines_of(pack: Pack) -> list[Machine]:
    """Installations of a pack that told something, newest heard first."""
    found = pack.installations.filter(tells_settings=True, member__isnull=False).select_related("member")
    told = [(one, one.about.get("settings", []), one.written) for one in found.order_by("-heard_at")]
    read = readings.known(pack, {sha256 for _, _, written in told for sha256 in written.values()})
    machines = [
        Machine(one, [*rows, *_tuned(written, read, pack.game.profile)], written) for one, rows, written in told
    ]
    return [one for one in machines if one.rows or one.written]


def _tuned(written: Mapping[str, str], read: Mapping[str, Reading], profile: GameProfile) -> list[dict[str, Any]]:
    """Of files that the game wrote: keys that say otherwise than their default, where the comments name one."""
    rows: list[dict[str, Any]] = []
    for path, sha256 in written.items():
        reading = read.get(sha256, Reading())
        known = known_of(reading.keys, reading.comments, {}, {}, profile.comments, format_of(path) in TEXT_ONLY)
        rows += [
            {"path": path, "key": list(key), "mine": value, "was": known[key].default}
            for key, value in reading.keys.items()
            if isinstance(value, PLAIN) and known[key].default and not says(value, known[key].default)
        ]
    return rows[:MOST_ROWS]


def written(pack: Pack) -> dict[str, str]:
    """Settings files that no build carries and that somebody's game wrote: path to sha256, as last heard of."""
    telling = pack.installations.filter(tells_settings=True, about__has_key="written").order_by("heard_at")
    return {path: sha256 for one in telling.only("about") for path, sha256 in one.written.items()}


def forget_told(instance: Installation, **_: object) -> None:
    """Before an installation goes, in whichever way: what its agent told of files that its game wrote goes with it."""
    readings.forget_reported(instance.pack, instance.member, instance.written.values())


def set_otherwise(pack: Pack) -> set[Place]:
    """Settings that any of them has otherwise than it was placed."""
    return {(str(row["path"]), tuple(row["key"])) for one in machines_of(pack) for row in one.rows}
