"""The one place through which every request's text comes: what no database keeps and no program prints is refused here,
in words, before any door sees it. Answers of private doors are marked as nobody's to keep.

Refused: null characters and half characters in addresses, names and JSON; JSON that is none, nests deeper than anything
here does, or names numbers that are none or that no column holds; bodies that are larger than any door's, by what the
request says of itself, before they are read.
"""

from collections.abc import Callable, Iterable, Iterator
from typing import Any

import orjson
from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja.errors import HttpError
from ninja.parser import Parser

DEPTH = 32
"""How deep JSON may nest: a tweak of a list within a table, within an edit, within a request, is six."""

LARGEST = 2**63 - 1
"""The largest whole number that a column holds."""

DOORS = ("/api/", "/_allauth/")
JSON_TYPES = ("application/json", "")
"""What a body of JSON may be called. Curl and old scripts call it nothing."""


class Unclean(ValueError):
    """Text or numbers that go no further. The message says which, as a phrase; `field`: where, as far as that is
    told.
    """

    field = "body"


class Clean:
    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        is_door = request.path_info.startswith(DOORS)
        try:
            clean_text(request.path_info)
            checked(dict(request.GET.lists()))
            if is_door:
                self._read(request)
        except Unclean as error:
            return _refused("malformed", "The request cannot be read.", {error.field: f"holds {error}"})
        except _TooLarge:
            return _refused("too-large", "The request is too large.", {"body": "at most 4 MB"})
        response = self._get_response(request)
        if is_door and not response.has_header("Cache-Control"):
            # What one person is told is nobody else's, and no proxy's or browser's to keep.
            response["Cache-Control"] = "no-store"
        return response

    def _read(self, request: HttpRequest) -> None:
        """Parses a body of JSON once, for the doors and for allauth's own."""
        # allauth reads JSON whatever it is called.
        is_json = request.content_type == "application/json" or request.path_info.startswith("/_allauth/")
        if request.method in ("GET", "HEAD", "OPTIONS") or not is_json:
            return
        length = request.META.get("CONTENT_LENGTH") or "0"
        if length.isdigit() and int(length) > settings.DATA_UPLOAD_MAX_MEMORY_SIZE:
            raise _TooLarge
        if request.body:
            request.parsed = parsed(request.body)  # type: ignore[attr-defined]


class _TooLarge(Exception):
    pass


class CleanParser(Parser):
    """What ninja's doors take their bodies, queries and forms from."""

    def parse_body(self, request: HttpRequest) -> Any:
        if hasattr(request, "parsed"):
            return request.parsed
        if request.content_type not in JSON_TYPES:
            raise HttpError(415, "This door takes JSON.")
        try:
            return parsed(request.body)
        except Unclean as error:
            raise HttpError(400, str(error)) from error

    def parse_querydict(self, data: Any, list_fields: list[str], request: HttpRequest) -> dict[str, Any]:
        found: dict[str, Any] = super().parse_querydict(data, list_fields, request)
        try:
            checked(found)
        except Unclean as error:
            raise HttpError(400, str(error)) from error
        return found


def parsed(body: bytes) -> Any:
    """JSON, clean. Raises Unclean."""
    try:
        found = orjson.loads(body)
    except orjson.JSONDecodeError as error:
        raise Unclean("what is no JSON") from error
    # Half characters are refused by the parser, nulls only where they stand plainly.
    return checked(found, with_texts=b"\\u0000" in body)


def checked(data: Any, with_texts: bool = True) -> Any:
    """The data itself. Raises Unclean for what nests too deep, numbers that no column holds, and unclean text."""
    try:
        return _checked(data, with_texts)
    except Unclean as error:
        error.field = next(_fields(data, str(error), ""), "body")
        raise


def _checked(data: Any, with_texts: bool) -> Any:
    level, depth = [data], 0
    while level:
        depth += 1
        if depth > DEPTH:
            raise Unclean("what nests too deep")
        below: list[Any] = []
        for one in level:
            kind = type(one)
            if kind is dict:
                below += one.values()
                if with_texts:
                    below += one
            elif kind is list:
                below += one
            elif kind is str:
                if with_texts:
                    clean_text(one)
            elif (kind is int or kind is float) and not -LARGEST - 1 <= one <= LARGEST:
                raise Unclean("a number that nothing here counts up to")
        level = below
    return data


def _fields(data: Any, what: str, field: str, depth: int = 0) -> Iterator[str]:
    """Where that is what is unclean: slow, and asked only once something is."""
    inner: Iterable[tuple[Any, Any]] = ()
    if depth < DEPTH and isinstance(data, dict):
        inner = data.items()
    elif depth < DEPTH and isinstance(data, list):
        inner = enumerate(data)
    else:
        try:
            _checked(data, with_texts=True)
        except Unclean as error:
            if str(error) == what and field:
                yield field
    for name, value in inner:
        below = field if isinstance(data, list) and depth == 1 else f"{field}.{name}".strip(".")
        yield from _fields(value, what, below, depth + 1)


def clean_text(text: str) -> str:
    """The text itself. Raises Unclean for what no database keeps."""
    if "\0" in text:
        raise Unclean("a null character")
    try:
        text.encode()
    except UnicodeEncodeError as error:
        raise Unclean("half a character") from error
    return text


def _refused(code: str, what: str, fields: dict[str, str]) -> HttpResponse:
    told = {"code": code, "what": what, "why": "", "now": "", "fields": fields, "data": {}}
    return JsonResponse(told, status=422)
