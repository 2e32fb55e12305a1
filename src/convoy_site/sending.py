"""Sends kept files, whole or from a byte on, so that a fetch that broke off can be taken up again."""

import re
from collections.abc import Iterator
from typing import BinaryIO

from django.core.files.base import File
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase

CHUNK = 256 * 1024
_FROM = re.compile(r"bytes=(\d{1,15})-")


def send_file(request: HttpRequest, file: "BinaryIO | File[bytes]", size: int, etag: str) -> HttpResponseBase:
    """`file` is closed when it has been sent. Understands `Range: bytes=N-`; other ranges get the whole."""
    asked = _FROM.fullmatch(request.headers.get("Range", ""))
    start = int(asked[1]) if asked else 0
    if start >= size and start:
        file.close()
        return HttpResponse(status=416, headers={"Content-Range": f"bytes */{size}"})
    file.seek(start)
    reply = StreamingHttpResponse(_blocks(file), status=206 if asked else 200, content_type="application/octet-stream")
    reply["Content-Length"] = str(size - start)
    reply["ETag"], reply["Accept-Ranges"] = f'"{etag}"', "bytes"
    reply["Cache-Control"] = "private, immutable, max-age=31536000"
    if asked:
        reply["Content-Range"] = f"bytes {start}-{size - 1}/{size}"
    return reply


def _blocks(file: "BinaryIO | File[bytes]") -> Iterator[bytes]:
    with file:
        while block := file.read(CHUNK):
            yield block
