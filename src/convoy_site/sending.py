"""Sends kept files, whole or from a byte on, so that a fetch that broke off can be taken up again."""

import re

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect, StreamingHttpResponse
from django.http.response import HttpResponseBase

from . import kept_files

_FROM = re.compile(r"bytes=(\d{1,15})-")


def send_file(request: HttpRequest, place: str, size: int, etag: str) -> HttpResponseBase:
    """Understands `Range: bytes=N-`; other ranges get the whole. Raises StorageAway."""
    asked = _FROM.fullmatch(request.headers.get("Range", ""))
    start = int(asked[1]) if asked else 0
    if start >= size and start:
        return HttpResponse(status=416, headers={"Content-Range": f"bytes */{size}"})
    if address := kept_files.signed_address(place):
        # It runs out: nobody is to keep it.
        return HttpResponseRedirect(address, headers={"Cache-Control": "no-store"})
    reply = StreamingHttpResponse(
        kept_files.blocks(place, start), status=206 if asked else 200, content_type="application/octet-stream"
    )
    reply["Content-Length"] = str(size - start)
    reply["ETag"], reply["Accept-Ranges"] = f'"{etag}"', "bytes"
    reply["Cache-Control"] = "private, immutable, max-age=31536000"
    if asked:
        reply["Content-Range"] = f"bytes {start}-{size - 1}/{size}"
    return reply
