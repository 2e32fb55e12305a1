"""Releases never change, are signed, and are handed out by codes that can be withdrawn or used up."""

import json
from pathlib import Path

import jsonschema_rs
import pytest
from django.db import InternalError, connection, transaction

from convoy_core.lock.recipe import read_recipe
from convoy_core.trust.signing import verify
from convoy_core.words.codes import ALPHABET
from convoy_core.words.errors import ConvoyError
from convoy_site.installations.models import Installation
from convoy_site.people.models import Membership
from convoy_site.releases.join_codes import make_join_code
from convoy_site.releases.keys import key_file, make_keys, own_keys, statement_file
from convoy_site.releases.lookup import recipe_of
from convoy_site.releases.models import Release

from .conftest import World
from .test_drafts import edit


def publish(world: World, number: str, **changed: object) -> tuple[int, dict]:
    body = {"revision": world.revision(), "number": number, "notes": "", **changed}
    return world.as_("owner").post(f"{world.at}/releases", body)


def test_a_release_fixes_everything_and_is_signed(world: World) -> None:
    release = Release.objects.get(pack=world.pack, number="1.0.0")
    document = bytes(release.document)
    verify(bytes(release.public_key), document, bytes(release.signature))
    assert bytes(release.public_key) in own_keys()
    recipe = read_recipe(document)
    assert (recipe.number, recipe.notes, recipe.pack) == ("1.0.0", "The first evening.", str(world.pack.id))
    assert {build.mod: build.version for build in recipe.lock.builds} == {
        "heron-almanac": "2.1.0", "lock-ledger": "3.4.1", "rivet": "1.0.1", "weir-core": "1.4.1"}  # fmt: skip
    assert [build.chosen for build in recipe.lock.builds] == [False, False, True, True]
    assert recipe.lock.by_path["mods/lock-ledger/waybill.toml"].mod == "lock-ledger"
    assert release.fingerprint == recipe.lock.fingerprint()


def test_a_release_is_as_the_published_schema_says(world: World) -> None:
    schema = json.loads((Path(__file__).resolve().parents[2] / "docs/schema/recipe.schema.json").read_text())
    document = json.loads(bytes(Release.objects.get(pack=world.pack).document))
    validator = jsonschema_rs.validator_for(schema)
    validator.validate(document)
    assert not validator.is_valid({**document, "fingerprint": "OIL0-U234"})
    assert not validator.is_valid({**document, "surprise": 1})


def test_the_database_itself_refuses_to_change_a_release(world: World) -> None:
    release = Release.objects.get(pack=world.pack)
    changes = (
        lambda: Release.objects.filter(pk=release.pk).update(notes="rewritten"),
        lambda: release.delete(),
        lambda: connection.cursor().execute("delete from releases_release"),
    )
    for change in changes:
        with pytest.raises((InternalError, Exception), match="never changes"), transaction.atomic():
            change()
    release.refresh_from_db()
    assert release.notes == "The first evening."


def test_the_change_log_goes_against_the_release_before(world: World) -> None:
    edit(world, {"do": "hold", "mod": "lock-ledger", "version": "3.3.0"}, {"do": "add", "mod": "tarred-planks"})
    edit(world, {"do": "remove", "mod": "heron-almanac"})
    _, pending = world.as_("member").get(f"{world.at}/pending")
    assert (pending["since"], pending["suggested"]) == ("1.0.0", "1.1.0")
    status, told = publish(world, "1.1.0", notes="Second.")
    assert (status, told) == (200, {"number": "1.1.0", "waits": False})
    told = world.as_("member").get(f"{world.at}/releases/1.1.0")[1]
    assert [(one["what"], one["mod"]) for one in told["changes"]] == [
        ("added", "tarred-planks"),
        ("taken back", "lock-ledger"),
        ("removed", "heron-almanac"),
        ("removed", "rivet"),
    ]
    assert told["changes"] == pending["changes"]


def test_what_cannot_be_published(world: World) -> None:
    assert publish(world, "1.1.0")[1]["what"] == "Release 1.0.0 holds exactly this."
    edit(world, {"do": "add", "mod": "tarred-planks"})
    assert publish(world, "1.0.0")[1]["code"] == "number-taken"
    assert "not above 1.0.0" in publish(world, "0.9")[1]["what"]
    assert publish(world, "1.1.0", revision=1)[1]["code"] == "stale"
    for wrong in ("one", "", "1.2.3.4.5", "1..2", "1.0.0\n"):
        status, told = publish(world, wrong)
        assert (status, list(told["fields"])) == (422, ["number"])
    assert publish(world, "1.1.0")[0] == 200


def test_the_sites_keys_are_made_once_and_are_nobody_elses(world: World) -> None:
    places = (key_file(), statement_file())
    before = [place.read_bytes() for place in places]
    assert make_keys() is False
    assert [place.read_bytes() for place in places] == before
    assert all(place.stat().st_mode & 0o077 == 0 for place in places)
    key_file().rename(away := key_file().with_suffix(".away"))
    # Its owner took it off the site: another one in its place would sign what nobody trusts.
    assert make_keys() is False and not key_file().exists()
    away.rename(key_file())


def test_a_code_shows_what_it_opens_and_each_slip_has_its_own_word(world: World) -> None:
    stranger = world.as_("stranger")
    status, told = stranger.get(f"/api/codes/{world.code.lower()[:4]} {world.code[4:]}")
    assert (status, told["pack"], told["release"], told["builds"]) == (200, "Night Freight", "1.0.0", 4)
    last = ALPHABET[(ALPHABET.index(world.code[-1]) + 1) % len(ALPHABET)]
    for typed, code, says in (
        (world.code[:-1] + last, "bad-code", "slip"),
        (world.code[:-1], "bad-code", "not a whole code"),
        ("0" + world.code[1:], "bad-code", "never holds"),
    ):
        status, told = stranger.get(f"/api/codes/{typed}")
        assert (status, told["code"]) == (422, code) and says in told["what"]


def test_unknown_withdrawn_and_used_up_codes_say_which(world: World) -> None:
    member, stranger = world.as_("member"), world.as_("stranger")
    gone = make_join_code(world.users["owner"], world.pack.id, None).code
    assert world.as_("curator").send("DELETE", f"{world.at}/codes/{gone}")[0] == 200
    once = make_join_code(world.users["owner"], world.pack.id, 1).code
    assert member.post("/api/installations", {"code": once, "name": "Once"})[0] == 200
    unknown = next(code for code in _valid_codes() if code not in (gone, once, world.code))
    for code, status, word in (
        (unknown, 404, "no-such-code"),
        (gone, 410, "code-withdrawn"),
        (once, 410, "code-used-up"),
    ):
        got, told = stranger.post("/api/installations", {"code": code, "name": "Mine"})
        assert (got, told["code"]) == (status, word)
        assert told["now"]
    assert not Installation.objects.filter(member=world.users["stranger"]).exists()
    assert not Membership.objects.filter(user=world.users["stranger"]).exists()
    assert world.as_("owner").send("DELETE", f"{world.at}/codes/{gone}")[0] == 404


def _valid_codes():
    from convoy_core.words.codes import JOIN_LENGTH, make_code

    for letter in ALPHABET:
        yield make_code(JOIN_LENGTH, lambda _, letter=letter: letter)


def test_a_failed_join_uses_nothing_up(world: World) -> None:
    once = make_join_code(world.users["owner"], world.pack.id, 1)
    body = {"code": once.code, "name": "My machine"}
    status, told = world.as_("member").post("/api/installations", body)
    assert (status, told["code"]) == (409, "name-taken")
    once.refresh_from_db()
    assert once.uses_left == 1


def test_codes_cannot_be_guessed_at_leisure(world: World) -> None:
    stranger = world.as_("stranger")
    answers = [stranger.get(f"/api/codes/{code}")[0] for _, code in zip(range(31), _valid_codes(), strict=False)]
    assert set(answers[:30]) == {404} and answers[30] == 429


def test_no_status_is_kept_for_an_error_that_is_gone() -> None:
    """Each status in the table belongs to a code that something raises."""
    from convoy_site.api import STATUS

    def below(kind: type[ConvoyError]) -> list[type[ConvoyError]]:
        return [kind, *(deeper for sub in kind.__subclasses__() for deeper in below(sub))]

    codes = {kind.code for kind in below(ConvoyError)}
    assert set(STATUS) <= codes, set(STATUS) - codes


def test_every_place_of_a_file_travels_with_the_release(world: World) -> None:
    edit(world, {"do": "add", "mod": "letters-aboard"})
    publish(world, "1.1.0")
    build = read_recipe(bytes(world.pack.releases.get(number="1.1.0").document)).lock.by_mod["letters-aboard"]
    assert [url.split("/")[0] for url in build.urls] == ["gone", "files"]


def test_a_trial_release_is_promoted_with_its_very_lock_and_told_against_the_last_stable(world: World) -> None:
    edit(world, {"do": "add", "mod": "quiet-deck"})
    assert publish(world, "1.1.0-a", channel="trial")[0] == 200
    owner = world.as_("owner")
    stable, trial = (owner.get(f"{world.at}/pending?channel={one}")[1] for one in ("stable", "trial"))
    assert (stable["nothing"], stable["since"], stable["trial"]) == (False, "1.0.0", "1.1.0-a")
    assert (trial["nothing"], trial["since"]) == (True, "1.1.0-a")
    edit(world, {"do": "add", "mod": "moon-tables"})  # the draft goes on meanwhile: what was tried is what is promoted
    promotion = f"{world.at}/releases/1.1.0-a/promotion"
    assert world.as_("member").post(promotion, {"number": "1.1.0"})[0] == 403
    assert owner.post(promotion, {"number": "1.1.0"}) == (200, {"number": "1.1.0", "waits": False})
    told = owner.get(f"{world.at}/releases/1.1.0")[1]
    assert (told["channel"], told["open"]) == ("stable", True)
    assert [(one["what"], one["mod"]) for one in told["changes"]] == [("added", "quiet-deck")]
    one, other = (recipe_of(Release.objects.get(number=number).pk) for number in ("1.1.0-a", "1.1.0"))
    assert (one.lock, other.channel) == (other.lock, "stable")
    kept = Release.objects.get(number="1.1.0")
    verify(bytes(kept.public_key), bytes(kept.document), bytes(kept.signature))
    assert owner.post(promotion, {"number": "1.2.0"})[1]["what"] == "Release 1.1.0 holds exactly this."
    assert owner.post(f"{world.at}/releases/1.1.0/promotion", {"number": "1.2.0"})[1]["code"] == "blocked"
    owner.post(f"{world.at}/releases/1.1.0-a/withdrawal", {"why": "superseded"})
    assert owner.post(promotion, {"number": "1.2.0"})[1]["code"] == "blocked"


@pytest.mark.parametrize("form", ["table", "text", "page", "parts", "downloads", "checksums"])
def test_a_release_leaves_as_lists_for_members_and_nobody_else(world: World, form: str) -> None:
    at = f"{world.at}/releases/1.0.0/list/{form}"
    reply = world.as_("member").client.get(f"{at}?side=server")
    assert reply.status_code == 200 and reply["Content-Disposition"].startswith("attachment; ")
    assert "lock-ledger" in reply.content.decode()
    assert world.as_("stranger").get(at)[0] == 404
    for wrong in (at.replace("1.0.0", "9.9"), at.replace(form, "other"), f"{at}?side=both"):
        assert world.as_("member").get(wrong)[0] in (404, 422)
