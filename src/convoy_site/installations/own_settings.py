"""Settings of one installation, key by key: what the pack sets there, and what its member changed, as far as the agent
may tell.
"""

from dataclasses import dataclass
from typing import Any

from convoy_core.lock.terms import Tweak
from convoy_core.settings.knowledge import as_words
from convoy_core.words.model import Side

from ..packs.models import Pack
from ..releases.models import Release
from ..releases.services import recipe_of
from .models import Installation

MOST_ROWS = 400


@dataclass(frozen=True)
class OwnSetting:
    """As `shapes.member.OwnSettingOut`."""

    path: str
    key: list[str]
    how: str
    pack: str
    installed: str
    mine: str
    was: str


def own_settings(one: Installation, target: Release | None) -> list[OwnSetting]:
    """By path and key: what going to `target` changes among them first, then what differs here, then the rest."""
    wanted, had = _tweaks(one, target), _tweaks(one, one.release)
    told = {(row["path"], tuple(row["key"])): row for row in one.about.get("settings", ())}
    rows = []
    for path, key in sorted({*wanted, *had, *told}):
        tweak, before, here = wanted.get((path, key)), had.get((path, key)), told.get((path, key))
        rows.append(
            OwnSetting(
                path,
                list(key),
                tweak.how if tweak else "",
                as_words(tweak.value) if tweak else "",
                as_words(before.value) if before else "",
                _told(here["mine"]) if here else "",
                _told(here["was"]) if here else "",
            )
        )
    rows.sort(key=lambda row: (row.pack == row.installed, not row.mine, row.path, row.key))
    return rows[:MOST_ROWS]


def _told(value: object) -> str:
    return "not there" if value is None else as_words(value)


def _tweaks(one: Installation, release: Release | None) -> dict[tuple[str, tuple[str, ...]], Tweak]:
    if release is None:
        return {}
    share = recipe_of(release.pk).lock.bare.share(Side(one.side))
    return {(tweak.path, tweak.key): tweak for tweak in share.terms.tweaks}


@dataclass(frozen=True)
class Machine:
    """One installation whose member lets its settings be seen. `rows`: as the agent told them."""

    installation: Installation
    rows: list[dict[str, Any]]


def machines_of(pack: Pack) -> list[Machine]:
    """Installations of a pack that told something, newest heard first."""
    found = pack.installations.filter(tells_settings=True, member__isnull=False).select_related("member")
    return [Machine(one, one.about["settings"]) for one in found.order_by("-heard_at") if one.about.get("settings")]


def set_otherwise(pack: Pack) -> set[tuple[str, tuple[str, ...]]]:
    """Settings that any of them has otherwise than it was placed."""
    return {(str(row["path"]), tuple(row["key"])) for one in machines_of(pack) for row in one.rows}
