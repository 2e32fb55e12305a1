"""Pages for people without an account, made on the site: they need no script, and nothing from elsewhere."""

import hashlib
import io
from collections.abc import Callable
from functools import wraps
from itertools import pairwise

import segno
from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_safe

from convoy_core.handing_out.announcement import changes_in_words, row_in_words
from convoy_core.lock.change_log import What
from convoy_core.machine.memory import gigabytes, in_words
from convoy_core.words.errors import ConvoyError
from convoy_core.words.wording import counted

from ..catalogue import pictures
from ..packs.emblems import EMBLEM_PATHS
from ..releases.as_files.packing import release_alone
from ..releases.models import Release
from . import services
from .drawing import draw
from .models import PublicPage
from .services import Shown

View = Callable[..., HttpResponse]


def for_anybody(view: View) -> View:
    """What is not there, or not open, is the same to a stranger. None of it is for search engines: a page is found by
    whoever was told of it.
    """

    @require_safe
    @wraps(view)
    def asked(request: HttpRequest, address: str, **given: str) -> HttpResponse:
        try:
            answer = view(request, services.open_page(address), **given)
        except ConvoyError:
            answer = render(request, "public_nothing.html", status=404)
        answer["X-Robots-Tag"] = "noindex"
        return answer

    return asked


@for_anybody
def page(request: HttpRequest, found: PublicPage) -> HttpResponse:
    told = services.shown(found)
    needed = told.recipe.needed if told.recipe else None
    demands = [
        f"{gigabytes(needed.minimum)} of memory, better {gigabytes(needed.recommended)}"
        if needed and needed.minimum
        else "",
        f"{in_words(needed.disk)} of disk" if needed and needed.disk else "",
        f"runtime {needed.runtime}" if needed and needed.runtime else "",
        f"{in_words(told.download)} to fetch" if told.download else "",
    ]
    logs = [(one, _log(one, older)) for one, older in pairwise([*told.releases, None]) if one]
    return render(
        request,
        "public_pack.html",
        {
            "told": told,
            "pack": found.pack,
            "address": services.address_of(found),
            "emblem": EMBLEM_PATHS.get(found.pack.emblem, ""),
            "words": _paragraphs(found.words or found.pack.notes),
            "demands": [one for one in demands if one],
            "logs": logs,
            "join": services.joining_address(told.code.replace("-", "")) if told.code else "",
            "sign_up": settings.ADDRESS,
            "about": _about(told),
        },
    )


def _about(told: Shown) -> str:
    base = told.release.base_text if told.release else "no release yet"
    mods = counted(told.release.builds, "mod") if told.release else ""
    words = " ".join((told.page.words or told.page.pack.notes).split())[:160]
    return ". ".join(filter(None, (words.rstrip("."), ", ".join(filter(None, (base, mods)))))) + "."


def _paragraphs(text: str) -> list[str]:
    return [one.strip() for one in text.replace("\r", "").split("\n\n") if one.strip()]


def _log(release: Release, older: Release | None) -> list[str]:
    """What it changed in sentences; of the first one only how much there was."""
    if older is None:
        return [f"The first of those that are open: {counted(release.builds, 'mod')}."]
    return [f"{one}." for one in changes_in_words(release.changes)]


@for_anybody
def changes(request: HttpRequest, found: PublicPage) -> HttpResponse:
    """`?since=1.0.0&until=1.2.0`: an address that one may pass on."""
    since, until = (request.GET.get(name, "")[:40] for name in ("since", "until"))
    log = services.changes_for_all(found, since, until)
    rows = [
        (row_in_words(row), log.logs.get(row["mod"], []) if row["what"] in (What.UPDATED, What.TAKEN_BACK) else [])
        for row in log.rows
    ]
    told = {"pack": found.pack, "since": since, "log": log, "rows": rows, "address": f"/p/{found.address}"}
    return render(request, "public_changes.html", told)


@for_anybody
def as_file(request: HttpRequest, found: PublicPage) -> HttpResponse:
    """The release that is open to everybody, signed, without any build: whoever follows the pack looks here."""
    told = services.shown(found)
    if told.release is None:
        return HttpResponse(status=404)
    mark = f'"{told.release.sha256}"'
    if request.headers.get("If-None-Match") == mark:
        answer = HttpResponse(status=304)
    else:
        answer = HttpResponse(release_alone(found.pack, told.release), content_type="application/zip")
        answer["Content-Disposition"] = f'attachment; filename="{found.address}.zip"'
    answer["ETag"], answer["Cache-Control"] = mark, "public, max-age=300"
    return answer


@for_anybody
def picture(request: HttpRequest, found: PublicPage) -> HttpResponse:
    """Drawn from what the page says: another page is another picture."""
    told = services.shown(found)
    stops = [one.number for one in reversed(told.releases)]
    base = told.release.base_text if told.release else "no release yet"
    mods = counted(told.release.builds, "mod") if told.release else "still being put together"
    given = (found.pack.name, found.pack.emblem, found.pack.crew.name, base, mods, stops)
    mark = f'"{hashlib.sha256(repr(given).encode()).hexdigest()[:32]}"'
    if request.headers.get("If-None-Match") == mark:
        answer = HttpResponse(status=304)
    else:
        answer = HttpResponse(draw(*given), content_type="image/png")
    answer["ETag"], answer["Cache-Control"] = mark, "public, max-age=3600"
    return answer


@for_anybody
def mod_picture(request: HttpRequest, found: PublicPage, slug: str) -> HttpResponse:
    drawn = pictures.picture(services.picture_of(found, slug), 0)
    return HttpResponse(drawn, content_type="image/webp", headers={"Cache-Control": "public, max-age=3600"})


@for_anybody
def code_picture(request: HttpRequest, found: PublicPage) -> HttpResponse:
    code = services.shown(found).code
    if not code:
        return HttpResponse(status=404)
    return HttpResponse(qr_svg(services.joining_address(code.replace("-", ""))), content_type="image/svg+xml")


def qr_svg(address: str) -> bytes:
    """An address as a QR code (ISO/IEC 18004) with a quarter of it to spare: it is printed small, and crumpled."""
    out = io.BytesIO()
    segno.make(address, error="q", micro=False).save(
        out, kind="svg", scale=4, border=4, dark="#15222C", light="#FFFFFF"
    )
    return out.getvalue()
