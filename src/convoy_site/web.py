"""Serves the built front end, with the headers that keep foreign script out of it."""

import sys
from collections.abc import Callable

from django.conf import settings
from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.csrf import ensure_csrf_cookie

# The theme writes its styles into the page, so inline styles are allowed; script is not.
POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self'; "
    "connect-src 'self'; object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'"
)


class ContentPolicy:
    """Says on every page where content may come from."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self._get_response(request)
        response["Content-Security-Policy"] = POLICY
        return response


def server_error(request: HttpRequest) -> HttpResponse:
    """What was not foreseen. A database that is away is said to be, as it comes back by itself."""
    away = isinstance(sys.exc_info()[1], (OperationalError, InterfaceError))
    what = "The site's database does not answer just now." if away else "Something went wrong on the site."
    now = "Try again in a moment." if away else "Nothing was half done. Tell the site's keeper if it stays so."
    status = 503 if away else 500
    if not request.path_info.startswith(("/api/", "/_allauth/")):
        return HttpResponse(f"{what} {now}", status=status, content_type="text/plain")
    told = {"code": "database-away" if away else "server-error", "what": what, "why": "", "now": now}
    return JsonResponse({**told, "fields": {}, "data": {}}, status=status)


@ensure_csrf_cookie
def page(request: HttpRequest) -> HttpResponse:
    """The one page of the front end, for every address that is none of the API's."""
    index = settings.WEB_DIST / "index.html"
    if not index.exists():
        return HttpResponse("The front end is not built. Run: ./run demo", status=503, content_type="text/plain")
    return HttpResponse(index.read_bytes(), headers={"Cache-Control": "no-cache"})
