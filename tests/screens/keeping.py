"""A site as somebody keeps it: an empty one, on two machines behind a balancer, with files in an object store.

Machines here are folders and processes of their own, which share a database, a store and the site's key.
"""

from __future__ import annotations

import logging
import os
import socket
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import partial
from http.server import SimpleHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import boto3
from moto.server import ThreadedMotoServer

from house import serving
from house.places import VAR
from house.services import Services, free_port, python

BUCKET = "kept"


class Balancer:
    """Hands each connection to the next machine that answers; one that is gone is passed by."""

    def __init__(self, ports: list[int]) -> None:
        self.ports, self._turn = ports, 0
        self._door = socket.create_server(("127.0.0.1", 0))
        self.port: int = self._door.getsockname()[1]
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self) -> None:
        while True:
            try:
                line, _ = self._door.accept()
            except OSError:
                return
            threading.Thread(target=self._join, args=(line,), daemon=True).start()

    def _join(self, line: socket.socket) -> None:
        for _ in self.ports:
            self._turn += 1
            try:
                machine = socket.create_connection(("127.0.0.1", self.ports[self._turn % len(self.ports)]))
            except OSError:
                continue
            for one, other in ((line, machine), (machine, line)):
                threading.Thread(target=_pour, args=(one, other), daemon=True).start()
            return
        line.close()

    def close(self) -> None:
        self._door.close()


def _pour(one: socket.socket, other: socket.socket) -> None:
    try:
        while block := one.recv(65536):
            other.sendall(block)
    except OSError:
        pass
    for end in (one, other):
        try:
            end.shutdown(socket.SHUT_RDWR)
        except OSError:
            continue


@dataclass
class Kept:
    """`environments`: one for each site machine."""

    address: str
    letters: str
    settings: Path
    services: Services
    environments: list[dict[str, str]] = field(default_factory=list)

    def stop_machine(self, number: int) -> None:
        """As a machine that fails: all of it at once."""
        for name in (f"site-{number}-front", f"site-{number}"):
            self.services.stop(name)


@contextmanager
def object_store() -> Iterator[str]:
    """An S3-compatible store with an empty bucket; gives its address."""
    server = ThreadedMotoServer(ip_address="127.0.0.1", port=free_port(8510), verbose=False)
    logging.getLogger("werkzeug").setLevel(logging.ERROR)
    server.start()
    host, port = server.get_host_and_port()
    address = f"http://{host}:{port}"
    client = boto3.client(
        "s3", endpoint_url=address, aws_access_key_id="key", aws_secret_access_key="secret", region_name="us-east-1"
    )
    client.create_bucket(Bucket=BUCKET)
    try:
        yield address
    finally:
        server.stop()


@contextmanager
def handed_out(folder: Path) -> Iterator[str]:
    """A folder on a plain web server, as any would do it."""

    class Quiet(SimpleHTTPRequestHandler):
        def log_message(self, *_: object) -> None: ...

    folder.mkdir(parents=True, exist_ok=True)
    server = ThreadingHTTPServer(("127.0.0.1", 0), partial(Quiet, directory=str(folder)))
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        yield f"http://127.0.0.1:{server.server_port}"
    finally:
        server.shutdown()


@contextmanager
def kept_site(place: Path, postgres: str, store: str, balancer: Balancer) -> Iterator[Kept]:
    """Two site machines and two workers of one site, as `./run serve` starts them."""
    address = f"http://127.0.0.1:{balancer.port}"
    post, letters = free_port(8520), free_port(8540)
    settings = place / "serve.env"
    lines = {
        "CONVOY_SECRET": "a long random text, the same on all machines of the site",
        "CONVOY_ADDRESS": address,
        "CONVOY_DATA": str(place / "machine-1"),
        "CONVOY_SIGNING_KEY": str(place / "machine-1" / "signing.key"),
        "CONVOY_POSTGRES": postgres,
        "CONVOY_PRIVATE_SOURCES": "127.0.0.1/32",
        "CONVOY_MAIL": f"smtp://127.0.0.1:{post}",
        "CONVOY_SITE_PROCESSES": "1",
    }
    if store:
        lines["CONVOY_FILES"] = f"s3://key:secret@{BUCKET}/site?endpoint={store}&region=us-east-1"
    place.mkdir(parents=True, exist_ok=True)
    settings.write_text("".join(f"{name}={value}\n" for name, value in lines.items()))
    with Services(VAR / "logs-kept") as services:
        environment = serving.read_settings([str(settings)])
        serving.database(services, environment)
        command = python("-m", "convoy_standins.post", str(place / "letters"), str(post), str(letters))
        services.start("post", command, dict(os.environ))
        serving.bring_up_to_date(environment)
        kept = Kept(address, f"http://127.0.0.1:{letters}", settings, services)
        for number, port in enumerate(balancer.ports, 1):
            data = place / f"machine-{number}"
            data.mkdir(exist_ok=True)
            one = {**environment, "CONVOY_DATA": str(data), "CONVOY_BIND": f"127.0.0.1:{port}"}
            serving.start_site(services, one, f"site-{number}")
            services.start(f"worker-{number}", python("manage.py", "procrastinate", "worker", "--concurrency=2"), one)
            kept.environments.append(one)
        services.wait_for_address("post", f"{kept.letters}/health")
        yield kept
