"""The keeper's place, accounts, mail, files in a store, figures: what a stranger needs to keep a site by themselves."""

import base64
import errno
import io
import json
import re
import zipfile
from collections.abc import Iterator
from email import message_from_bytes
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import pytest
from allauth.mfa.models import Authenticator
from django.core.files.base import ContentFile
from django.core.files.storage import default_storage
from django.core.management import CommandError, call_command
from django.db.models import CASCADE
from django.test import Client, RequestFactory
from procrastinate.contrib.django.models import ProcrastinateJob

from convoy_core.lock.canonical import sha256_hex
from convoy_core.words.codes import show_code
from convoy_site import kept_files
from convoy_site.catalogue.models import OwnFile
from convoy_site.files_settings import read_files
from convoy_site.keeping import mail, standing
from convoy_site.keeping.accounts import GONE
from convoy_site.mail_settings import read_mail
from convoy_site.notices.models import Notice
from convoy_site.people.models import AuditEntry, Invitation, Membership, SiteRules, User
from convoy_site.people.services import asker_address

from .conftest import PASSWORD, Api, World

MAIL = "smtp://127.0.0.1:1"


@pytest.fixture
def keeper(world: World) -> Api:
    world.users["keeper"] = User.objects.create_user("keeper", password=PASSWORD, is_staff=True)
    return world.as_("keeper")


def account(client: Client, path: str, body: dict[str, Any] | None = None, method: str = "POST") -> tuple[int, Any]:
    reply = client.generic(method, f"/_allauth/browser/v1/{path}", json.dumps(body or {}), "application/json")
    return reply.status_code, reply.json() if reply.content else {}


def new(name: str, **more: str) -> dict[str, str]:
    return {"username": name, "password": "a long enough phrase", "email": f"{name}@crew.example", **more}


@pytest.fixture
def sent(settings: Any) -> Iterator[Any]:
    """A site that sends mail: what waits to be sent, as (address, text)."""
    settings.MAIL = read_mail(MAIL)
    settings.EMAIL_BACKEND = "convoy_site.keeping.mail.Queue"
    settings.ACCOUNT_EMAIL_VERIFICATION = "optional"

    def waiting() -> list[tuple[str, str]]:
        jobs = ProcrastinateJob.objects.filter(task_name=mail.TASK).order_by("id")
        raw = [(one.args["to"][0], base64.b64decode(one.args["raw"])) for one in jobs]
        return [(to, str(message_from_bytes(one).get_payload(decode=True), "utf-8")) for to, one in raw]

    yield waiting


def test_an_address_is_confirmed_and_a_forgotten_password_has_a_way_back(catalogue: None, sent: Any) -> None:
    client = Client()
    assert account(client, "auth/signup", new("wren"))[0] == 200
    to, text = sent()[-1]
    assert to == "wren@crew.example"
    key = re.search(r"/account/address/(\S+)", text)
    assert key, text
    assert account(client, "auth/email/verify", {"key": unquote(key[1])})[0] in (200, 401)
    assert User.objects.get(username="wren").emailaddress_set.get().verified
    lost = Client()
    assert account(lost, "auth/password/request", {"email": "wren@crew.example"})[0] == 200
    key = re.search(r"/password/(\S+)", sent()[-1][1])
    assert key
    assert account(lost, "auth/password/reset", {"key": key[1], "password": "another long phrase"})[0] in (200, 401)
    assert account(Client(), "auth/login", {"email": "wren@crew.example", "password": "another long phrase"})[0] == 200
    # It works once; and an address that nobody has is told of to that address alone.
    assert account(Client(), "auth/password/reset", {"key": key[1], "password": "a third long phrase"})[0] == 400
    assert account(Client(), "auth/password/request", {"email": "nobody@crew.example"})[0] == 200
    assert "no account with this address" in sent()[-1][1]


def test_a_mail_server_that_is_away_costs_nobody_anything(catalogue: None, sent: Any) -> None:
    assert account(Client(), "auth/signup", new("wren"))[0] == 200
    job = ProcrastinateJob.objects.get(task_name=mail.TASK)
    with pytest.raises(OSError):
        mail.send(**job.args)
    assert mail.send.retry_strategy is not None
    assert len(sent()) == 1


@pytest.mark.parametrize("address", ["http://x", "smtp:", "smtps://", "mail.example"])
def test_a_mail_setting_that_makes_no_sense_is_told_at_once(address: str) -> None:
    with pytest.raises(ValueError, match="CONVOY_MAIL"):
        read_mail(address)


def test_who_may_make_an_account_is_the_keepers_to_settle(world: World, keeper: Api) -> None:
    assert keeper.send("PATCH", "/api/keeper/rules", {"registration": "invited"})[0] == 200
    assert world.as_("nobody").get("/api/me")[1]["registration"] == "invited"
    assert account(Client(), "auth/signup", new("wren"))[0] == 400
    assert account(Client(), "auth/signup", new("wren", invitation="AAAA-AAAA-AA"))[0] == 400
    _, made = keeper.post("/api/keeper/invitations", {"note": "for Wren"})
    assert account(Client(), "auth/signup", new("wren", invitation=made["code"].lower()))[0] == 200
    assert Invitation.objects.get().used_by == User.objects.get(username="wren")
    assert account(Client(), "auth/signup", new("pim", invitation=made["code"]))[0] == 400
    # Whoever hands out a pack's code has invited.
    assert account(Client(), "auth/signup", new("pim", invitation=show_code(world.code)))[0] == 200
    keeper.send("PATCH", "/api/keeper/rules", {"registration": "closed"})
    assert account(Client(), "auth/signup", new("tam", invitation=show_code(world.code)))[0] == 403


def test_a_locked_account_is_out_everywhere_at_once(world: World, keeper: Api) -> None:
    member = Client()
    assert account(member, "auth/login", {"username": "member", "password": PASSWORD})[0] == 200
    assert world.agent().get("/api/agent/head")[0] == 200
    assert keeper.post("/api/keeper/accounts/member/lock", {"locked": True})[0] == 200
    assert Api(member).get("/api/packs")[0] == 401
    assert account(Client(), "auth/login", {"username": "member", "password": PASSWORD})[0] != 200
    assert world.agent().get("/api/agent/head")[0] == 401
    assert keeper.post("/api/keeper/accounts/member/lock", {"locked": False})[0] == 200
    assert account(Client(), "auth/login", {"username": "member", "password": PASSWORD})[0] == 200
    assert world.agent().get("/api/agent/head")[0] == 200
    assert keeper.post("/api/keeper/accounts/keeper/lock", {"locked": True})[0] == 403
    assert keeper.send("PUT", "/api/keeper/accounts/keeper/keeper", {"keeper": False})[0] == 403


def test_a_keeper_hands_over_a_way_back_and_the_command_lets_a_keeper_in_again(
    world: World, keeper: Api, capsys: pytest.CaptureFixture[str]
) -> None:
    Authenticator.objects.create(user=world.users["member"], type="totp", data={"secret": "x"})
    _, told = keeper.post("/api/keeper/accounts/member/way-back")
    key = told["address"].rsplit("/", 1)[1]
    assert account(Client(), "auth/password/reset", {"key": key, "password": "found again, at last"})[0] in (200, 401)
    assert account(Client(), "auth/login", {"username": "member", "password": "found again, at last"})[0] == 200
    User.objects.filter(username="keeper").update(is_active=False, is_staff=False)
    call_command("keeper", "keeper", "--back-in")
    password = capsys.readouterr().out.split("signs in with  ")[1].split()[0]
    back = Client()
    assert account(back, "auth/login", {"username": "keeper", "password": password})[0] == 200
    assert Api(back).get("/api/keeper")[0] == 200
    with pytest.raises(CommandError):
        call_command("keeper", "nobody-such", "--end")


def test_limits_hold_and_what_was_done_is_written_down(world: World, keeper: Api) -> None:
    keeper.send("PATCH", "/api/keeper/rules", {"crews_per_person": 1, "packs_per_crew": 1})
    assert world.as_("owner").post("/api/crews", {"name": "One more"})[1]["code"] == "too-many"
    begin = {"crew": str(world.crew.id), "game": "tillerway", "name": "More", "game_version": "2.1.0"}
    assert world.as_("owner").post("/api/packs", begin)[1]["code"] == "too-many"
    assert keeper.send("PATCH", "/api/keeper/rules", {"upload_mb": 0})[0] == 422
    world.as_("owner").send("PUT", f"/api/crews/{world.crew.id}/people/curator", {"role": "member"})
    did = [row["did"] for row in keeper.get("/api/keeper/audit")[1]["rows"]]
    assert did[0] == "made curator member of Kestrel Wharf"
    assert did[1].startswith("changed the rules: crews per person from 20 to 1")
    with pytest.raises(Exception, match="one_row_of_rules"):
        SiteRules.objects.create(pk=2)


def test_an_account_is_taken_along_and_ended(world: World) -> None:
    member, owner = world.as_("member"), world.as_("owner")
    member.send("PUT", "/api/news/wishes", {"pack": str(world.pack.id), "mail": "never"})
    member.send("PUT", "/api/defaults", {"line_kb": 300})
    member.post(f"{world.at}/feed")
    Notice.objects.create(user=world.users["member"], key="x", text="Something happened.", address="/")
    told = member.get("/api/account/taken-along")[1]
    assert told["account"]["name"] == "member"
    assert told["how you want news"] == [{"pack__name": "Night Freight", "mail": "never"}]
    assert told["news that reached you"][0]["text"] == "Something happened." and told["feeds"]
    assert told["what holds for your installations"][0]["line_kb"] == 300
    assert [one["pack"] for one in told["installations"]] == ["Night Freight"]
    assert PASSWORD not in json.dumps(told)
    assert owner.post("/api/account/end", {"password": PASSWORD})[1]["code"] == "still-needed"
    assert member.post("/api/account/end", {"password": "wrong"})[0] == 403
    assert member.post("/api/account/end", {"password": PASSWORD})[0] == 200
    assert member.get("/api/packs")[0] == 401
    assert world.agent().get("/api/agent/head")[0] == 401
    gone = User.objects.get(username__startswith=GONE)
    assert (gone.email, gone.has_usable_password(), Membership.objects.filter(user=gone).count()) == ("", False, 0)
    # Of what hangs on a person nothing is left: whoever adds such a table is reminded here.
    left = [one.related_model for one in User._meta.related_objects if one.on_delete is CASCADE]
    rows = {one.__name__: one.objects.filter(**{_to_user(one): gone}).count() for one in left}
    assert {name for name, count in rows.items() if count} <= {"UserSession"}, rows
    assert owner.get(f"{world.at}/releases")[0] == 200


def _to_user(table: Any) -> str:
    return next(one.name for one in table._meta.fields if one.remote_field and one.remote_field.model is User)


def test_what_a_keeper_sees_costs_a_fixed_number_of_queries(
    world: World, keeper: Api, django_assert_max_num_queries: Any
) -> None:
    for number in range(70):
        User.objects.create_user(f"many{number}")
        AuditEntry.objects.create(who="x", did="y", crew=world.crew)
    for path in ("keeper", "keeper/accounts", "keeper/jobs", "keeper/storage", "keeper/audit", "keeper/invitations"):
        with django_assert_max_num_queries(12):
            status, told = keeper.get(f"/api/{path}")
        assert status == 200, told
    assert keeper.get("/api/keeper/accounts?text=many6")[1]["total"] == 11


def test_health_tells_parts_apart_and_figures_need_their_token(
    world: World, settings: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    standing._storage_tried.clear()
    status, told = world.as_("nobody").get("/api/health")
    parts = {one["name"]: one["ok"] for one in told["parts"]}
    assert (status, parts) == (200, {"database": True, "queue": False, "storage": True, "sources": True})

    def away(*_: object, **__: object) -> None:
        raise OSError("no such host s3.secret.internal")

    standing._storage_tried.clear()
    with monkeypatch.context() as while_away:
        while_away.setattr(default_storage, "save", away)
        status, told = world.as_("nobody").get("/api/health")
    standing._storage_tried.clear()
    assert (status, told["done"]) == (503, False)
    assert "secret" not in json.dumps(told)
    client = Client()
    assert client.get("/metrics").status_code == 404
    settings.METRICS_TOKEN = "let me see"
    assert client.get("/metrics").status_code == 404
    text = client.get("/metrics", headers={"Authorization": "Bearer let me see"}).content.decode()
    assert 'convoy_requests_total{operation="health",status="503"}' in text
    assert "convoy_queue_ok 0.0" in text
    assert str(world.pack.id) not in text


def test_the_store_setting_is_read_whole_or_refused() -> None:
    told = read_files("s3://key:se%2Fcret@packs/site?endpoint=http://127.0.0.1:9&region=eu-1")
    assert told is not None
    options = told["OPTIONS"]
    assert (options["bucket_name"], options["location"], options["secret_key"]) == ("packs", "site", "se/cret")
    assert read_files("") is None
    for bad in ("s3:", "/var/files", "gs://bucket"):
        with pytest.raises(ValueError, match="CONVOY_FILES"):
            read_files(bad)


def test_a_file_is_kept_once_and_read_from_any_byte(tmp_path: Path, settings: Any) -> None:
    data = b"abcdefgh" * 100_000
    for _ in range(2):
        kept_files.keep("own/x", data, sha256_hex(data))
    assert b"".join(kept_files.blocks("own/x", 799_995)) == b"defgh"
    assert kept_files.signed_address("own/x") == ""
    # What lies there under the right name and is wrong (a disk was full, or rots) is seen and replaced.
    place = Path(default_storage.path("own/x"))
    place.write_bytes(data[:9_000])
    kept_files.keep("own/x", data, sha256_hex(data))
    assert place.read_bytes() == data and default_storage.listdir("unfinished")[1] == []
    kept_files.forget("own/x")
    assert not kept_files.is_kept("own/x")


@pytest.mark.parametrize("written", [0, 4_000, 79_999])
def test_a_disk_that_takes_only_the_beginning_keeps_nothing(monkeypatch: pytest.MonkeyPatch, written: int) -> None:
    """Whether it says so or not: what was written is read again before it is called what it is."""
    data, save = b"abcdefgh" * 10_000, default_storage.save
    for says_so in (True, False):

        def full(name: str, content: Any, says_so: bool = says_so) -> str:
            made = save(name, ContentFile(content.read()[:written]))
            if says_so:
                raise OSError(errno.ENOSPC, "No space left on device")
            return made

        with monkeypatch.context() as while_full:
            while_full.setattr(default_storage, "save", full)
            with pytest.raises(kept_files.StorageAway):
                kept_files.keep("own/full", data, sha256_hex(data))
        assert not kept_files.is_kept("own/full")
    kept_files.keep("own/full", data, sha256_hex(data))
    assert kept_files.read("own/full") == data
    assert kept_files.sweep_unfinished(-1) <= 2 and default_storage.listdir("unfinished")[1] == []
    kept_files.forget("own/full")


def test_a_store_that_is_away_in_mid_upload_leaves_nothing(world: World, monkeypatch: pytest.MonkeyPatch) -> None:
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        archive.writestr("waybill.toml", 'id = "x"\nname = "X"\nversion = "1"\n')

    def away(*_: object, **__: object) -> None:
        raise OSError("the line was cut")

    at = f"{world.at}/files?name=x.zip"
    with monkeypatch.context() as while_away:
        while_away.setattr(default_storage, "save", away)
        status, told = world.as_("curator").send("POST", at, packed.getvalue())
    assert (status, told["code"], OwnFile.objects.count()) == (503, "storage-away", 0)
    status, told = world.as_("curator").send("POST", at, packed.getvalue())
    assert status == 200
    assert OwnFile.objects.get().sha256 == told["sha256"]
    # What its row names is there: members do not wait for a file that nobody has.
    assert default_storage.exists(OwnFile.objects.get().place)


def test_whose_tries_are_counted_cannot_be_made_up(world: World, settings: Any) -> None:
    def asked(proxies: int, passed: str) -> str:
        settings.ALLAUTH_TRUSTED_PROXY_COUNT = proxies
        return asker_address(RequestFactory().get("/", headers={"X-Forwarded-For": passed} if passed else {}))

    assert asked(0, "6.6.6.6") == "127.0.0.1"
    assert asked(1, "6.6.6.6, 9.9.9.9") == "9.9.9.9"
    assert asked(2, "6.6.6.6, 9.9.9.9, 10.0.0.1") == "9.9.9.9"
    assert asked(2, "9.9.9.9") == "127.0.0.1"
