"""What a member chooses for their own installation. The next sync follows it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields
from typing import Any
from uuid import UUID

from django.db import transaction
from django.utils import timezone

from convoy_core.lock.in_worlds import for_worlds

from ..catalogue import readings
from ..people.defaults import PRODUCT
from ..people.models import User
from ..people.rights import NotFound
from ..releases.lookup import recipe_of, releases_of
from . import stand_ins
from .joining import installation_for
from .models import OF_SETTINGS, Installation
from .standings import followed, target_of


@dataclass(frozen=True)
class MemberChoices:
    """What a member chooses; None leaves it as it is. `stays_at` empty: whatever is newest."""

    stays_at: str | None = None
    trial: bool | None = None
    tells_settings: bool | None = None
    setting_sets: Sequence[str] | None = None
    pinned: Sequence[Mapping[str, Any]] | None = None
    """Settings that stay as they are, by `path` and `key`."""
    left_out: Sequence[str] | None = None
    asked_about: Sequence[str] | None = None
    worlds: Mapping[str, Sequence[str]] | None = None
    """By mod the worlds that its content goes into; a mod without any is taken out of all."""
    memory_share: int | None = None
    line_kb: int | None = None
    most_mb: int | None = None
    kept_backups: int | None = None
    as_default: Sequence[str] | None = None
    """Of the four above, those of which nothing is said for this installation any more."""


LOOKED_AT = ("trial", "stays_at", "left_out", "worlds", "tells_settings", "setting_sets", "pinned")
"""After one of these is chosen, a sync may do something else."""

CHOSEN = tuple(one.name for one in fields(MemberChoices) if one.name != "as_default")


def choose(user: User, installation_id: UUID, choices: MemberChoices) -> Installation:
    """Keeps a member's choices; the next sync follows them. Raises NotFound for a release that is not open to them.

    An agent that watches sees by itself that its release or its share is another one, and looks; a stand-in's is sent.
    """

    installation_for(user, installation_id)
    with transaction.atomic():
        one = Installation.objects.select_for_update(of=("self",)).select_related("pack").get(pk=installation_id)
        if choices.trial is not None:
            one.trial = choices.trial
        if choices.tells_settings is not None:
            one.tells_settings = choices.tells_settings
            if not choices.tells_settings:
                # What was told goes at once, not at the next look.
                readings.forget_reported(one.pack, one.member, one.written.values())
                one.about = {name: told for name, told in one.about.items() if name not in OF_SETTINGS}
        if choices.pinned is not None:
            one.pinned = sorted([row["path"], list(row["key"])] for row in choices.pinned)
        for name in ("left_out", "asked_about", "setting_sets"):
            if (value := getattr(choices, name)) is not None:
                setattr(one, name, sorted(set(value)))
        if choices.worlds is not None:
            one.worlds = {mod: sorted(set(worlds)) for mod, worlds in sorted(choices.worlds.items()) if worlds}
        for name in PRODUCT:
            if (number := getattr(choices, name)) is not None:
                setattr(one, name, number)
        for name in choices.as_default or ():
            setattr(one, name, None)
        if choices.stays_at is not None:
            releases = list(releases_of(one.pack).select_related("withdrawal"))
            found = next((release for release in followed(one, releases) if release.number == choices.stays_at), None)
            if choices.stays_at and found is None:
                raise NotFound(
                    f"Release {choices.stays_at} cannot be chosen.",
                    "It does not exist, was withdrawn, or is for trial only.",
                    "Choose one of those listed.",
                )
            one.stays_at = found
        one.orders, one.called_at = one.orders + 1, timezone.now()
        one.save(update_fields=[*CHOSEN, "about", "orders", "called_at"])
        moved = any(getattr(choices, name) is not None for name in LOOKED_AT)
        if moved and one.machine_id and one.token_hash:
            stand_ins.send_agent(one, only_look=True)
    return one


def into_world(one: Installation, world: str, mods: Sequence[str], instead_of: str = "") -> None:
    """Content that the member chose for a world goes into another one, too, or instead. What is no content for worlds
    of the release that they follow is passed by.
    """
    target = target_of(one, list(releases_of(one.pack).select_related("withdrawal")))
    known = for_worlds(recipe_of(target.pk).lock) if target else {}
    with transaction.atomic():
        locked = Installation.objects.select_for_update(of=("self",)).get(pk=one.pk)
        for mod in mods:
            folder = known.get(mod, "")
            chosen = set(locked.worlds.get(mod, ())) - {instead_of}
            if folder and world.startswith(f"{folder}/") and f"{folder}/*" not in chosen:
                locked.worlds[mod] = sorted(chosen | {world})
        locked.save(update_fields=["worlds"])
