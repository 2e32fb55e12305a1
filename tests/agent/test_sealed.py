"""A sealed release is installed before its hour, and no command, plan or log of the agent tells what is in it."""

import json
from datetime import UTC, datetime, timedelta

import pytest
from typer.testing import CliRunner

from convoy_agent.commands.app import app
from convoy_agent.commands.groups import holding
from convoy_agent.errors import ErrandsLeft
from convoy_core.lock.recipe import read_recipe
from convoy_core.words.errors import MalformedInput
from convoy_core.words.model import Pickup, Reach

from .conftest import MODS, Member

LAMPS = {"settings.toml": "glow = 5\n", "lamp.dat": "light"}
LATER = datetime.now(UTC) + timedelta(hours=5)
OPTIONS = {"sealed_until": LATER.isoformat(timespec="seconds"), "reaches": {"lamplight": Reach.SAVE}}


def said(member: Member, *words: str) -> str:
    """What commands print, in words and as data."""
    run, printed = CliRunner(), ""
    for more in ((), ("--json",)):
        at = ["--store", str(member.store.root)]
        found = run.invoke(app([holding(words[0])]), [*at, *words, "--folder", str(member.folder), *more])
        assert found.exit_code in (0, 1), (words, found.output, found.exception)
        printed += found.output
    return printed.lower()


def test_it_is_installed_at_once_and_not_told(member: Member) -> None:
    member.sync()
    (member.folder / "worlds/fen").mkdir(parents=True)
    (member.folder / "worlds/fen/canal.dat").write_text("fen")
    member.harbour.publish("2.0.0", {**MODS, "lamplight": LAMPS}, **OPTIONS)
    before = said(member, "status")
    assert "lamplight" not in before and "sealed until" in before and "would do" in before
    done = member.sync()
    assert (member.folder / "mods/lamplight/lamp.dat").read_text() == "light", "the evening starts in step"
    assert done.backup and done.sealed_until and done.mods == () and done.plan.worlds == ()
    for words in (("status",), ("sync",), ("history",), ("errands",), ("steps",)):
        assert "lamplight" not in said(member, *words), words
    told = json.dumps([member.harbour.progress, member.harbour.reports[-1]["about"]["history"]])
    assert "lamplight" not in told
    # Its hour comes by the clock alone.
    later = lambda: LATER + timedelta(seconds=1)  # noqa: E731
    member.harbour.publish("2.1.0", {**MODS, "lamplight": {**LAMPS, "lamp.dat": "brighter"}}, **OPTIONS)
    found = member.status(now=later)
    assert "Lamplight updated from 2.0.0 to 2.1.0" in found.mods and not found.sealed_until
    assert [one.sentence for one in found.plan.worlds] == ["Lamplight updated from 2.0.0 to 2.1.0"]


def test_an_errand_is_named_by_its_file_where_that_is_enough(member: Member) -> None:
    ways = {"lamplight": Pickup.CLICK, "bellringing": Pickup.BY_HAND}
    member.harbour.publish("2.0.0", {**MODS, "lamplight": LAMPS, "bellringing": LAMPS}, pickups=ways, **OPTIONS)
    with pytest.raises(ErrandsLeft) as left:
        member.sync()
    file = member.harbour.archive("lamplight").name
    assert f"- {file} " in left.value.why and "Lamplight" not in left.value.why
    assert "choose Bellringing 2.0.0" in left.value.why


@pytest.mark.parametrize("until", ["soon", "2026-11-27T20:00:00", "2026-13-01T00:00:00+00:00"])
def test_an_hour_that_is_none_makes_no_release(member: Member, until: str) -> None:
    document = json.loads(member.harbour.documents["1.0.0"])
    with pytest.raises(MalformedInput):
        read_recipe(json.dumps({**document, "sealed_until": until}).encode())
