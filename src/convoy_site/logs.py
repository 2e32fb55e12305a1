"""Logs as lines of JSON, one for each entry, with the request that it belongs to."""

import json
import logging
import time
import uuid
from collections.abc import Callable
from contextvars import ContextVar

from django.http import HttpRequest
from django.http.response import HttpResponseBase

_request: ContextVar[str] = ContextVar("request", default="")
log = logging.getLogger("convoy_site.requests")

SLOW_SECONDS = 2.0
"""A request that takes longer is told of, also where it went well."""


class Lines(logging.Formatter):
    def format(self, record: logging.LogRecord) -> str:
        told = {
            "at": time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime(record.created)),
            "level": record.levelname.lower(),
            "from": record.name,
            "says": record.getMessage(),
            **({"request": _request.get()} if _request.get() else {}),
            **getattr(record, "fields", {}),
        }
        if record.exc_info:
            told["trace"] = self.formatException(record.exc_info)
        return json.dumps(told, ensure_ascii=False, default=str)


class RequestNamed:
    """Gives each request a short name that its log entries carry, and its answer too (`Convoy-Request`)."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        name = uuid.uuid4().hex[:12]
        token, began = _request.set(name), time.monotonic()
        try:
            response = self._get_response(request)
            response["Convoy-Request"] = name
            seconds = time.monotonic() - began
            if response.status_code >= 500 or seconds > SLOW_SECONDS:
                fields = {"path": request.path, "status": response.status_code, "seconds": round(seconds, 3)}
                log.warning("%s %s", request.method, request.path, extra={"fields": fields})
            return response
        finally:
            _request.reset(token)
