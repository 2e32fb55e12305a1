"""The API as a whole: malformed requests, the client that is made from it, accounts, and the page around it."""

import importlib
import json
import pkgutil
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
import schemathesis
from django.core.management import call_command
from django.core.signals import request_finished, request_started
from django.db import close_old_connections
from django.test import Client
from hypothesis import HealthCheck, settings

import convoy_agent
import convoy_core
import convoy_io
from convoy_core.words.errors import ConvoyError
from convoy_site.api import STATUS, api
from convoy_site.wsgi import application

from .conftest import PASSWORD, World

WEB = Path(__file__).resolve().parents[2] / "web"

MALFORMED = [
    ("POST", "/api/packs", b"{no json", "body"),
    ("POST", "/api/packs", {}, "name"),
    ("POST", "/api/packs", {"name": "x" * 61}, "name"),
    ("POST", "/api/packs", {"name": "a\u0000b"}, "name"),
    ("POST", "/api/packs", {"emblem": "dragon"}, "emblem"),
    ("POST", "/api/packs", {"crew": "not an id"}, "crew"),
    ("POST", "/api/crews", {"name": "   "}, "name"),
    ("POST", "/api/packs/{pack}/draft/edits", {"revision": -1, "edits": []}, "revision"),
    ("POST", "/api/packs/{pack}/draft/edits", {"revision": 1, "edits": []}, "edits"),
    ("POST", "/api/packs/{pack}/draft/edits", {"revision": 1, "edits": [{"do": "explode"}]}, "edits"),
    ("POST", "/api/packs/{pack}/draft/edits", {"revision": 1, "edits": [{"do": "add"}]}, "edits.0.add.mod"),
    ("POST", "/api/packs/{pack}/codes", {"uses": 0}, "uses"),
    ("POST", "/api/packs/{pack}/codes", {"uses": 10**9}, "uses"),
    ("POST", "/api/installations", {"code": "x", "name": "y", "side": "both"}, "side"),
    ("GET", "/api/packs/nothing/draft", None, "pack_id"),
    ("GET", "/api/packs/{pack}/catalogue?page=first", None, "page"),
    ("GET", "/api/find?text=%00", None, "text"),
]


@pytest.mark.parametrize(("method", "path", "body", "field"), MALFORMED)
def test_a_malformed_request_names_its_field(world: World, method: str, path: str, body: Any, field: str) -> None:
    status, told = world.as_("owner").send(method, path.replace("{pack}", str(world.pack.id)), body)
    assert status == 422, told
    assert any(name.startswith(field) for name in told["fields"]), told


def test_an_oversized_request_is_refused_unread(world: World) -> None:
    status, told = world.as_("owner").post("/api/crews", {"name": "x" * 5_000_000})
    assert (status, told["fields"]) == (422, {"body": "at most 4 MB"})


def test_markup_is_kept_as_text(world: World) -> None:
    name = "<img src=x onerror=alert(1)> & “Süßwasser” 静かな水"
    assert world.as_("owner").send("PATCH", world.at, {"name": name})[0] == 200
    assert world.as_("owner").get(world.at)[1]["name"] == name


def test_the_webs_client_is_made_from_this_api(capsys: pytest.CaptureFixture) -> None:
    """Fails when the API changed and `./run client` was not run."""
    call_command("describe_api")
    assert json.loads(capsys.readouterr().out) == json.loads((WEB / "src/api/openapi.json").read_text())
    schema = (WEB / "src/api/schema.d.ts").read_text()
    described = api.get_openapi_schema()
    assert [path for path in described["paths"] if f'"{path}"' not in schema] == []
    assert [name for name in described["components"]["schemas"] if f" {name}: " not in schema] == []


def test_no_migration_is_missing(db: None) -> None:
    call_command("makemigrations", check=True, dry_run=True, verbosity=0)


schema = schemathesis.openapi.from_wsgi("/api/openapi.json", application)
AS_DESCRIBED = schemathesis.checks.CHECKS.get_by_names(["not_a_server_error", "response_schema_conformance"])
SAFE = schema.include(method="GET").exclude(path_regex="/agent/")


@pytest.fixture
def one_connection() -> Iterator[None]:
    """Requests through WSGI close old connections; here they must share the test's, whose data they are to see."""
    for signal in (request_started, request_finished):
        signal.disconnect(close_old_connections)
    yield
    for signal in (request_started, request_finished):
        signal.connect(close_old_connections)


@pytest.mark.django_db
@SAFE.parametrize()
@settings(max_examples=12, suppress_health_check=list(HealthCheck))
def test_whatever_is_asked_the_answer_is_as_described(case: Any, world: World, one_connection: None) -> None:
    """Made-up requests to every reading door: never a server error, always the described shape."""
    session = world.as_("owner").client.cookies["sessionid"].value
    case.call_and_validate(cookies={"sessionid": session}, checks=AS_DESCRIBED)


ACCOUNTS = "/_allauth/browser/v1"


def test_sign_up_sign_in_sign_out(db: None) -> None:
    client = Client(enforce_csrf_checks=True)
    client.get("/api/me")

    def post(path: str, body: dict[str, str], method: str = "POST") -> int:
        headers = {"X-CSRFToken": client.cookies["csrftoken"].value}
        return client.generic(
            method, ACCOUNTS + path, json.dumps(body), "application/json", headers=headers
        ).status_code

    new = {"username": "newcomer", "password": PASSWORD}
    assert client.post(ACCOUNTS + "/auth/login", new, "application/json").status_code == 403
    assert post("/auth/signup", {**new, "password": "password"}) == 400
    assert post("/auth/signup", new) == 200
    assert client.get("/api/me").json()["username"] == "newcomer"
    assert post("/auth/session", {}, "DELETE") == 401
    assert client.get("/api/me").json()["username"] == ""
    assert post("/auth/login", {**new, "password": "not this one"}) == 400
    assert post("/auth/login", new) == 200


def test_demo_accounts_are_listed_in_demo_mode_only(db: None, settings: Any) -> None:
    assert Client().get("/api/me").json()["demo_accounts"] == []
    settings.DEMO = True
    assert next(one["username"] for one in Client().get("/api/me").json()["demo_accounts"]) == "maren"


def test_every_address_of_a_screen_gives_the_page_with_its_policy(db: None) -> None:
    reply = Client().get("/packs/any/assemble")
    assert reply.status_code == 200 and b'<div id="root">' in reply.content
    assert (
        "script-src" not in reply["Content-Security-Policy"]
        and "default-src 'self'" in reply["Content-Security-Policy"]
    )
    assert reply["X-Frame-Options"] == "DENY"
    assert Client().get("/api/no-such-door").status_code == 404


def test_one_code_for_one_fault_each_in_the_table_with_its_status() -> None:
    """docs/rules.md, "Words with a fixed list": refusals."""
    classes: dict[str, list[type[ConvoyError]]] = {}

    def gather(kind: type[ConvoyError]) -> None:
        classes.setdefault(kind.code, []).append(kind)
        for one in kind.__subclasses__():
            gather(one)

    for package in (convoy_core, convoy_io, convoy_agent):
        for module in pkgutil.walk_packages(package.__path__, package.__name__ + "."):
            if "__main__" not in module.name:
                importlib.import_module(module.name)
    gather(ConvoyError)
    # Whatever shares a code is the same fault, told more exactly.
    for same in classes.values():
        assert all(issubclass(one, same[0]) for one in same), same
    table = (WEB.parent / "docs/rules.md").read_text().split("<!-- refusals -->")[1].split("\n\n")[0]
    rows = {row.split("|")[1].strip(): row.split("|")[2].strip() for row in table.strip().splitlines()[2:]}
    assert list(rows) == sorted(classes)
    assert {code: int(status) for code, status in rows.items() if status not in ("", "422")} == STATUS


@pytest.mark.parametrize(
    ("path", "body", "field", "says"),
    [
        ("releases", {"revision": 1, "number": "one two"}, "number", "must be a number like 1.2 or 1.2.0-rc.1"),
        ("releases", {"revision": -1, "number": "1"}, "revision", "must be 0 or more"),
        ("releases", {"number": "1"}, "revision", "is missing"),
        ("draft/edits", {"revision": 0, "edits": [{"do": "dance"}]}, "edits.0", "is no edit that is known here"),
        ("codes", {"uses": "many"}, "uses", "must be a whole number"),
    ],
)
def test_wrong_fields_are_told_in_words(world: World, path: str, body: dict, field: str, says: str) -> None:
    status, told = world.as_("owner").post(f"{world.at}/{path}", body)
    assert (status, told["fields"]) == (422, {field: says})
