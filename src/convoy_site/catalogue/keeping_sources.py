"""Sources that people add: looked at, added, paused, removed. Reading them is a worker's (`reading_sources`)."""

import json
import re
from dataclasses import dataclass
from uuid import uuid4

import httpx
from django.db import transaction
from django.db.models import Count, QuerySet, Sum
from django.utils.text import slugify

from convoy_core.outside.catalogue import read_index
from convoy_core.outside.fields import Fields
from convoy_core.source.pages import check_signature, signature_name
from convoy_core.trust.signing import key_fingerprint
from convoy_core.words.errors import ConvoyError, MalformedInput, NameTaken
from convoy_core.words.model import Pickup

from ..people import audit
from ..people.models import Crew, User
from ..people.rights import MAY, Action, NotFound, allow, keeper, role_in
from ..people.tries import TooMany
from . import after, reaching
from .games import game_for
from .models import Build, Game, Source, SourceState

SOURCES_OF_A_CREW = 30
LOOK_BYTES = 8 * 2**20
"""Bytes of an index that are read while somebody waits."""

PROFILE_BYTES = 256 * 1024
ADDED_PICKUPS = (Pickup.DIRECT, Pickup.CLICK, Pickup.BY_HAND, Pickup.WITHHELD)


class NoSource(ConvoyError):
    """What lies at an address is no source, or cannot be had."""

    code = "no-source"


@dataclass(frozen=True)
class Look:
    """What a source says of itself. `key`: hex, empty where nobody signs it; `game`: the id of its profile."""

    address: str
    name: str
    game: str
    pickup: Pickup
    key: str
    pages: int
    has_versions: bool
    profile: str
    """The game's profile as the source hands it on (TOML); empty where it has none."""

    @property
    def fingerprint(self) -> str:
        return key_fingerprint(bytes.fromhex(self.key)) if self.key else ""


def look_at(address: str) -> Look:
    """Asks a source what it is. Raises ClosedAddress, NoSource, BadSignature."""
    address = reaching.checked_address(address)
    try:
        with reaching.client() as client:
            body = _fetched(client, f"{address}/catalogue.json", LOOK_BYTES)
            told = json.loads(body)
            top = Fields(told)
            key = top.sha256("key") if top.has("key") else ""
            if key:
                check_signature(key, body, _fetched(client, f"{address}/{signature_name(body)}", 1000))
            pages = read_index(told)
            profile = ""
            if top.has("profile"):
                name = top.text("profile", longest=120)
                profile = _fetched(client, f"{address}/{name}", PROFILE_BYTES).decode()
    except (httpx.HTTPError, ValueError, RecursionError, MalformedInput) as error:
        raise NoSource(
            f"There is no source at {address}.",
            _why(error),
            "Its address is the folder that holds catalogue.json.",
        ) from error
    return Look(
        address=address,
        name=top.text("name", "", longest=60),
        game=top.text("game", "", longest=60),
        pickup=top.one_of("pickup", Pickup, Pickup.DIRECT),
        key=key,
        pages=len(pages) if pages is not None else 1,
        has_versions=top.has("versions"),
        profile=profile,
    )


def _fetched(client: httpx.Client, address: str, most: int) -> bytes:
    body = bytearray()
    with client.stream("GET", address) as reply:
        reply.raise_for_status()
        for block in reply.iter_bytes():
            body += block
            if len(body) > most:
                raise ValueError(f"{address.rsplit('/', 1)[-1]} is larger than {most // 1024} kB")
    return bytes(body)


def _why(error: Exception) -> str:
    if isinstance(error, httpx.HTTPStatusError):
        return f"It answers {error.response.status_code}."
    if isinstance(error, ConvoyError):
        return error.sentence()
    if isinstance(error, json.JSONDecodeError | UnicodeDecodeError):
        return "What lies there is no catalogue."
    return f"{str(error) or type(error).__name__}."


@dataclass(frozen=True)
class NewSource:
    """`key`: as it was shown while looking; the source is added only while it still is that one."""

    address: str
    game: str
    name: str
    pickup: Pickup
    key: str
    follow: bool = False


def add_source(user: User, crew: Crew | None, new: NewSource) -> Source:
    """Adds a source, for a crew or (as the site's keeper) for everybody, and has it read.

    Raises NoSource, ClosedAddress, BadSignature, NameTaken, TooMany.
    """
    if crew is None:
        keeper(user, "add a source for everybody")
    else:
        allow(user, crew, Action.SOURCES, "This crew")
    game = game_for(user, new.game)
    if crew is None and game.crew_id is not None:
        raise NotFound(f"{game.name} is a crew's own game.", now="Add the source for that crew.")
    if new.pickup not in ADDED_PICKUPS:
        raise MalformedInput("What a crew keeps itself is no source to be added.", field="pickup")
    look = look_at(new.address)
    if look.key != new.key:
        raise NoSource(
            f"{look.address} is signed by another key than a moment ago.",
            "Somebody changes it just now.",
            "Look again.",
        )
    with transaction.atomic():
        if crew is not None:
            Crew.objects.select_for_update().get(pk=crew.pk)
            if crew.sources.exclude(is_own=True).exclude(state=SourceState.REMOVED).count() >= SOURCES_OF_A_CREW:
                raise TooMany(f"{crew.name} has {SOURCES_OF_A_CREW} sources already.", now="Remove one of them.")
        same = Source.objects.filter(game=game, address=look.address, crew=crew).first()
        if same is not None and same.state != SourceState.REMOVED:
            raise NameTaken(f"{same.name} lies at this address already.", now="Look at that one.")
        source = same or Source(pk=f"{slugify(new.name)[:40] or 'source'}-{uuid4().hex[:8]}", game=game, crew=crew)
        source.name, source.address, source.pickup, source.key = new.name, look.address, new.pickup, look.key
        source.added_by, source.state, source.etag = user, SourceState.READ, ""
        source.failures, source.rest_until = 0, None
        source.save()
        if new.follow and (game.crew_id is not None or crew is None):
            game.follows = source
            game.save(update_fields=["follows"])
        after.read_soon(source.pk)
        audit.note(user, f"added the source {source.name} at {source.address}", crew)
    return source


def source_for(user: User, source_id: str, to_change: bool = False) -> Source:
    """The source, when the user may see or change it. Raises NotFound or Forbidden."""
    found = Source.objects.select_related("crew", "game").filter(pk=source_id, is_own=False)
    source = found.exclude(state=SourceState.REMOVED).first()
    if source is None:
        raise NotFound("There is no such source.")
    if source.crew is not None:
        allow(user, source.crew, Action.SOURCES if to_change else Action.SEE, "This source")
    elif to_change:
        keeper(user, f"change {source.name}, which is everybody's")
    return source


def may_change(user: User, source: Source) -> bool:
    if source.crew_id is None:
        return user.keeps_the_site
    role = role_in(user, source.crew_id)
    return role is not None and role in MAY[Action.SOURCES]


def sources_of(crew: Crew | None) -> QuerySet[Source]:
    """Sources that a crew, or the site, added and keeps reading; with how big they are."""
    listed = Source.objects.filter(crew=crew, is_own=False).exclude(state=SourceState.REMOVED)
    return listed.select_related("game", "added_by").annotate(mod_count=Count("mods", distinct=True)).order_by("name")


@dataclass(frozen=True)
class Size:
    builds: int
    bytes: int
    refused: int
    gone: int


def size_of(source: Source) -> Size:
    """What a source lists; bytes are those of its archives."""
    builds = Build.objects.filter(mod__source=source)
    there = builds.filter(gone=False)
    told = there.aggregate(builds=Count("pk"), bytes=Sum("archive_size"))
    refused = there.exclude(refused="").count()
    return Size(told["builds"], told["bytes"] or 0, refused, builds.filter(gone=True).count())


def troubles_of(source: Source, most: int = 200) -> list[str]:
    """What the last readings could not take, and why: first what speaks against the whole, then entry by entry."""
    rows: list[str] = [line for line in source.trouble.splitlines() if line]
    for lines in source.pages.order_by("name").values_list("troubles", flat=True):
        rows += [line for line in lines if line not in rows]
    kept = Build.objects.filter(mod__source=source, gone=False).exclude(refused="")
    rows += [
        f"{slug} {version}: {why}" for slug, version, why in kept.values_list("mod__slug", "version", "refused")[:most]
    ]
    return rows[:most]


def pause(user: User, source_id: str, paused: bool) -> Source:
    """A paused source is not read; what it listed stays."""
    source = source_for(user, source_id, to_change=True)
    source.state = SourceState.PAUSED if paused else SourceState.READ
    source.rest_until = None
    source.save(update_fields=["state", "rest_until"])
    audit.note(user, f"{'paused' if paused else 'went on with'} the source {source.name}", source.crew)
    if not paused:
        after.read_soon(source.pk)
    return source


def read_now(user: User, source_id: str) -> Source:
    """Has a source read at once, also one that is left alone for a while."""
    source = source_for(user, source_id, to_change=True)
    Source.objects.filter(pk=source.pk).update(rest_until=None)
    after.read_soon(source.pk)
    return source


@transaction.atomic
def remove_source(user: User, source_id: str) -> None:
    """Takes a source away: its builds are no longer offered. Releases stay, and members go on fetching for them."""
    source = source_for(user, source_id, to_change=True)
    Build.objects.filter(mod__source=source).update(gone=True)
    source.places.all().delete()
    source.pages.all().delete()
    Game.objects.filter(follows=source).update(follows=None)
    source.state = SourceState.REMOVED
    source.save(update_fields=["state"])
    audit.note(user, f"removed the source {source.name}", source.crew)


def packs_using(source: Source) -> list[tuple[str, int]]:
    """Names of packs whose drafts have builds of a source, with how many: whoever removes it should know."""
    slugs = set(source.mods.values_list("slug", flat=True))
    packs = source.game.pack_set.select_related("draft")
    packs = packs.filter(crew=source.crew_id) if source.crew_id else packs
    found = [(pack.name, len(slugs & set(pack.draft.picks))) for pack in packs.order_by("name")]
    return [(name, count) for name, count in found if count]


def suggested_name(address: str) -> str:
    """What a source that does not say its name may be called."""
    return (
        re.sub(r"[-_]+", " ", httpx.URL(address).path.rstrip("/").rsplit("/", 1)[-1]).strip().title()[:60] or "Source"
    )
