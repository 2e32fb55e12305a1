"""Figures for Prometheus: requests as each process counts them, and how queue, sources and storage stand.

Requests are counted per machine, over all its processes (`PROMETHEUS_MULTIPROC_DIR`, which `./run serve` sets); what is
asked of the database is the same whichever machine is asked.
"""

import hmac
import os
import time
from collections.abc import Callable

from django.conf import settings
from django.http import HttpRequest, HttpResponse, HttpResponseNotFound
from django.http.response import HttpResponseBase
from prometheus_client import CONTENT_TYPE_LATEST, CollectorRegistry, Counter, Gauge, Histogram, generate_latest
from prometheus_client.multiprocess import MultiProcessCollector

from .standing import standing

REQUESTS = Counter("convoy_requests", "Requests by operation and status.", ["operation", "status"])
SECONDS = Histogram(
    "convoy_request_seconds",
    "Seconds until a request was answered.",
    ["operation"],
    buckets=(0.01, 0.03, 0.1, 0.3, 1, 3, 10),
)
OTHER = "page"
"""Everything that is no operation of the API: pages, files, sign-in."""


class Counted:
    """Counts every request by its operation, never by its path: that would be a series for each pack."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        began = time.perf_counter()
        response = self._get_response(request)
        match = request.resolver_match
        operation = (match.url_name if match and match.namespace == "api" else "") or OTHER
        REQUESTS.labels(operation, str(response.status_code)).inc()
        SECONDS.labels(operation).observe(time.perf_counter() - began)
        return response


def metrics(request: HttpRequest) -> HttpResponse:
    """`GET /metrics` for whoever shows the token (`Authorization: Bearer …`); nothing is there for anybody else."""
    given = request.headers.get("Authorization", "").removeprefix("Bearer ")
    if not settings.METRICS_TOKEN or not hmac.compare_digest(given.encode(), settings.METRICS_TOKEN.encode()):
        return HttpResponseNotFound()
    return HttpResponse(_requests() + _standing(), content_type=CONTENT_TYPE_LATEST)


def _requests() -> bytes:
    if "PROMETHEUS_MULTIPROC_DIR" not in os.environ:
        return generate_latest()
    registry = CollectorRegistry()
    MultiProcessCollector(registry)  # type: ignore[no-untyped-call]
    return generate_latest(registry)


def _standing() -> bytes:
    registry = CollectorRegistry()
    found = standing()

    def gauge(name: str, what: str, value: float) -> None:
        Gauge(f"convoy_{name}", what, registry=registry).set(value)

    for part in found.parts:
        gauge(f"{part.name}_ok", f"1 while {part.name} is as it should be.", float(part.ok))
    gauge("jobs_waiting", "Background jobs that wait.", found.jobs.waiting)
    gauge("jobs_doing", "Background jobs under way.", found.jobs.doing)
    gauge("jobs_failed", "Background jobs that failed and are still kept.", found.jobs.failed)
    gauge("jobs_oldest_seconds", "For how long the oldest job that could run has waited.", found.jobs.oldest)
    gauge("sources_in_trouble", "Sources whose last reading failed.", found.sources_in_trouble)
    gauge("sources", "Sources that are read.", found.sources)
    return generate_latest(registry)
