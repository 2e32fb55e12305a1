"""What is kept in memory between edits: used again while nothing changed, and never after something did."""

import random
from collections import OrderedDict
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import timedelta
from typing import Any
from unittest.mock import Mock

import pytest
from django.db import connection, transaction
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from convoy_core.settings.readings import as_text, read_file
from convoy_core.words.kept import Kept
from convoy_site.catalogue import changes, kept, readings, sayings
from convoy_site.catalogue.models import Addition, Build, CatalogueChange, Mod, Reading, Source, Verdict
from convoy_site.packs import checking, draft_layers, drafts
from convoy_site.packs.api import draft_pages
from convoy_site.packs.models import Pack
from convoy_site.people.models import User
from convoy_site.releases import pending
from convoy_site.remembered import Remembered

from .conftest import World, new_pack, start_pack
from .test_drafts import edit, lines


def settled(world: World, refresh: tuple[str, ...] = ("lock-ledger",)) -> dict[str, str]:
    draft = Pack.objects.get(pk=world.pack.pk).draft
    return {mod: build.version.text for mod, build in drafts.settle_draft(draft, refresh).picks.items()}


def near(world: World, *mods: str) -> kept.Reach:
    return kept.reach(world.pack, mods, "some draft", changes.mark())


def newer(of: str, version: str, **changed: Any) -> Build:
    build = Build.objects.filter(mod__slug=of, channel="stable").order_by("pk").last()
    build.pk, build.version = None, version
    for name, value in changed.items():
        setattr(build, name, value)
    build.save()
    return build


def test_it_is_read_once_and_grows_with_what_comes_in(world: World) -> None:
    settled(world)
    with CaptureQueriesContext(connection) as again:
        before = settled(world)
    read = [one["sql"] for one in again if '"catalogue_build"."relations"' in one["sql"]]
    assert read == []
    [reach] = [kept._reaches[one] for one in kept._reaches if one == Pack.objects.get(pk=world.pack.pk).draft.pk]
    known = len(reach.installable)
    edit(world, {"do": "add", "mod": "market-bells"})
    assert len(reach.installable) > known, "the same one, grown"
    assert settled(world).items() > before.items()


def test_readings_are_read_once_and_anew_when_another_came_in_their_place(world: World) -> None:
    hashes = [f"{at:064x}" for at in range(3)]
    for sha256 in hashes[:2]:
        Reading.objects.create(sha256=sha256, keys=as_text(read_file("x.toml", b"a = 1")))

    def known() -> dict[str, Any]:
        return {sha256: one.keys[("a",)] for sha256, one in readings.known(world.pack, hashes).items()}

    assert known() == dict.fromkeys(hashes[:2], 1)
    with CaptureQueriesContext(connection) as again:
        assert known() == dict.fromkeys(hashes[:2], 1)
    assert len(again) == 1
    Reading.objects.filter(sha256=hashes[0]).update(keys=as_text(read_file("x.toml", b"a = 2")))
    with CaptureQueriesContext(connection) as again:
        assert known() == {hashes[0]: 2, hashes[1]: 1}
    assert sum('"keys"' in one["sql"] for one in again) == 1
    Reading.objects.filter(sha256=hashes[1]).delete()
    Reading.objects.create(sha256=hashes[2], crew=world.pack.crew, keys=as_text(read_file("x.toml", b"a = 3")))
    assert known() == {hashes[0]: 2, hashes[2]: 3}
    Reading.objects.create(sha256=hashes[2], keys=as_text(read_file("x.toml", b"a = 4")))
    assert known()[hashes[2]] == 4, "the site's own goes before an agent's"


def test_it_sees_what_anybody_changed_by_whatever_door(world: World) -> None:
    """Each by a plain statement, as another machine of the site would: nobody tells this process."""
    was = settled(world)["lock-ledger"]
    fresh = newer("lock-ledger", "99.0")
    assert settled(world)["lock-ledger"] == "99.0"
    Build.objects.filter(pk=fresh.pk).update(gone=True)
    assert settled(world)["lock-ledger"] == was
    Build.objects.filter(pk=fresh.pk).update(gone=False, refused="It is no archive.")
    assert settled(world)["lock-ledger"] == was
    Build.objects.filter(pk=fresh.pk).update(refused="")
    assert settled(world)["lock-ledger"] == "99.0"
    Build.objects.filter(pk=fresh.pk).delete()
    assert settled(world)["lock-ledger"] == was


def test_a_mod_that_stands_in_from_now_on_and_a_crews_own_in_place_of_a_listed_one_are_seen(world: World) -> None:
    edit(world, {"do": "add", "mod": "barge-berths"})
    assert "rivet" in settled(world)
    rivet = Mod.objects.get(slug="rivet")
    other = Mod.objects.get(pk=rivet.pk)
    other.pk, other.slug, other.name = None, "a-rivet", "A Rivet"
    other.provides = ["rivet"]
    other.save()
    newer("rivet", "1.0", mod=other, relations={"provides": {"rivet": "99.0"}})
    Build.objects.filter(mod=rivet).update(gone=True)
    assert "a-rivet" in settled(world)
    own = Mod.objects.get(slug="lock-ledger")
    own.pk, own.crew_id = None, world.pack.crew_id
    own.save()
    newer("lock-ledger", "1.0-ours", mod=own)
    assert settled(world)["lock-ledger"] == "1.0-ours"


def test_a_page_shows_what_is_so_now_whatever_changed(world: World) -> None:
    def row() -> dict[str, Any]:
        return lines(world)["lock-ledger"]

    was = row()
    assert (was["newer"], was["errand"]) == ("", False)
    fresh = newer("lock-ledger", "99.0", refused="It is no archive.")
    assert row()["newer"] == ""
    Build.objects.filter(pk=fresh.pk).update(refused="")
    assert row()["newer"] == "99.0"
    Mod.objects.filter(slug="lock-ledger").update(name="Ledger of Locks")
    assert row()["name"] == "Ledger of Locks"
    Source.objects.filter(mods__slug="lock-ledger").update(pickup="by hand")
    assert row()["errand"] is True


def test_what_has_nothing_to_do_with_it_leaves_it_in_memory(world: World) -> None:
    """A reading of some source is no reason to read a draft's surroundings again."""
    settled(world)
    key = Pack.objects.get(pk=world.pack.pk).draft.pk
    ours = kept._reaches[key]
    elsewhere = Mod.objects.exclude(slug__in=[*ours.mods]).first()
    assert elsewhere is not None
    Mod.objects.filter(pk=elsewhere.pk).update(downloads=7)
    settled(world)
    assert kept._reaches[key] is ours
    Mod.objects.filter(slug="lock-ledger").update(downloads=7)
    settled(world)
    assert kept._reaches[key] is not ours


def test_what_found_nothing_yet_sees_what_comes(world: World) -> None:
    """A draft without a line, as each process of the site may have met it, and one whose mods no source has."""
    for mods in ((), ("nowhere",)):
        assert near(world, *mods).mods == {}
        Source.objects.filter(mods__slug="lock-ledger").update(pickup="by hand")
        assert near(world, *mods).mods == {}
    Mod.objects.filter(slug="lock-ledger").update(slug="nowhere")
    assert near(world, "nowhere").rows["nowhere"]


def test_forgetting_old_notes_never_makes_two_states_look_the_same(world: World) -> None:
    old = timezone.now() - timedelta(days=1)
    CatalogueChange.objects.all().delete()
    empty = changes.mark()
    newer("lock-ledger", "99.0")
    CatalogueChange.objects.update(at=old)
    changes.forget_old()
    assert CatalogueChange.objects.count() == 1
    assert changes.mark() != empty


def test_what_was_cut_off_while_it_grew_is_not_taken_for_whole(world: World, monkeypatch: pytest.MonkeyPatch) -> None:
    settled(world)
    with monkeypatch.context() as cut, pytest.raises(InterruptedError):
        cut.setattr(kept, "as_rows", Mock(side_effect=InterruptedError))
        near(world, "market-bells")
    assert near(world, "market-bells").rows["market-bells"]


def test_what_was_taken_back_was_never_there(world: World) -> None:
    was = settled(world)["lock-ledger"]
    try:
        with transaction.atomic():
            newer("lock-ledger", "99.0")
            assert settled(world)["lock-ledger"] == "99.0"
            raise InterruptedError
    except InterruptedError:
        assert settled(world)["lock-ledger"] == was


def test_a_verdict_counts_at_once(world: World) -> None:
    was = settled(world)["lock-ledger"]
    said = {"do": "verdict", "mod": "lock-ledger", "version": was, "works": False, "note": "It eats ledgers."}
    status, told = edit(world, said)
    assert status == 200, told
    assert settled(world)["lock-ledger"] != was
    assert edit(world, {"do": "take back", "revision": world.revision()})[0] == 200
    assert settled(world)["lock-ledger"] == was


def test_rows_for_lists_are_those_of_now(world: World) -> None:
    def row() -> Build:
        pack = Pack.objects.get(pk=world.pack.pk)
        return next(row for row in draft_layers.picked(pack.draft).rows if row.mod.slug == "lock-ledger")

    ours = row()
    ours.files = ["kept by nobody"]
    assert "files" not in vars(kept._rows[ours.pk][1])
    Build.objects.filter(pk=ours.pk).update(memory=777)
    assert row().memory == 777
    Mod.objects.filter(pk=ours.mod_id).update(licence="of now")
    assert row().mod.licence == "of now"


def test_what_would_be_published_is_made_once_and_anew_when_anything_moved(world: World) -> None:
    def names() -> set[str]:
        return {one["name"] for one in world.as_("owner").get(f"{world.at}/pending")[1]["changes"]}

    before = names()
    with CaptureQueriesContext(connection) as again:
        assert names() == before
    assert not [one["sql"] for one in again if '"packs_line"' in one["sql"]]
    edit(world, {"do": "add", "mod": "market-bells"})
    assert names() - before
    Mod.objects.filter(slug="market-bells").update(name="Bells of the Market")
    assert "Bells of the Market" in names()
    assert edit(world, {"do": "remove", "mod": "market-bells"})[0] == 200
    assert names() == before


def of_crew(world: World, mod: str) -> dict[str, Any]:
    about = {"crew": world.crew, "game": world.pack.game, "mod": mod}
    return about | {"by": world.users["curator"], "on": timezone.localdate()}


def say(world: World, mod: str, **said: Any) -> None:
    """By plain statements, in no edit: of every build of a mod, on the draft's base."""
    draft = world.pack.draft
    base = {"game_version": draft.game_version, "loader": draft.loader}
    for version, sha256 in Build.objects.filter(mod__slug=mod).values_list("version", "archive_sha256"):
        about = of_crew(world, mod) | base | {"version": version, "archive_sha256": sha256}
        Verdict.objects.filter(mod=mod, version=version).delete()
        Verdict.objects.create(**about, **said)


def test_what_a_crew_says_is_seen_on_every_page_whoever_says_it_and_however_late(world: World) -> None:
    """An edit that began before another and is kept after it leaves no newer one behind: what is said counts itself."""

    def shown() -> str:
        return str(lines(world)["lock-ledger"]["verdict"])

    assert shown() == ""
    say(world, "lock-ledger", works=True, note="A season.")
    assert "A season." in shown()
    User.objects.filter(pk=world.users["curator"].pk).update(first_name="Wren")
    assert "Wren" in shown()
    Verdict.objects.all().delete()
    assert shown() == ""


def test_who_edits_makes_the_page_that_others_read(world: World) -> None:
    _, told = edit(world, {"do": "describe", "mod": "lock-ledger", "note": "ours"}, with_draft=True)
    with CaptureQueriesContext(connection) as theirs:
        _, page = world.as_("curator").get(f"{world.at}/draft")
    assert not [one["sql"] for one in theirs if '"packs_line"' in one["sql"]]
    assert (told["draft"].pop("undo"), page.pop("undo")) == (told["revision"], None), "each takes back what is theirs"
    assert page == told["draft"]


SIDES = ("", "player", "server", "both")
PAGES = ("draft", "findings", "pending?channel=stable", "catalogue?text=lock")
MODS = ("market-bells", "barge-berths", "lock-ledger", "mist-bells")


@contextmanager
def nothing_kept() -> Iterator[None]:
    """What is kept stays so, out of sight."""
    with pytest.MonkeyPatch.context() as away:
        away.setattr(kept, "_reaches", OrderedDict())
        away.setattr(kept, "_rows", {})
        remembered = {checking: ["_checked", "_joining"], pending: ["_pendings"], draft_pages: ["_pages"]}
        remembered |= {draft_layers: ["_seen"], sayings: ["_kept"]}
        for module, name in [(module, name) for module, names in remembered.items() for name in names]:
            away.setattr(module, name, Remembered(9))
        away.setattr(draft_pages, "_rows", Kept())
        away.setattr(draft_layers, "_locked_builds", Kept())
        yield


def _walked(world: World, chance: random.Random) -> str:
    """One step of somebody who edits, or of a source, or of the crew; gives what it was."""
    mod = chance.choice(MODS)
    mods = Mod.objects.filter(slug=mod)
    builds = Build.objects.filter(mod__in=mods)
    one, curator = str(chance.randint(1, 9)), User.objects.filter(pk=world.users["curator"].pk)
    more = {"side": chance.choice(SIDES)}
    steps: dict[str, Callable[[], object]] = {
        "add": lambda: edit(world, {"do": "add", "mod": mod}),
        "remove": lambda: edit(world, {"do": "remove", "mod": mod}),
        "rest": lambda: edit(world, {"do": "switch", "mod": mod, "on": chance.random() < 0.5}),
        "move": lambda: edit(world, {"do": "move", "mods": [mod], "before": chance.choice(MODS)}),
        "describe": lambda: edit(world, {"do": "describe", "mod": mod, "optional": chance.random() < 0.5}),
        "back": lambda: edit(world, {"do": "take back", "revision": world.revision()}),
        "newer": lambda: newer(mod, f"{chance.randint(90, 99)}.{chance.randint(0, 999)}"),
        "gone": lambda: builds.filter(pk=builds.order_by("-pk")[:1]).update(gone=True),
        "renamed": lambda: mods.update(name=f"Called {chance.randint(0, 9)}"),
        "moved": lambda: Source.objects.filter(mods__in=mods).update(pickup=chance.choice(["by hand", "direct"])),
        "joins": lambda: builds.update(claims={"partners": chance.sample(MODS, 2)}),
        "heavier": lambda: builds.update(memory=chance.randint(1, 999)),
        "said": lambda: say(world, mod, works=chance.random() < 0.8, note=one),
        "taken back": lambda: Verdict.objects.filter(mod=mod).delete(),
        "more": lambda: Addition.objects.update_or_create(**of_crew(world, mod), defaults=more),
        "called": lambda: curator.update(first_name=one),
    }
    step = chance.choice(list(steps))
    steps[step]()
    return f"{step} {mod}"


@pytest.mark.parametrize("seed", [2, 4])
def test_whatever_happens_pages_show_what_they_would_if_nothing_were_kept(world: World, seed: int) -> None:
    """From an empty draft on: what somebody edits, what sources list, and what is looked at meanwhile."""
    chance, owner, happened = random.Random(seed), world.as_("owner"), list[str]()
    world.pack = pack = start_pack(world.users["owner"], new_pack(world.crew, "From nothing"))
    for turn in range(30):
        shown = [owner.get(f"{world.at}/{page}") for page in PAGES if chance.random() < 0.7]
        assert all(status == 200 for status, _ in shown), (happened, shown)
        happened.append(_walked(world, chance))
        if turn > 5 and not pack.releases.exists():
            given = {"revision": world.revision(), "number": "1.0.0", "notes": "", "despite": "only tonight"}
            owner.post(f"{world.at}/releases", given)
        now = [owner.get(f"{world.at}/{page}") for page in PAGES]
        with nothing_kept():
            assert now == [owner.get(f"{world.at}/{page}") for page in PAGES], happened
    assert pack.releases.exists()
