"""What is kept in memory between edits: used again while nothing changed, and never after something did."""

from typing import Any

from django.db import connection, transaction
from django.test.utils import CaptureQueriesContext

from convoy_site.catalogue import kept
from convoy_site.catalogue.models import Build, Mod
from convoy_site.packs import drafts
from convoy_site.packs.models import Pack

from .conftest import World
from .test_drafts import edit


def settled(world: World, refresh: tuple[str, ...] = ("lock-ledger",)) -> dict[str, str]:
    draft = Pack.objects.get(pk=world.pack.pk).draft
    return {mod: build.version.text for mod, build in drafts.settle_draft(draft, refresh).picks.items()}


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
    known = len(reach.builds)
    edit(world, {"do": "add", "mod": "market-bells"})
    assert len(reach.builds) > known, "the same one, grown"
    assert settled(world).items() > before.items()


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
    pack = Pack.objects.get(pk=world.pack.pk)
    [ours] = [row for row in drafts.picked(pack.draft).rows if row.mod.slug == "lock-ledger"]
    ours.files = ["kept by nobody"]
    assert "files" not in vars(kept._rows[ours.pk])
    Build.objects.filter(pk=ours.pk).update(memory=777)
    [again] = [row for row in drafts.picked(pack.draft).rows if row.mod.slug == "lock-ledger"]
    assert again.memory == 777
    Mod.objects.filter(pk=ours.mod_id).update(licence="of now")
    [again] = [row for row in drafts.picked(pack.draft).rows if row.mod.slug == "lock-ledger"]
    assert again.mod.licence == "of now"
