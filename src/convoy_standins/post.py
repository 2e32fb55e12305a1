"""A stand-in for a mail server, and for a service that packs call: takes whatever is sent, delivers it to nobody, and
shows it on a page. `/called/broken` takes nothing, as services do at times.

`python -m convoy_standins.post FOLDER SMTP_PORT PAGE_PORT`
"""

import html
import sys
from email import message_from_bytes
from email.message import EmailMessage
from email.policy import default
from pathlib import Path

import uvicorn
from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, Envelope, Session
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse, PlainTextResponse, Response
from starlette.routing import Route

SHOWN = 100
MOST_CALL = 2**20


class Letterbox:
    """Keeps each letter as a file, in the order in which they come."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)

    async def handle_DATA(self, server: SMTP, session: Session, envelope: Envelope) -> str:
        number = len(list(self.folder.glob("*.eml"))) + 1
        (self.folder / f"{number:06}.eml").write_bytes(bytes(envelope.content or b""))
        return "250 taken"

    def letters(self) -> list[dict[str, str]]:
        """The newest first."""
        files = sorted(self.folder.glob("*.eml"), reverse=True)[:SHOWN]
        return [_told(file) for file in files]


def _told(file: Path) -> dict[str, str]:
    message = message_from_bytes(file.read_bytes(), policy=default)
    assert isinstance(message, EmailMessage)
    body = message.get_body(("plain",))
    return {
        "number": file.stem,
        "to": str(message["To"]),
        "subject": str(message["Subject"]),
        "at": str(message["Date"]),
        "text": body.get_content() if body else "",
    }


def app(box: Letterbox) -> Starlette:
    calls: list[str] = []

    async def page(request: Request) -> Response:
        rows = "".join(
            f"<article><h2>{html.escape(one['subject'])}</h2>"
            f"<p>to {html.escape(one['to'])}, {html.escape(one['at'])}</p>"
            f"<pre>{html.escape(one['text'])}</pre></article>"
            for one in box.letters()
        )
        head = "<!doctype html><html lang=en><meta charset=utf-8><title>Letters of the demo</title>"
        style = (
            "<style>body{font:16px/1.5 sans-serif;max-width:48rem;margin:2rem auto}pre{white-space:pre-wrap}</style>"
        )
        told = "".join(f"<article><pre>{html.escape(one)}</pre></article>" for one in calls)
        return HTMLResponse(
            f"{head}{style}<h1>What the demo mailed</h1>{rows or '<p>Nothing yet.</p>'}"
            f"<h1>What the demo was called with</h1>{told or '<p>Nothing yet.</p>'}"
        )

    async def called(request: Request) -> Response:
        if request.path_params["name"] == "broken":
            return PlainTextResponse("Out of order.", status_code=503)
        body = bytearray()
        async for block in request.stream():
            body += block
            if len(body) > MOST_CALL:
                return PlainTextResponse("Too long.", status_code=413)
        calls.insert(0, body.decode(errors="replace"))
        del calls[SHOWN:]
        return PlainTextResponse("taken")

    async def letters(request: Request) -> Response:
        return JSONResponse(box.letters())

    async def health(request: Request) -> Response:
        return PlainTextResponse("ok")

    routes = [Route("/", page), Route("/letters.json", letters), Route("/health", health)]
    return Starlette(routes=[*routes, Route("/called/{name}", called, methods=["POST"])])


def main() -> None:
    folder, smtp, page = Path(sys.argv[1]), int(sys.argv[2]), int(sys.argv[3])
    box = Letterbox(folder)
    controller = Controller(box, hostname="127.0.0.1", port=smtp)
    controller.start()
    try:
        uvicorn.run(app(box), host="127.0.0.1", port=page, log_level="warning")
    finally:
        controller.stop()


if __name__ == "__main__":
    main()
