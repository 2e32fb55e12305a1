"""Limits that hold: tries at what may be guessed, also many at once; two who change one thing at the same moment."""

import random
import threading
from collections import Counter
from collections.abc import Callable
from typing import Any

import pytest
from django.db import connections, transaction
from django.test import Client

from convoy_core.words.codes import JOIN_LENGTH, PAIRING_LENGTH, make_code
from convoy_site.installations.joining import pairing_command
from convoy_site.people.models import Membership, Role, Tries, User
from convoy_site.people.services import change_role
from convoy_site.people.tries import TooMany, begin, guarded
from convoy_site.releases.join_codes import CODE_TRIES

from .conftest import PASSWORD, World


def codes(length: int, count: int) -> list[str]:
    """Codes without a slip that nobody gave out."""
    chance = random.Random(4)
    return [make_code(length, chance.choice) for _ in range(count)]


def all_at_once(count: int, do: Callable[[int], Any]) -> list[Any]:
    found: list[Any] = [None] * count
    ready = threading.Barrier(count)

    def run(number: int) -> None:
        ready.wait()
        try:
            found[number] = do(number)
        except Exception as error:
            found[number] = error
        finally:
            connections.close_all()

    threads = [threading.Thread(target=run, args=(number,)) for number in range(count)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return found


def sign_in(name: str, password: str, address: str) -> int:
    body = {"username": name, "password": password}
    at = "/_allauth/browser/v1/auth/login"
    return Client(REMOTE_ADDR=address).post(at, body, content_type="application/json").status_code


def test_wrong_codes_are_counted_however_they_are_refused(world: World) -> None:
    stranger = world.as_("stranger")
    wrong = codes(JOIN_LENGTH, 2 * CODE_TRIES)
    told = [stranger.get(f"/api/codes/{one}")[0] for one in wrong[:CODE_TRIES]]
    told += [stranger.post("/api/installations", {"code": one, "name": "x"})[0] for one in wrong[CODE_TRIES:]]
    assert Counter(told) == {404: CODE_TRIES, 429: CODE_TRIES}
    assert stranger.get(f"/api/codes/{world.code}")[0] == 429
    # Nobody else pays for it, and the same wrong code again is no new guess.
    member = world.as_("member")
    assert [member.get(f"/api/codes/{wrong[0]}")[0] for _ in range(2 * CODE_TRIES)] == [404] * 2 * CODE_TRIES
    assert [member.get(f"/api/codes/{world.code}")[0] for _ in range(CODE_TRIES + 9)] == [200] * (CODE_TRIES + 9)


def test_a_crew_behind_one_proxy_pairs_all_its_machines(world: World) -> None:
    asker = world.as_("nobody")
    for one in codes(PAIRING_LENGTH, 90):
        assert asker.post("/api/agent/pair", {"code": one})[0] == 404
    for _ in range(50):
        code = pairing_command(world.users["member"], world.installation.id).code
        assert asker.post("/api/agent/pair/look", {"code": code})[0] == 200
        assert asker.post("/api/agent/pair", {"code": code})[0] == 200


def test_who_tries_at_an_account_locks_nobody_else_out(world: World) -> None:
    assert sign_in("member", PASSWORD, "198.51.100.1") == 200
    told = [sign_in("member", f"wrong {n}", "198.51.100.66") for n in range(30)]
    assert Counter(told)[400] == 30 and sign_in("member", PASSWORD, "198.51.100.66") == 400
    # At home, twelve slips of one's own are no lock either, and others behind the same proxy come in.
    assert [sign_in("member", "a slip", "198.51.100.1") for _ in range(12)] == [400] * 12
    assert sign_in("member", PASSWORD, "198.51.100.1") == 200
    assert sign_in("curator", PASSWORD, "198.51.100.66") == 200
    # From many addresses at once there is an end, too; not for who is known.
    for n in range(70):
        sign_in("member", f"wrong {n}", f"203.0.113.{n}")
    assert sign_in("member", PASSWORD, "203.0.113.200") == 400
    assert sign_in("member", PASSWORD, "198.51.100.1") == 200


def test_who_was_taken_out_does_not_come_back_by_an_open_code(world: World) -> None:
    crew = f"/api/crews/{world.crew.id}/people"
    assert world.as_("owner").send("DELETE", f"{crew}/member")[0] == 200
    status, told = world.as_("member").post("/api/installations", {"code": world.code, "name": "Again"})
    assert (status, told["code"]) == (403, "forbidden") and "taken out of Kestrel Wharf" in told["what"]
    fresh = world.as_("curator").post(f"{world.at}/codes", {"uses": 1})[1]["code"]
    assert world.as_("member").post("/api/installations", {"code": fresh, "name": "Again"})[0] == 200
    # Who left by themselves may come back by any.
    assert world.as_("member").send("DELETE", f"{crew}/member")[0] == 200
    assert world.as_("member").post("/api/installations", {"code": world.code, "name": "Third"})[0] == 200


@pytest.mark.django_db(transaction=True)
def test_a_hundred_wrong_tries_at_once_are_a_hundred() -> None:
    def attempt(number: int) -> None:
        with guarded("trial", {"user:1": 10}, f"code {number}"), transaction.atomic():
            raise KeyError

    told = Counter(type(one) for one in all_at_once(24, attempt))
    assert told == {KeyError: 10, TooMany: 14}
    Tries.objects.all().delete()
    assert [begin("trial", {"user:1": 2}, "right").was_right() for _ in range(9)] == [None] * 9


@pytest.mark.django_db(transaction=True)
def test_a_crew_handed_to_two_at_once_has_one_owner() -> None:
    from convoy_site.people.services import start_crew

    owner, *others = (User.objects.create_user(f"person{n}") for n in range(5))
    crew = start_crew(owner, "Kestrel Wharf")
    for one in others:
        Membership.objects.create(crew=crew, user=one)
    told = all_at_once(4, lambda n: change_role(owner, crew.pk, others[n].username, Role.OWNER))
    assert sorted(getattr(one, "code", "done") for one in told) == ["done", "forbidden", "forbidden", "forbidden"]
    assert Membership.objects.filter(crew=crew, role=Role.OWNER).count() == 1


def sign_up(name: str, password: str) -> tuple[int, str]:
    body = {"username": name, "password": password}
    reply = Client().post("/_allauth/browser/v1/auth/signup", body, content_type="application/json")
    return reply.status_code, reply.content.decode()


@pytest.mark.parametrize(
    "password",
    [
        "peregrine1",
        "Peregrine99!",
        "aaaaaaaaaa",
        "abababababab",
        "enirgerep7",
        "qwertyuiop",
        "12345678901",
        "abcdefghij",
    ],
)
def test_a_password_that_is_tried_first_is_refused(world: World, password: str) -> None:
    assert sign_up("peregrine", password)[0] == 400
    assert not User.objects.filter(username="peregrine").exists()


def test_nobody_takes_a_name_that_looks_like_somebodys(world: World) -> None:
    good = "seven boats at noon"
    for name in ("оwner", "Owner", "ownеr", "own\u200ber", "ｏwner", "0wner"):
        assert sign_up(name, good)[0] == 400, name
    assert sign_up("peregrine", good)[0] == 200
    crews = world.as_("stranger")
    for name in ("Kestrel Whаrf", "Kestrel\u200b Wharf", "Kestre1 Wharf"):
        assert crews.post("/api/crews", {"name": name})[0] in (409, 422), name
    # The very same name may be another crew's; whoever joins is told whose it is.
    assert crews.post("/api/crews", {"name": "Kestrel Wharf"})[0] == 200
    assert world.as_("stranger").get(f"/api/codes/{world.code}")[1]["owner"] == "owner"
