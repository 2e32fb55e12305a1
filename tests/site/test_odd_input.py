"""Whatever is sent, at every door: an answer in words, never a server error."""

import json
from collections.abc import Iterator
from typing import Any

import pytest
from django.db import transaction
from django.test import Client

from .conftest import World
from .test_rights import AGENT_DOORS, DOORS, filled

ODD: list[Any] = [
    "\x00", "a\x00b", "\ud800", "\u202e", "x" * 61, "x" * 300, "x" * 30_000, "", " ", "٣", 10**40, -1, 2**31, 2**63,
    float("nan"), float("inf"), -0.0, 1e308, True, None, [], {}, [[]], [None] * 300, {"": ""}, {"\x00": 1},
    "0001-01-01T00:00:00", "9999-12-31T23:59:59Z", "2026-11-26T20:00:00", "2026-11-26T20:00:00+23:59", "🜁" * 70,
    "../../etc",
]  # fmt: skip
BODIES: list[bytes] = [
    b"", b"{", b"null", b"[]", b'"text"', b"\x00", b"\xff\xfe", b"[" * 100_000, b'{"a":' * 5_000, b"1" * 10_000,
    b'{"username": ' + b"9" * 6_000 + b"}", b'{"code": "\\ud800"}', b'{"code": NaN}', b'{"email": "\\u0000"}',
]  # fmt: skip
TYPES = ["application/json", "text/plain", "application/x-www-form-urlencoded", "multipart/form-data", "x/\u00ff", ""]
ACCOUNT_DOORS = [
    "auth/login", "auth/signup", "auth/password/request", "auth/password/reset", "auth/email/verify",
    "auth/reauthenticate", "auth/2fa/authenticate", "account/password/change", "account/email",
    "account/authenticators/totp", "auth/sessions", "account/authenticators/webauthn", "auth/webauthn/login",
]  # fmt: skip


def mutants(body: Any, odd: Any) -> Iterator[Any]:
    """The body with one leaf, and each key's whole value, put out for something odd."""
    if isinstance(body, dict):
        for key, value in body.items():
            yield {**body, key: odd}
            for inner in mutants(value, odd):
                yield {**body, key: inner}
    elif isinstance(body, list) and body:
        for inner in mutants(body[0], odd):
            yield [inner, *body[1:]]


def shaped(world: World, given: Any) -> Any:
    return json.loads(filled(world, json.dumps(given)))


BODIED = [(method, path, body) for method, path, body, _ in DOORS if isinstance(body, dict)]


@pytest.mark.parametrize(("method", "path", "body"), BODIED, ids=[f"{method} {path}" for method, path, _ in BODIED])
def test_no_odd_value_in_any_field_is_a_server_error(world: World, method: str, path: str, body: dict) -> None:
    client = world.as_("owner").client
    client.raise_request_exception = False
    address = filled(world, path)
    for odd in ODD:
        for one in mutants(shaped(world, body), odd):
            before = transaction.savepoint()
            reply = client.generic(method, address, json.dumps(one), content_type="application/json")
            transaction.savepoint_rollback(before)
            assert reply.status_code < 500, (odd, one)


def test_no_body_and_no_type_at_any_door_is_a_server_error(world: World) -> None:
    client, agent = world.as_("owner").client, world.agent().client
    client.raise_request_exception = agent.raise_request_exception = False
    doors = [(client, method, filled(world, path)) for method, path, *_ in DOORS if method != "GET"]
    doors += [(agent, method, path) for method, path in AGENT_DOORS if method != "GET"]
    doors += [(Client(raise_request_exception=False), "POST", f"/_allauth/browser/v1/{one}") for one in ACCOUNT_DOORS]
    for asker, method, address in doors:
        for number, body in enumerate(BODIES):
            kind = TYPES[number % len(TYPES)] if number % 3 else "application/json"
            before = transaction.savepoint()
            reply = asker.generic(method, address, body, content_type=kind)
            transaction.savepoint_rollback(before)
            assert reply.status_code < 500, (method, address, kind, body[:40])


def test_no_odd_address_is_a_server_error(world: World) -> None:
    client = world.as_("owner").client
    client.raise_request_exception = False
    odd = [
        "%00",
        "%ff",
        "%ED%A0%80",
        "a%00b",
        "%2e%2e%2f",
        "x" * 3000,
        "٣",
        "%0d%0aX:1",
        "-1",
        "1e9",
        "99999999999999999999",
    ]
    for method, path, *_ in DOORS:
        if "{" in path and method == "GET":
            for one in odd:
                for name in ("{pack}", "{crew}", "{code}", "{installation}"):
                    reply = client.get(filled(world, path.replace(name, one)))
                    assert reply.status_code < 500, (path, one)
    for query in ("text=%00", "text=%ED%A0%80", "page=-1", "page=99999999999999999999", "since=nan", "size=1e400"):
        for path in ("/api/find", f"{world.at}/catalogue", f"{world.at}/draft/edits", "/api/games"):
            assert client.get(f"{path}?{query}").status_code < 500, (path, query)


def test_what_one_person_is_told_is_nobodys_to_keep(world: World) -> None:
    for path in ("/api/me", world.at, f"{world.at}/draft", "/_allauth/browser/v1/auth/session", "/api/nothing"):
        assert "no-store" in world.as_("owner").client.get(path)["Cache-Control"]
    head = world.agent().client.get("/api/agent/head")
    assert head["Cache-Control"] == "no-store"


def test_a_body_that_says_it_is_too_large_is_refused_unread(world: World) -> None:
    reply = world.as_("owner").client.generic(
        "POST", f"{world.at}/draft/edits", b"{}", content_type="application/json", CONTENT_LENGTH=str(5 * 2**20),
        **{"wsgi.input": Unread()},
    )  # fmt: skip
    assert (reply.status_code, reply.json()["code"]) == (422, "too-large")


class Unread:
    """A body that must not be looked into."""

    def read(self, *_: int) -> bytes:
        raise AssertionError("it was read")

    readline = read


def test_a_form_is_refused_unread_where_rights_or_size_say_so(world: World) -> None:
    at = {
        f"/api/crews/{world.crew.id}/charter/file": {"owner": 422, "curator": 403, "stranger": 404, "nobody": 401},
        f"{world.at}/to-sign/file": {"owner": 422, "member": 403, "stranger": 404, "nobody": 401},
        f"{world.at}/listing": {"member": 422, "stranger": 404, "nobody": 401},
        f"/api/installations/{world.installation.id}/brought": {"member": 422, "owner": 404, "nobody": 401},
        "/api/games/tries/archive": {"stranger": 422, "nobody": 401},
        f"{world.at}/draft/edits": {"owner": 422, "nobody": 401},
    }
    for address, expected in at.items():
        for who, status in expected.items():
            reply = world.as_(who).client.generic(
                "POST", address, b"x", content_type="multipart/form-data; boundary=x",
                **{"wsgi.input": Unread(), "CONTENT_LENGTH": str(3 * 2**30)},
            )  # fmt: skip
            assert reply.status_code == status, (address, who, reply.content)
