"""Forms with files are turned away before they are read, where whoever sends them may not, or they are too large.

A form is read whole, onto the disk, as soon as anything looks into it; so that is judged here, by a table of the doors
that take one. Every other door takes none. (Doors that take a bare body read it themselves, after the same checks.)
"""

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from django.http import HttpRequest, HttpResponse

from convoy_core.trust import bundle, signed
from convoy_core.words.errors import ConvoyError

from .api import refusal, refused
from .installations.joining import installation_for
from .packs.services import pack_for
from .people.models import SiteRules, User
from .people.rights import Action
from .people.services import crew_for
from .receiving import CHUNK, TooLarge
from .rollcall.listings import MAX_LISTING

AROUND = 64 * 1024
"""Bytes that a form has beside its file."""


@dataclass(frozen=True)
class Door:
    """`check` raises what the door itself would, for this person and the ids of its address."""

    path: re.Pattern[str]
    most: Callable[[], int]
    check: Callable[[User, UUID], Any]


def _upload() -> int:
    return SiteRules.now().upload_mb * CHUNK


_ID = r"([0-9a-f-]{36})"
DOORS = (
    Door(
        re.compile(rf"/api/crews/{_ID}/charter/file"),
        lambda: signed.LONGEST,
        lambda user, crew: crew_for(user, crew, Action.KEYS),
    ),
    Door(
        re.compile(rf"/api/packs/{_ID}/to-sign/file"),
        lambda: bundle.MOST_BYTES,
        lambda user, pack: pack_for(user, pack, Action.PUBLISH),
    ),
    Door(
        re.compile(rf"/api/packs/{_ID}/listing"),
        lambda: MAX_LISTING,
        lambda user, pack: pack_for(user, pack, Action.SEE),
    ),
    Door(re.compile(rf"/api/installations/{_ID}/brought"), _upload, installation_for),
    Door(re.compile(r"/api/games/tries/archive()"), _upload, lambda user, _: None),
)

UNREAD = re.compile(r"/news/stop/[^/]+")
"""Mail programs stop letters with such a form, and nobody signed in (RFC 8058). The door looks into none of it."""


class Uploads:
    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if request.content_type != "multipart/form-data" or request.method in ("GET", "HEAD"):
            return self._get_response(request)
        if UNREAD.fullmatch(request.path_info):
            return self._get_response(request)
        if not request.user.is_authenticated:
            return refusal(request, 401, code="refused", what="Sign in first.")
        for door in DOORS:
            if found := door.path.fullmatch(request.path_info):
                try:
                    self._judge(request, door, found[1])
                except ConvoyError as error:
                    return refused(request, error)
                return self._get_response(request)
        return refusal(request, 422, code="malformed", what="No form is read here.", fields={"body": "no JSON"})

    def _judge(self, request: HttpRequest, door: Door, told: str) -> None:
        door.check(request.user, UUID(told) if told else UUID(int=0))  # type: ignore[arg-type]
        most = door.most()
        length = str(request.META.get("CONTENT_LENGTH") or "")
        if not length.isdecimal() or int(length) > most + AROUND:
            raise TooLarge(f"The file is larger than {max(1, most // CHUNK)} MB.", now="Choose a smaller one.")
