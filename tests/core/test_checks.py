"""Every check: what it must find, and what it must not. One table, a row or more for each check of the list."""

from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from convoy_core.checks import (
    ALL,
    DraftLine,
    Finding,
    Follower,
    NoBuild,
    Patch,
    Playing,
    Severity,
    Subject,
    Tried,
    Under,
    Unreviewed,
    Way,
    run_checks,
    unreviewed,
)
from convoy_core.checks.file_set import FileSet
from convoy_core.checks.overlap import MOST_PLACES, places_for
from convoy_core.checks.turning import turned_by
from convoy_core.conflicts.laying import Parts
from convoy_core.lock.lock import OVERLAY, LockedBuild, lay_down
from convoy_core.lock.playthroughs import Rule
from convoy_core.lock.terms import How, Terms, Tweak
from convoy_core.machine.memory import Needed
from convoy_core.machine.verdict import Machine
from convoy_core.outside.claims import Claims, Part
from convoy_core.outside.game_profile import read_profile
from convoy_core.settings.readings import Reading, read_file
from convoy_core.words.kept import Kept
from convoy_core.words.model import Kind, Pickup, Reach, Side, Verdict, misfit
from convoy_core.words.versions import parse_version

from .making import BASE, build, lock, locked, placed

TILLERWAY = read_profile((Path(__file__).parents[2] / "demo/games/tillerway.toml").read_text())
TOLLS = "config/tolls/rates.toml"


def claiming(mod: str, kind: Kind = Kind.SETTINGS, **claims: Any) -> LockedBuild:
    return replace(locked(mod), kind=kind, claims=Claims(**claims))


def subject(*layers: tuple[LockedBuild, dict[str, str]], read: bool = True, **more: Any) -> Subject:
    """Builds with path to content; every build is a chosen line, and every readable file is read unless told."""
    rows = [(one, [placed(path, text, one.mod) for path, text in files.items()]) for one, files in layers]
    given: dict[str, Any] = {
        "profile": TILLERWAY,
        "base": BASE,
        "layers": rows,
        "terms": Terms(TILLERWAY.settings, TILLERWAY.worlds, tuple(more.pop("tweaks", ()))),
        "lines": {one.mod: DraftLine(one.name) for one, _ in layers if one.mod != OVERLAY},
        "cores": {one.mod: build(one.mod, one.version) for one, _ in layers},
    }
    made = Subject(**{**given, **more})
    readings = {
        file.sha256: read_file(file.path, text.encode())
        for (_, files), (_, found) in zip(layers, rows, strict=True)
        for file, text in zip(found, files.values(), strict=True)
        if made.is_readable(file.path) or file.member == "schema.json"
    }
    return replace(made, readings=readings) if read else made


def before(*builds: LockedBuild) -> Any:
    return lay_down([(one, ()) for one in builds], BASE, ["mods"])


FAIR = {TOLLS: "[tolls]\nnight = 2\nmarket = 6\n"}
NIGHT = {TOLLS: "[tolls]\nnight = 8\n"}
MIXED = {TOLLS: "# other bytes, same keys\n[tolls]\nnight = 2\nmarket = 6\n"}
fair, night = claiming("fair"), claiming("night")
PATCH = claiming("board", partners=("fair", "night"))
OLD = build("bell", games="<2.1")
CAPSTAN = build("books", loaders={"capstan": "*"})
WORKS = Verdict(BASE.version, "bosun", works=True, by="Maren", on="2026-06-03")
LAMP = "mods/a/settings.toml"
tweak = Tweak(LAMP, ("strength",), 8, How.ENFORCED)
SMALL = Follower("Corvin", Machine(memory=4096))
bound = replace(locked("a"), reach=Reach.SAVE)

describing = replace(locked("a"), claims=Claims(schema="schema.json"))
SCHEMA = "mods/a/schema.json"
UP_TO_9 = {LAMP: "strength = 5\n", SCHEMA: '{"properties": {"strength": {"maximum": 9}}}'}
UP_TO_7 = {**UP_TO_9, SCHEMA: '{"properties": {"strength": {"type": "integer", "maximum": 7}}}'}
RIGHT = subject((locked("a"), {LAMP: "strength = 5\n"}), tweaks=[tweak])

FENWICK = Playing("p1", "The Fenwick run", Rule.NOT_THE_WORLD, lock((bound, {})))
STEADY = Under("c1", "Steady Hands", "1.0")

TRIED = Tried(True, "A ran aground.", ("a", "b"), {"a": "failed", "c": "loaded"}, "2026-11-27")

CASES: list[tuple[str, Subject, Subject]] = [
    (
        "unsettled",
        subject(unsettled={"a": NoBuild("A", "A needs B 2.", (Way("It would go without B.", ()),))}),
        subject((locked("a"), {})),
    ),
    (
        "collection",
        subject((locked("a"), {}), under=[replace(STEADY, misfit="made for game version 1.9, not 2.1")]),
        subject((locked("a"), {}), under=[replace(STEADY, newer="1.1")]),
    ),
    (
        "collection",
        subject((locked("a"), {}), under=[replace(STEADY, withdrawn="It crashed.", newer="1.1")]),
        subject((locked("a"), {})),
    ),
    (
        "wrong-loader",
        subject(unsettled={"books": NoBuild("Books", "made for capstan", nearest=CAPSTAN, counterparts={"a": "A"})}),
        subject(unsettled={"bell": NoBuild("Bell", "made for 2.0", nearest=OLD)}),
    ),
    (
        "wrong-version",
        subject(unsettled={"bell": NoBuild("Bell", "made for 2.0", nearest=OLD)}),
        subject(unsettled={"bell": NoBuild("Bell", "a clash", nearest=replace(OLD, verdicts=(WORKS,)))}),
    ),
    (
        "refused-archive",
        subject(unsettled={"a": NoBuild("A", "", refused="It climbs.")}),
        subject(unsettled={"a": NoBuild("A", "clash")}),
    ),
    (
        "one-file",
        subject((locked("a"), {"mods/a/X.txt": "1"}), (locked("b"), {"mods/a/x.txt": "2"})),
        subject((locked("a"), {"mods/a/x.txt": "1"}), (locked("b"), {"mods/a/x.txt": "2"})),
    ),
    (
        "sides",
        subject((locked("a", needs=("b",)), {}), (locked("b", side=Side.PLAYER), {})),
        subject((locked("a", needs=("b",), side=Side.PLAYER), {}), (locked("b", side=Side.PLAYER), {})),
    ),
    (
        "rebuilds",
        subject((claiming("a", rebuilds=("economy",)), {}), (claiming("b", touches=("economy.tolls",)), {})),
        subject((claiming("a", rebuilds=("economy",)), {}), (claiming("b", touches=("economics",)), {})),
    ),
    (
        "rebuilds",
        subject((claiming("a", rebuilds=("economy",)), {}), (claiming("b", rebuilds=("economy",)), {})),
        subject(
            (claiming("a", rebuilds=("economy",)), {}),
            (claiming("b", rebuilds=("economy",)), {}),
            (claiming("c", partners=("a", "b")), {}),
        ),
    ),
    (
        "aside-marker",
        subject((locked("a"), {"mods/a/waybill.toml": "x"}), set_aside=("**/waybill.toml",)),
        subject((locked("a"), {"mods/a/waybill.toml": "x"}), set_aside=("mods/b/**",)),
    ),
    (
        "aside-idle",
        subject((locked("a"), {"mods/a/x": "x"}), set_aside=("mods/a/x", "mods/a/*")),
        subject((locked("a"), {"mods/a/x": "x"}), set_aside=("mods/a/*",)),
    ),
    ("overlap", subject((fair, FAIR), (night, NIGHT)), subject((fair, FAIR), (night, FAIR))),
    ("overlap", subject((fair, FAIR), (night, NIGHT)), subject((fair, FAIR), (night, MIXED))),
    ("overlap", subject((fair, FAIR), (night, NIGHT)), subject((fair, FAIR), (night, NIGHT), winners={TOLLS: "fair"})),
    ("overlap", subject((fair, FAIR), (night, NIGHT)), subject((fair, FAIR), (night, NIGHT), (PATCH, {}))),
    (
        "overlap",
        subject((fair, {"config/a.map": "1"}), (night, {"config/a.map": "2"})),
        subject((fair, {"config/a.map": "1"}), (replace(locked(OVERLAY), kind=Kind.SETTINGS), {"config/a.map": "2"})),
    ),
    ("partners", subject((PATCH, {}), (fair, {})), subject((PATCH, {}), (fair, {}), (night, {}))),
    (
        "twice",
        subject((locked("a"), {}), (replace(locked("b"), archive=locked("a").archive), {})),
        subject((locked("a"), {}), (locked("b"), {})),
    ),
    (
        "twice",
        subject((locked("a"), {}), (locked("b"), {}), cores={"a": build("a"), "b": build("b", provides={"a": "1"})}),
        subject((locked("a"), {}), (locked("b"), {}), cores={"a": build("a"), "b": build("b", provides={"c": "1"})}),
    ),
    (
        "unreviewed",
        subject((replace(locked("a"), reach=Reach.OWN), {TOLLS: "night = 1"}), (locked("b"), {TOLLS: "night = 2"}),
                unreviewed={"a": Unreviewed("Pim", {"reach": "crew"})}),
        subject((replace(locked("a"), reach=Reach.OWN), {})),
    ),
    ("gone", subject((locked("a"), {}), gone={"a"}), subject((locked("a"), {}), gone={"b"})),
    (
        "other-archive",
        subject((locked("a"), {}), before=before(replace(locked("a"), archive=locked("b").archive))),
        subject((locked("a"), {}), before=before(replace(locked("a", "2.0")))),
    ),
    ("saved-worlds", subject(before=before(bound)), subject(before=before(locked("a")))),
    (
        "saved-worlds",
        subject((replace(bound, version="2.0"), {}), before=before(bound)),
        subject((bound, {}), before=before(bound)),
    ),
    ("tweak", subject((locked("a"), {}), tweaks=[tweak]), RIGHT),
    (
        "tweak",
        subject((locked("a"), {LAMP: 'strength = "5"\n'}), tweaks=[tweak]),
        subject((locked("a"), {LAMP: "strength = 5.5\n"}), tweaks=[tweak]),
    ),
    ("tweak", subject((locked("a"), {LAMP: "other = 5\n"}), tweaks=[tweak]), RIGHT),
    ("tweak", subject((describing, UP_TO_7), tweaks=[tweak]), subject((describing, UP_TO_9), tweaks=[tweak])),
    (
        "schema",
        subject((describing, {**UP_TO_9, SCHEMA: "{"}), tweaks=[tweak]),
        subject((describing, UP_TO_9), tweaks=[tweak]),
    ),
    (
        "machine",
        subject(followers=[SMALL], needed=Needed(minimum=4096, recommended=5120)),
        subject(followers=[SMALL], needed=Needed(minimum=1024, recommended=2048)),
    ),
    (
        "playthrough",
        subject(playing=[FENWICK], drafted=lock((replace(bound, version="2.0"), {}))),
        subject(playing=[FENWICK], drafted=lock((bound, {}), (locked("b"), {}))),
    ),
    ("lacks", subject(followers=[replace(SMALL, lacks=("a is missing",))]), subject(followers=[SMALL])),
    (
        "held-back",
        subject(
            (locked("a"), {}), (locked("b"), {}), lines={"a": DraftLine("A", held="1.0"), "b": DraftLine("B")},
            newest={"b": build("b", "2.0", needs={"a": ">=2"})},
        ),
        subject(
            (locked("a"), {}), (locked("b"), {}), lines={"a": DraftLine("A", held="1.0"), "b": DraftLine("B")},
            newest={"b": build("b", "2.0", needs={"c": ">=2"})},
        ),
    ),
    (
        "off-but-needed",
        subject((locked("a"), {}), (locked("b", needs=("a",)), {}), lines={"a": DraftLine("A", on=False)}),
        subject((locked("b"), {}), lines={"a": DraftLine("A", on=False)}),
    ),
    (
        "idle-library",
        subject((locked("a"), {}), lines={"a": DraftLine("A", is_library=True)}),
        subject((locked("a"), {}), (locked("b", needs=("a",)), {}), lines={"a": DraftLine("A", is_library=True)}),
    ),
    (
        "idle-winner",
        subject((fair, FAIR), winners={"config/none": "fair"}),
        subject((fair, FAIR), winners={"config/tolls": "fair"}),
    ),
    (
        "own-over",
        subject((fair, FAIR), (locked(OVERLAY), NIGHT)),
        subject((fair, FAIR), (locked(OVERLAY), {"config/other.toml": "a = 1\n"})),
    ),
    (
        "astray",
        subject((locked("a"), {"notes/a.txt": "1"})),
        subject((locked("a"), {"config/a.txt": "1", "mods/a/b": "2"})),
    ),
    ("nested", subject((locked("a"), {"mods/a/in.zip": "1"})), subject((locked("a"), {"mods/a/zip.txt": "1"}))),
    ("licences", subject((replace(locked("a"), licence=""), {})), subject((locked("a"), {}))),
    (
        "licence",
        subject((replace(locked("a", pickup=Pickup.OURS), licence=""), {})),
        subject((replace(locked("a"), licence=""), {})),
    ),
    ("unread", subject((fair, FAIR), (night, NIGHT), read=False), subject((fair, FAIR), (night, NIGHT))),
    ("unreadable", subject((fair, FAIR), (night, {TOLLS: "[tolls"})), subject((fair, FAIR), (night, NIGHT))),
    (
        "failed-trial",
        subject((locked("a"), {}), lines={"a": DraftLine("A")}, tried=replace(TRIED, came_up=False)),
        subject((locked("a"), {}), lines={"a": DraftLine("A")}, tried=TRIED),
    ),
    ("errand", subject((locked("a", pickup=Pickup.BY_HAND), {})), subject((locked("a"), {}))),
]  # fmt: skip


def test_a_line_of_a_collection_says_whose_it_is() -> None:
    lines = {"a": DraftLine("A", collection="c1")}
    clash = {"a": NoBuild("A", "A needs B 2.")}
    (found,) = run_checks(subject(lines=lines, unsettled=clash, under=[STEADY]))
    assert "A, a line of Steady Hands, has no build" in found.what
    assert [way.edits[0]["do"] for way in found.ways] == ["switch", "drop collection"]


@pytest.mark.parametrize(("check", "finds", "finds_not"), CASES, ids=[f"{at} {one[0]}" for at, one in enumerate(CASES)])
def test_what_a_check_finds_and_what_not(check: str, finds: Subject, finds_not: Subject) -> None:
    found = [one for one in run_checks(finds) if one.check == check]
    assert found and all(one.what and one.why and one.about for one in found)
    assert [one for one in run_checks(finds_not) if one.check == check] == []


def test_every_check_of_the_table_has_a_case_and_ids_are_each_ones_own() -> None:
    modules = {one.__module__ for one in ALL}
    reached = {
        one.__module__
        for one in ALL
        for _, finds, _ in CASES
        if {finding.check for finding in one(finds)} & {check for check, _, _ in CASES}
    }
    assert modules == reached
    for _, finds, _ in CASES:
        ids = [one.id for one in run_checks(finds)]
        assert len(set(ids)) == len(ids)


def _overlap(one: Subject) -> Finding:
    return next(finding for finding in run_checks(one) if finding.check == "overlap")


def test_an_overlap_says_values_on_both_sides_and_what_is_lost() -> None:
    found = _overlap(subject((fair, FAIR), (night, NIGHT)))
    assert found.severity is Severity.WARNING and found.pair == ("fair", "night")
    assert found.evidence == (f"{TOLLS}: tolls.night is 8, Fair has 2", f"{TOLLS}: tolls.market of Fair is lost")
    assert found.what == "Night lies over Fair: 1 value overruled, 1 key lost."


def test_an_overlap_offers_the_patch_first_and_the_part_that_would_do() -> None:
    kit = claiming("kit", parts=(Part("tolls", "Tolls", ("tolls",)), Part("all", "All", ("tolls", "lamps"))))
    more = {**NIGHT, "config/lamps/a.toml": "a = 1\n"}
    offered = [Patch("board", "Toll Board", ("fair", "kit"))]
    found = _overlap(subject((fair, FAIR), (kit, more), patches=offered))
    assert [found.ways[0].text, found.ways[0].is_choice] == ["Add Toll Board", False]
    (leaving,) = [way for way in found.ways if "part" in way.text]
    assert leaving.edits[0]["named"] == {"all": True, "tolls": False}
    assert all(way.is_choice for way in found.ways[1:])


def test_what_is_left_out_already_stays_left_out_when_a_part_goes() -> None:
    parts = (Part("tolls", "Tolls", ("tolls",)), Part("songs", "Songs", ("songs",)))
    kit = replace(claiming("kit", parts=parts), laid=Parts((), ("songs/**", "old/**")))
    found = _overlap(subject((fair, FAIR), (kit, NIGHT)))
    (edit,) = next(way for way in found.ways if "part" in way.text).edits
    assert (edit["named"], edit["leave_out"]) == ({"songs": False, "tolls": False}, ["old/**"])


def test_the_mark_changes_with_the_evidence_and_the_id_does_not() -> None:
    one = _overlap(subject((fair, FAIR), (night, NIGHT)))
    other = _overlap(subject((fair, FAIR), (night, {TOLLS: "[tolls]\nnight = 9\n"})))
    assert one.id == other.id and one.mark != other.mark


def test_many_paths_are_named_by_their_folder() -> None:
    paths = [f"config/yard/wagon-{number:03}.part" for number in range(MOST_PLACES + 1)]
    assert places_for(paths) == ["config/yard"]
    assert places_for(paths[:2]) == paths[:2]


def test_a_file_that_is_not_read_counts_as_a_whole() -> None:
    unread = subject((fair, FAIR), (night, NIGHT), read=False)
    assert _overlap(unread).what == "Night lies over Fair: 1 file replaced."
    assert replace(unread, readings={}).compared(unread.laid.meetings[0]) is None
    assert Reading(trouble="x").keys == {}


def test_a_verdict_goes_before_versions_and_makes_no_build_of_another_loader() -> None:
    not_here = replace(WORKS, works=False, note="crashes at dusk")
    assert misfit(replace(OLD, verdicts=(WORKS,)), BASE) == ""
    assert misfit(replace(CAPSTAN, verdicts=(WORKS,)), BASE)
    assert "crashes at dusk" in misfit(replace(build("a"), verdicts=(not_here,)), BASE)
    assert misfit(replace(OLD, verdicts=(replace(WORKS, game=parse_version("2.0")),)), BASE)


@given(st.data())
def test_what_another_order_turns_round_is_what_laying_it_down_so_shows(data: st.DataObject) -> None:
    paths, mods = ["mods/x/1", "mods/x/2", "mods/y/3"], ["a", "b", "c", "d"]
    carried = {mod: data.draw(st.dictionaries(st.sampled_from(paths), st.sampled_from("12"))) for mod in mods}
    winners = data.draw(st.dictionaries(st.sampled_from(["mods/x", "mods/y/3"]), st.sampled_from(mods), max_size=1))
    set_aside = data.draw(st.sampled_from([(), ("mods/x/2",)]))
    one, other = sorted(data.draw(st.lists(st.sampled_from(mods), min_size=2, max_size=2, unique=True)))
    order = [mod for mod in mods if mod != other]
    order.insert(order.index(one), other)
    now, then = (
        subject(*((locked(mod), carried[mod]) for mod in each), winners=winners, set_aside=set_aside)
        for each in (mods, order)
    )
    moved = {
        path: mod
        for path, mod in then.laid.holder.items()
        if now.hashes[now.laid.holder[path]][path] != then.hashes[mod][path]
    }
    assert turned_by(now, one, other) == moved


TEXTS = tuple(f"[tolls]\nnight = {night}\n{more}" for night in ("1", "true", "2") for more in ("", "market = 6\n"))
READ = {placed(TOLLS, text, "").sha256: read_file(TOLLS, text.encode()) for text in TEXTS}
CARRIED = tuple({TOLLS: text, **more} for text in TEXTS for more in ({}, {"mods/x/1": text}, {"mods/X/1": text}))
FILES = {
    (mod, at): FileSet(placed(path, text, mod) for path, text in carried.items())
    for mod in "abc"
    for at, carried in enumerate(CARRIED)
}


SAID = ("name", "part", "line", "patch", "winner", "theirs", "aside", "few")


@given(st.data())
def test_what_is_kept_from_check_to_check_changes_nothing(data: st.DataObject) -> None:
    """One thing of a draft is another one at each step; files and readings are the very ones, as a site keeps them."""
    kept, whole, state = Kept(), Kept(), {"order": "abc", "a": 0, "b": 1, "c": 2}
    for _ in range(5):
        what = data.draw(st.sampled_from(["order", "a", "b", "c", *SAID]))
        at = data.draw(st.permutations("abc").map("".join) if what == "order" else st.integers(0, len(CARRIED) - 1))
        state |= {what: at}
        said = {key: state.get(key, 0) for key in SAID}
        part = Part("tolls", "Tolls", (TOLLS,) if said["part"] % 2 else ("mods/**",))
        one = replace(
            subject((fair, FAIR)),
            layers=[
                (
                    replace(
                        locked(mod),
                        name=f"{mod} {said['name'] % 2}",
                        kind=Kind.SETTINGS,
                        claims=Claims(parts=(part,) if said["part"] % 3 else ()),
                    ),
                    FILES[mod, state[mod]],
                )
                for mod in state["order"][said["few"] % 2 :]
            ],
            lines={mod: DraftLine(mod, collection="x" if mod == "c" else "") for mod in "abc"[said["line"] % 3 :]},
            under=[Under("x", f"Yard {said['theirs']}", "1.0.0")],
            patches=[Patch("p", "P", ("a", "b", "c")[said["patch"] % 3 :])],
            winners={TOLLS: "a"} if said["winner"] % 2 else {},
            set_aside=("mods/x/**",) if said["aside"] % 2 else (),
            cores={},
            readings=READ,
        )
        assert run_checks(replace(one, kept=kept, kept_whole=whole)) == run_checks(one)


def test_what_a_claim_is_held_against_is_what_the_archive_holds() -> None:
    mine = replace(locked("a"), reach=Reach.OWN)
    waits = {"a": Unreviewed("Pim", {"reach": "save", "side": "both"}, "Wren", "it changes the tolls")}
    other = (locked("b"), {TOLLS: "night = 2"})
    mods = subject((mine, {TOLLS: "night = 1", "mods/a/data/x.json": "{}"}), other, unreviewed=waits)
    (found,) = unreviewed.check(mods)
    assert found.severity is Severity.BLOCKER and "Wren said no: it changes the tolls" in found.why
    assert found.evidence == (
        "Its own marker says reach “save”, not “own”.",
        f"It brings another {TOLLS} than B, which must be the same for everyone.",
        "It lays down 1 data file, mods/a/data/x.json among them: the game reads those for all.",
    )
    # Where it says no more than is so, nothing speaks against it.
    plain = subject((locked("a"), {"mods/a/x": "x"}), (locked("b"), {}), unreviewed={"a": Unreviewed("Pim")})
    assert [one.evidence for one in unreviewed.check(plain)] == [()]
