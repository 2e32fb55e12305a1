"""Releases of a pack, looked up: by number, the newest, and what one is told against."""

from functools import lru_cache

from django.db.models import QuerySet

from convoy_core.lock.lock import Lock
from convoy_core.lock.recipe import Recipe, ReleaseChannel, read_recipe

from ..packs.models import Pack
from ..people.rights import NotFound
from .models import Release, open_ones


@lru_cache(maxsize=64)
def recipe_of(release_pk: int) -> Recipe:
    """A release's recipe. Kept in memory: a release never changes."""
    return read_recipe(bytes(Release.objects.values_list("document", flat=True).get(pk=release_pk)))


def releases_of(pack: Pack) -> QuerySet[Release]:
    """Releases without their documents, newest first."""
    return pack.releases.defer("document", "signature", "public_key").order_by("-pk")


def newest_release(pack: Pack) -> Release | None:
    """The newest of all, trial and withdrawn ones included: numbers go up from it."""
    return releases_of(pack).first()


def current_release(pack: Pack) -> Release | None:
    """What members follow who did not choose otherwise."""
    return releases_of(pack).filter(open_ones()).first()


def release_numbered(pack: Pack, number: str) -> Release:
    """Raises NotFound."""
    found = releases_of(pack).filter(number=number).first()
    if found is None:
        raise NotFound(f"{pack.name} has no release {number}.")
    return found


def lock_before(pack: Pack) -> Lock | None:
    """What members have who follow the pack, for the checks: the release of now, without its files."""
    current = current_release(pack)
    return recipe_of(current.pk).lock.bare if current else None


def release_before(pack: Pack, channel: str) -> Release | None:
    """What a release of this channel is told against: the last stable one that is open; for a trial release the
    newest that its followers may have.
    """
    return releases_of(pack).filter(open_ones(trial=channel == ReleaseChannel.TRIAL)).first()


def told_against(pack: Pack, release: Release) -> str:
    """The number of the release that one followed when it was published, by its followers; empty for the first."""
    earlier = releases_of(pack).filter(pk__lt=release.pk)
    if release.channel == ReleaseChannel.STABLE:
        earlier = earlier.filter(channel=ReleaseChannel.STABLE)
    return earlier.values_list("number", flat=True).first() or ""
