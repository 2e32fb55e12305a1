"""A small world in the database: the demo's catalogue, a crew with every role, a stranger, a pack with a release."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx
import pytest
from django.core.cache import cache
from django.test import Client

from convoy_site.catalogue.demo import load_games_and_sources
from convoy_site.catalogue.reading_sources import read_source
from convoy_site.installations.joining import join, pair, pairing_command
from convoy_site.installations.models import Installation
from convoy_site.packs.models import Pack
from convoy_site.packs.services import NewPack, edit_draft, start_pack
from convoy_site.packs.shapes.edits import AddMod
from convoy_site.people.models import Crew, Membership, Role, User
from convoy_site.people.services import bring_aboard, start_crew
from convoy_site.releases import keys
from convoy_site.releases.join_codes import make_join_code
from convoy_site.releases.services import publish
from convoy_standins.generate import generate

PASSWORD = "a long enough passphrase"


@pytest.fixture(scope="session")
def sources(tmp_path_factory: pytest.TempPathFactory) -> Path:
    target = tmp_path_factory.mktemp("sources")
    generate(target)
    return target


@pytest.fixture(autouse=True)
def data_folder(tmp_path_factory: pytest.TempPathFactory, settings: Any) -> Iterator[None]:
    settings.DATA = tmp_path_factory.getbasetemp() / "site"
    settings.MEDIA_ROOT = settings.DATA / "files"
    settings.STANDIN_MACHINES = settings.DATA / "machines"
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
    keys.make_keys()
    keys.forget_read_keys()
    yield


def serving(sources: Path, answer: Callable[[httpx.Request], httpx.Response] | None = None) -> httpx.Client:
    """A client whose requests are answered from the sources' folder, or as a test wants."""

    def from_folder(request: httpx.Request) -> httpx.Response:
        return httpx.Response(
            200, content=(sources / request.url.path.lstrip("/")).read_bytes(), headers={"ETag": '"1"'}
        )

    return httpx.Client(transport=httpx.MockTransport(answer or from_folder))


@dataclass
class World:
    crew: Crew
    pack: Pack
    users: dict[str, User]
    code: str
    installation: Installation
    token: str
    clients: dict[str, Client] = field(default_factory=dict)

    def as_(self, who: str) -> Api:
        if who not in self.clients:
            self.clients[who] = Client()
            if who in self.users:
                self.clients[who].force_login(self.users[who], "allauth.account.auth_backends.AuthenticationBackend")
        return Api(self.clients[who])

    def agent(self, token: str | None = None) -> Api:
        return Api(Client(headers={"Authorization": f"Bearer {token or self.token}"}))

    def revision(self) -> int:
        self.pack.draft.refresh_from_db()
        return self.pack.draft.revision

    @property
    def at(self) -> str:
        return f"/api/packs/{self.pack.id}"


@dataclass
class Api:
    client: Client

    def get(self, path: str) -> tuple[int, Any]:
        return self._told(self.client.get(path))

    def send(self, method: str, path: str, body: object = None) -> tuple[int, Any]:
        data = body if isinstance(body, str | bytes) else json.dumps(body)
        kind = "application/octet-stream" if isinstance(body, bytes) else "application/json"
        return self._told(self.client.generic(method, path, data, content_type=kind))

    def post(self, path: str, body: object = None) -> tuple[int, Any]:
        return self.send("POST", path, {} if body is None else body)

    @staticmethod
    def _told(reply: Any) -> tuple[int, Any]:
        is_json = reply.headers.get("Content-Type", "").startswith("application/json")
        return reply.status_code, json.loads(reply.content) if is_json else reply.getvalue()


def new_pack(crew: Crew, name: str = "Night Freight", **changed: str) -> NewPack:
    given = {"game": "tillerway", "name": name, "emblem": "lantern", "group": "", "notes": "", "game_version": "2.1.0",
             "loader": "bosun", "loader_version": "5.2.0", **changed}  # fmt: skip
    return NewPack(crew=crew.id, **given)


@pytest.fixture(scope="session")
def django_db_setup(django_db_setup: None, django_db_blocker: Any, sources: Path) -> None:
    """The catalogue is read once, outside of any test's transaction: every test finds it."""
    with django_db_blocker.unblock(), serving(sources) as client:
        for source in load_games_and_sources():
            read_source(source, client)


@pytest.fixture
def catalogue(db: None) -> None:
    cache.clear()


@pytest.fixture
def world(catalogue: None) -> World:
    users = {
        name: User.objects.create_user(name, password=PASSWORD) for name in ("owner", "curator", "member", "stranger")
    }
    crew = start_crew(users["owner"], "Kestrel Wharf")
    bring_aboard(users["curator"], crew)
    Membership.objects.filter(user=users["curator"]).update(role=Role.CURATOR)
    pack = start_pack(users["owner"], new_pack(crew))
    edit_draft(users["owner"], pack.id, 0, [AddMod(do="add", mod="lock-ledger"), AddMod(do="add", mod="heron-almanac")])
    publish(users["owner"], pack.id, 1, "1.0.0", "stable", "The first evening.")
    code = make_join_code(users["owner"], pack.id, None).code
    made = join(users["member"], code, "My machine", "player")
    paired, token = pair(pairing_command(users["member"], made.id).code, "127.0.0.1")
    return World(crew, pack, users, code, paired, token)


def set_edit(tweak: dict[str, Any]) -> dict[str, Any]:
    """The edit that sets one key of a settings file."""
    about = {name: tweak[name] for name in ("how", "side", "because", "set") if name in tweak}
    return {"do": "set", "settings": [{name: one for name, one in tweak.items() if name not in about}], **about}
