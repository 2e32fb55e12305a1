"""Collections beside a pack: whatever they hold, the pack is as it was, and each mod that stays out is told."""

from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from convoy_core.lock.beside import Own, beside
from convoy_core.lock.lock import Lock, TakenUp
from convoy_core.lock.suits import Suits
from convoy_core.lock.terms import Check, HandStep, How, Terms, Tweak
from convoy_core.words.model import Reach, Side
from convoy_core.words.ranges import parse_range

from .making import lock, locked

MODS = "abcdef"
TERMS = Terms(settings=("mods/*/set.toml", "game.toml"), worlds=("worlds",))


def own(name: str, made: Lock, **told: object) -> Own:
    return Own(TakenUp(f"id-{name}", name, "1.0", "0" * 64), made, **told)


@st.composite
def locks(draw: st.DrawFn) -> Lock:
    # Within one lock nobody may spell one path in two ways; from lock to lock they do.
    spelled, rows = draw(st.sampled_from(("mods/shared/y", "mods/Shared/Y", "mods/shared"))), []
    for mod in draw(st.lists(st.sampled_from(MODS), unique=True, max_size=5)):
        build = locked(
            mod,
            draw(st.sampled_from(("1.0", "2.0"))),
            side=draw(st.sampled_from(Side)),
            reach=draw(st.sampled_from(Reach)),
            chosen=draw(st.booleans()),
            needs=tuple(draw(st.sets(st.sampled_from(MODS), max_size=2)) - {mod}),
        )
        paths = (spelled,) if draw(st.booleans()) else ()
        rows.append((build, dict.fromkeys((*paths, f"mods/{mod}/z"), f"{mod} {build.version}")))
    return lock(*rows, terms=TERMS)


@given(locks(), st.lists(locks(), max_size=3), st.sampled_from((Side.PLAYER, Side.SERVER)))
def test_the_pack_is_as_it_was_and_every_mod_is_there_or_told(pack: Lock, others: list[Lock], side: Side) -> None:
    share = pack.share(side)
    ones = [own(str(at), one) for at, one in enumerate(others)]
    made = beside(pack, share, side, ones)
    theirs = {file.path: file for file in made.lock.files if file.path not in made.paths}
    assert theirs == dict(share.by_path) and made.lock.fingerprint() == share.fingerprint()
    assert made.paths.isdisjoint(share.by_path)
    folded = [path.casefold() for path in made.paths]
    assert len(set(folded)) == len(folded) and set(folded).isdisjoint(path.casefold() for path in share.by_path)
    laid = {mod for mods in made.mods.values() for mod in mods}
    told = {(one.collection, one.mod) for one in made.left_out}
    for one in ones:
        for build in one.lock.share(side).builds:
            if build.mod in made.mods[one.taken.id]:
                assert not build.must_match and build.mod not in pack.by_mod
                here = laid | set(share.by_mod)
                known = (*pack.by_mod.values(), *one.lock.by_mod.values())
                elsewhere = {need.mod for need in known if not need.side.goes_to(side)}
                assert set(build.needs) <= here | elsewhere
            else:
                assert not build.chosen or (one.taken.id, build.mod) in told


def test_settings_steps_worlds_and_twins_stay_the_packs() -> None:
    mine, theirs = locked("a"), locked("b", reach=Reach.OWN)
    twin, world = locked("c", reach=Reach.OWN), locked("d", reach=Reach.OWN)
    set_by_pack = Tweak("game.toml", ("x",), 1, How.ENFORCED)
    pack = lock((mine, {"mods/a/set.toml": "a"}), terms=replace(TERMS, tweaks=(set_by_pack,)))
    tweaks = (
        Tweak("game.toml", ("x",), 2, How.ENFORCED),
        Tweak("game.toml", ("y",), 2, How.ENFORCED),
        Tweak("mods/a/set.toml", ("x",), 2, How.START),
        Tweak("mods/b/set.toml", ("x",), 2, How.ENFORCED),
    )
    excuse = HandStep("one", "Do it.", Check.CHANGED, "mods/a/set.toml")
    steps = (excuse, HandStep("two", "See.", Check.EXISTS, "mods/b/z"))
    other = lock(
        (theirs, {"mods/b/z": "b", "game.toml": "b"}),
        (twin, {"mods/A/Set.toml": "c"}),
        (world, {"worlds/home/d.dat": "d"}),
        terms=replace(TERMS, tweaks=tweaks, steps=steps),
    )
    made = beside(pack, pack, Side.PLAYER, [own("one", other)])
    assert made.paths == {"mods/b/z"}, "where the pack sets a key, nobody else lays the file"
    assert {one.name: one.because for one in made.left_out} == {
        "C": "mods/A/Set.toml would stand in the way of what lies there",
        "D": "it lies in saved worlds",
    }
    found = {(one.path, one.key): (one.value, one.how) for one in made.lock.terms.tweaks}
    assert found == {
        ("game.toml", ("x",)): (1, How.ENFORCED),
        ("game.toml", ("y",)): (2, How.START),
        ("mods/b/set.toml", ("x",)): (2, How.START),
    }
    assert [(one.check, one.path) for one in made.lock.terms.steps] == [(Check.NONE, ""), (Check.EXISTS, "mods/b/z")]


def test_one_that_suits_another_base_brings_nothing_and_hides_nobody_elses() -> None:
    pack = lock((locked("a"), {}), terms=TERMS)
    bell = locked("b", reach=Reach.OWN)
    early = lock((bell, {"mods/b/1": "1"}))
    late = lock((bell, {"mods/b/2": "2"}), terms=replace(TERMS, steps=(HandStep("s", "t"),)))
    old = own("late", late, suits=Suits(parse_range("<1")))
    made = beside(pack, pack, Side.PLAYER, [own("early", early), old])
    assert made.paths == {"mods/b/1"} and made.lock.terms.steps == ()
    assert [(one.collection, one.because[:6]) for one in made.left_out] == [("id-late", "it is ")]
    refused = own("early", early, refused={"b": "it clashes"})
    assert [one.because for one in beside(pack, pack, Side.PLAYER, [refused]).left_out] == ["it clashes"]
