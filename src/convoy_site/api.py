"""The API as a whole: its parts, and how errors are told."""

import logging
from typing import Any

import orjson
from django.core.exceptions import RequestDataTooBig
from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse
from ninja import NinjaAPI, Status
from ninja.errors import HttpError, ValidationError
from ninja.renderers import BaseRenderer
from ninja.security import django_auth

from convoy_core.words.errors import ConvoyError

from .catalogue.api.games import router as games
from .catalogue.api.sources import router as sources
from .clean import CleanParser
from .installations.api.agent import router as agent
from .installations.api.member import router as installations
from .keeping.api.account import router as account
from .keeping.api.keeper import router as keeper
from .keeping.shapes import HealthOut, PartOut
from .keeping.standing import standing
from .notices.api import router as news
from .packs.api.adding import router as ways_in
from .packs.api.all_settings import router as settings_place
from .packs.api.beginning import router as beginnings
from .packs.api.checking import router as checks
from .packs.api.collections import router as collections
from .packs.api.draft_pages import router as draft_pages
from .packs.api.mods import router as mods
from .packs.api.packs import router as packs
from .packs.api.planning import router as ahead
from .packs.api.reviewing import router as reviewing
from .people.api import router as people
from .public.api import router as public
from .releases.api.files import router as files_of_packs
from .releases.api.leads import router as leads
from .releases.api.releases import router as releases
from .rollcall.api.crew import router as crew
from .rollcall.api.playthroughs import router as played
from .shapes import Refusal
from .trials.api import router as trials
from .trials.bench_api import router as benches
from .trials.helping.api import router as helping
from .web import server_error
from .wrong_fields import in_words

log = logging.getLogger(__name__)

STATUS = {
    "not-found": 404,
    "forbidden": 403,
    "own-word": 403,
    "too-few": 409,
    "sealed": 403,
    "no-such-code": 404,
    "no-such-invitation": 404,
    "code-withdrawn": 410,
    "code-used-up": 410,
    "stale": 409,
    "changed-since": 409,
    "name-taken": 409,
    "number-taken": 409,
    "already": 409,
    "working": 409,
    "too-many-beside": 409,
    "still-reading": 409,
    "no-such-content": 404,
    "no-such-text": 404,
    "not-watching": 409,
    "blocked": 409,
    "in-use": 409,
    "profile-changed": 409,
    "still-needed": 409,
    "retired": 409,
    "cannot-move": 409,
    "too-many": 429,
    "storage-away": 503,
    "no-bench": 409,
    "bench-full": 429,
    "cannot-try": 409,
    "draft-changed": 409,
    "call-closed": 409,
    "too-many-calls": 429,
    "already-taken": 409,
    "no-folder": 409,
    "too-many-benches": 409,
}
"""HTTP status by error code; every other refusal of the rules is 422: the request was read and cannot be done."""


class ORJSONRenderer(BaseRenderer):
    media_type = "application/json"

    def render(self, request: HttpRequest, data: Any, *, response_status: int) -> bytes:
        return orjson.dumps(data, default=_plain_value, option=orjson.OPT_NON_STR_KEYS)


def _plain_value(value: Any) -> Any:
    """What is neither plain data nor a date or id: shapes, and enums' kin."""
    return value.model_dump(mode="json") if hasattr(value, "model_dump") else str(value)


class ConvoyAPI(NinjaAPI):
    """Says in the API's description that every call may be refused, and how a refusal looks."""

    def get_openapi_schema(self, **given: Any) -> Any:
        described = super().get_openapi_schema(**given)
        described["components"]["schemas"]["Refusal"] = Refusal.model_json_schema()
        refused = {
            "description": "Refused: what, why, and what now.",
            "content": {"application/json": {"schema": {"$ref": "#/components/schemas/Refusal"}}},
        }
        for path in described["paths"].values():
            for operation in path.values():
                told = {str(status): answer for status, answer in operation["responses"].items()}
                operation["responses"] = {**told, "4XX": refused}
        return described


api = ConvoyAPI(
    title="True Convoy", version="1", auth=django_auth, docs_url=None, urls_namespace="api", parser=CleanParser(),
    renderer=ORJSONRenderer(),
)  # fmt: skip


def refusal(request: HttpRequest, status: int, **parts: Any) -> HttpResponse:
    return api.create_response(request, Refusal(**parts).model_dump(), status=status)


@api.exception_handler(ConvoyError)
def refused(request: HttpRequest, error: ConvoyError) -> HttpResponse:
    status = STATUS.get(error.code, 422)
    return refusal(
        request, status, code=error.code, what=error.what, why=error.why, now=error.now, data=_plain(error.data)
    )


@api.exception_handler(ValidationError)
def _malformed(request: HttpRequest, error: ValidationError) -> HttpResponse:
    fields = {".".join(str(part) for part in one["loc"][1:]) or "body": in_words(one) for one in error.errors}
    fields = {name.removeprefix("body.").removeprefix("data."): message for name, message in fields.items()}
    return refusal(request, 422, code="malformed", what="The request cannot be read.", fields=fields)


@api.exception_handler(HttpError)
def _http(request: HttpRequest, error: HttpError) -> HttpResponse:
    if error.status_code in (400, 415):  # A body that is no JSON: as malformed as one with wrong fields.
        told = {"body": str(error)}
        return refusal(request, 422, code="malformed", what="The request cannot be read.", fields=told)
    return refusal(request, error.status_code, code="refused", what=str(error))


@api.exception_handler(OperationalError)
@api.exception_handler(InterfaceError)
def _database_away(request: HttpRequest, error: Exception) -> HttpResponse:
    log.warning("the database does not answer: %s", error)
    return server_error(request)


@api.exception_handler(RequestDataTooBig)
def _too_big(request: HttpRequest, error: RequestDataTooBig) -> HttpResponse:
    return refusal(request, 422, code="too-large", what="The request is too large.", fields={"body": "at most 4 MB"})


def _plain(data: dict[str, Any]) -> dict[str, Any]:
    return {
        key: value if isinstance(value, str | int | list | dict | bool) else str(value) for key, value in data.items()
    }


@api.get("/health", auth=None, response={200: HealthOut, 503: HealthOut})
def health(request: HttpRequest) -> Status[HealthOut]:
    """How database, queue, storage and sources stand, each by itself."""
    found = standing()
    parts = [PartOut(name=one.name, ok=one.ok, told=one.told) for one in found.parts]
    return Status(200 if found.serves else 503, HealthOut(done=found.serves, parts=parts))


for router in (
    people,
    games,
    sources,
    mods,
    packs,
    draft_pages,
    collections,
    ahead,
    checks,
    reviewing,
    settings_place,
    ways_in,
    beginnings,
    releases,
    leads,
    files_of_packs,
    installations,
    trials,
    helping,
    benches,
    crew,
    played,
    agent,
    news,
    public,
    account,
    keeper,
):
    api.add_router("", router)
