"""What stands on a pack's public page, and who may change that."""

import re
import secrets
from dataclasses import dataclass
from uuid import UUID

from django.conf import settings
from django.db import IntegrityError, transaction
from django.db.models import QuerySet
from django.utils import timezone
from django.utils.text import slugify

from convoy_core.handing_out.places import is_web, page_of
from convoy_core.lock.lock import OVERLAY, LockedBuild
from convoy_core.lock.recipe import Recipe
from convoy_core.words.codes import JOIN_LENGTH, read_code, show_code
from convoy_core.words.errors import MalformedInput, NameTaken

from ..catalogue.models import Mod
from ..catalogue.services import addresses, shelf
from ..packs.models import Pack
from ..packs.services import pack_for
from ..people import audit
from ..people.models import User
from ..people.rights import Action, NotFound
from ..releases.change_logs import ChangeLog, change_log_between
from ..releases.lookup import recipe_of, releases_of
from ..releases.models import JoinCode, Release, open_ones
from .models import PublicPage

ADDRESS = re.compile(r"[a-z0-9](?:[a-z0-9-]{1,58})[a-z0-9]")
SHOWN_RELEASES, SHOWN_PICTURES = 12, 6


def page_for(user: User, pack_id: UUID) -> PublicPage | None:
    return PublicPage.objects.filter(pack=pack_for(user, pack_id, Action.SEE)).select_related("code").first()


def suggested_address(name: str) -> str:
    """One that nobody guesses who was not told it: the page is listed nowhere."""
    return f"{slugify(name)[:40] or 'pack'}-{secrets.token_hex(3)}"


@transaction.atomic
def change_page(user: User, pack_id: UUID, on: bool, address: str, words: str, code: str) -> PublicPage:
    """Makes, changes or takes away a pack's page. Raises NotFound for a code that is not the pack's, NameTaken,
    MalformedInput.
    """
    pack = pack_for(user, pack_id, Action.HAND_OUT)
    if not ADDRESS.fullmatch(address):
        raise MalformedInput(
            f"“{address[:60]}” cannot be an address.",
            "It takes 3 to 60 small letters, digits and hyphens.",
            field="address",
        )
    shown = None
    if code:
        shown = JoinCode.objects.filter(pack=pack, code=read_code(code, JOIN_LENGTH), withdrawn_at=None).first()
        if shown is None:
            raise NotFound("This code is not one of the pack's open codes.")
    values = {"on": on, "address": address, "words": words, "code": shown, "changed_at": timezone.now()}
    try:
        with transaction.atomic():
            page, _ = PublicPage.objects.update_or_create(pack=pack, defaults={**values, "made_by": user})
    except IntegrityError as error:
        raise NameTaken("Another pack has this address.", now="Choose another.", field="address") from error
    audit.note(user, f"{'opened' if on else 'closed'} the public page of {pack.name}", pack.crew)
    return page


def address_of(page: PublicPage) -> str:
    return f"{settings.ADDRESS}/p/{page.address}"


def joining_address(code: str) -> str:
    return f"{settings.ADDRESS}/join/{show_code(code)}"


def open_page(address: str) -> PublicPage:
    """Raises NotFound, also for one that was closed."""
    rows = PublicPage.objects.select_related("pack__crew", "pack__game", "code")
    page = rows.filter(address=address, on=True).first()
    if page is None:
        raise NotFound("There is no such page.")
    return page


@dataclass(frozen=True)
class Part:
    """A mod as the page shows it. `page`: of it at its source; empty where there is none."""

    name: str
    version: str
    licence: str
    page: str
    note: str


@dataclass(frozen=True)
class Group:
    title: str
    parts: list[Part]


@dataclass(frozen=True)
class Shown:
    """A pack as strangers see it. `release`: None while none is open."""

    page: PublicPage
    release: Release | None
    recipe: Recipe | None
    groups: list[Group]
    releases: list[Release]
    pictures: list[tuple[str, str]]
    """Slug and name of mods that have one."""
    download: int

    @property
    def code(self) -> str:
        code = self.page.code
        usable = code and code.withdrawn_at is None and code.uses_left != 0 and not self.page.pack.retired_at
        return show_code(code.code) if code and usable else ""


def shown(page: PublicPage) -> Shown:
    """Only what is open to everybody: no trial release, none that was withdrawn, and none that is sealed."""
    releases = list(_for_all(page.pack)[:SHOWN_RELEASES])
    newest = releases[0] if releases else None
    if newest is None:
        return Shown(page, None, None, [], [], [], 0)
    recipe = recipe_of(newest.pk)
    builds = [one for one in recipe.lock.builds if one.mod != OVERLAY]
    with_picture = shelf(page.pack).filter(slug__in=[one.mod for one in builds if one.chosen]).exclude(pictures=[])
    pictures = list(with_picture.order_by("-downloads", "slug").values_list("slug", "name")[:SHOWN_PICTURES])
    return Shown(
        page,
        newest,
        recipe,
        _groups(builds, {one.mod for one in recipe.lock.choices}, open_addresses_of(page)),
        releases,
        pictures,
        sum(one.archive.size for one in builds),
    )


def _for_all(pack: Pack) -> QuerySet[Release]:
    return releases_of(pack).filter(open_ones()).exclude(seal__until__gt=timezone.now())


def open_addresses_of(page: PublicPage) -> dict[str, str]:
    """Sources that everybody may look at."""
    return {name: at for name, at in addresses(page.pack.game_id, page.pack.crew_id).items() if is_web(at)}


def _groups(builds: list[LockedBuild], choices: set[str], sources: dict[str, str]) -> list[Group]:
    sure = [one for one in builds if one.mod not in choices]
    told = (
        ("Chosen", [one for one in sure if one.chosen]),
        ("Yours to choose", [one for one in builds if one.mod in choices]),
        ("Brought in by what these need", [one for one in sure if not one.chosen]),
    )
    return [Group(title, [_part(one, sources) for one in some]) for title, some in told if some]


def _part(build: LockedBuild, sources: dict[str, str]) -> Part:
    note = ", ".join(
        filter(
            None,
            (
                f"for the {build.side} only" if build.side != "both" else "",
                build.advice if build.optional else "",
                "" if build.pickup.is_automatic else "you fetch it yourself",
            ),
        )
    )
    return Part(build.name, build.version, build.licence or "none named", page_of(build, sources), note)


def picture_of(page: PublicPage, slug: str) -> Mod:
    """A mod of the page's release that has a picture. Raises NotFound for every other."""
    found = shown(page)
    mod = shelf(page.pack).select_related("source").filter(slug=slug).first()
    if mod is None or slug not in [one for one, _ in found.pictures]:
        raise NotFound("There is no such picture.")
    return mod


def changes_for_all(page: PublicPage, since: str, until: str) -> ChangeLog:
    """Between two releases that are open to everybody. Raises NotFound."""
    numbers = [one for one in (since, until) if one]
    if _for_all(page.pack).filter(number__in=numbers).count() != len(set(numbers)):
        raise NotFound("There is no such release.")
    return change_log_between(page.pack, since, until)
