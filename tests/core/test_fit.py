"""What a pack demands of a machine, and what a licence allows."""

import pytest

from convoy_core.machine.memory import MB, Needed, Weight, demand, lighter
from convoy_core.machine.verdict import Choice, Machine, judge
from convoy_core.words.licences import PassingOn, meaning
from convoy_core.words.model import Kind
from convoy_core.words.profile import Estimate, MemoryFigures

FIGURES = MemoryFigures(1536, {Kind.MOD: Estimate(14, 1.5), Kind.TEXTURES: Estimate(4, 4)})


def test_memory_is_the_games_own_and_every_builds_rounded_up() -> None:
    assert demand([], FIGURES).minimum == 1536
    builds = [Weight(Kind.MOD, 10 * MB, 7 * MB), Weight(Kind.TEXTURES, 50 * MB, 40 * MB), Weight(Kind.MOD, MB, MB, 600)]
    asked = demand(builds, FIGURES)
    # 1536 + (14 + 15) + (4 + 200) + 600 = 2369
    assert (asked.minimum, asked.recommended) == (2560, 3072)
    assert (asked.comfortable_machine, asked.smallest_machine) == (9 * 1024, 5 * 1024)
    assert (asked.disk, asked.estimated) == (109 * MB, 2)


def test_a_pack_of_150_mods_wants_what_practitioners_say() -> None:
    asked = demand([Weight(Kind.MOD, 12 * MB, 6 * MB)] * 150, FIGURES)
    assert 6 * 1024 <= asked.minimum <= asked.recommended <= 8 * 1024


@pytest.mark.parametrize(
    ("licence", "passing_on", "says"),
    [
        ("MIT", PassingOn.ALLOWED, "notice stays"),
        ("GPL-3.0-or-later WITH Classpath-exception-2.0", PassingOn.ALLOWED, "same licence"),
        ("CC-BY-NC-SA-4.0", PassingOn.ALLOWED, "not for money"),
        ("MIT AND LicenseRef-Art", PassingOn.FORBIDDEN, "does not let"),
        ("LicenseRef-Art OR MIT", PassingOn.ALLOWED, "notice stays"),
        ("LicenseRef-No-Passing-On", PassingOn.FORBIDDEN, "from its page"),
        ("", PassingOn.UNKNOWN, "No licence is named"),
        ("Beerware <b>", PassingOn.UNKNOWN, "“Beerware <b>”"),
    ],
)
def test_what_a_licence_allows(licence: str, passing_on: PassingOn, says: str) -> None:
    assert meaning(licence).passing_on is passing_on
    assert says in meaning(licence).sentence


@pytest.mark.parametrize(
    ("memory", "figure", "says"),
    [
        (8 * 1024, 4096, "half of this machine's 8 GB is 4 GB"),
        (16 * 1024, 5376, "Memory is tight: 6 GB is recommended, 5.33 GB"),
        (32 * 1024, 6 * 1024, ""),
        (0, 6 * 1024, ""),
    ],
)
def test_a_machine_is_judged_by_its_half_and_its_third(memory: int, figure: int, says: str) -> None:
    """The figure to set: the recommended one where a third of the machine gives it, never more than half."""
    found = judge(Needed(5 * 1024, 6 * 1024), Machine(memory))
    assert found.figure == figure
    told = [*(one.what for one in found.obstacles), *found.remarks]
    assert says in told[0] if says else told == []
    assert bool(found.obstacles) == (memory == 8 * 1024)


@pytest.mark.parametrize(
    ("memory", "choices", "leave_out"),
    [
        (8 * 1024, {}, ()),
        (8 * 1024, {"Water": 500, "Brick": 300, "Panels": 8}, ("Water", "Brick")),
        (8 * 1024, {"Water": 800, "Brick": 700}, ("Water",)),
        (8 * 1024, {"Water": 100, "Brick": 100}, ()),
        (16 * 1024, {"Water": 500}, ()),
    ],
)
def test_the_fewest_optional_mods_that_make_it_run_are_named(
    memory: int, choices: dict[str, int], leave_out: tuple[str, ...]
) -> None:
    needed = Needed(4864, 6144)
    taken = [Choice(name, mb) for name, mb in choices.items()]
    assert judge(needed, Machine(memory), choices=taken).leave_out == leave_out
    if leave_out:
        spared = sum(choices[name] for name in leave_out)
        assert judge(lighter(needed, spared), Machine(memory)).obstacles == ()


def test_what_is_tight_says_which_choice_would_ease_it() -> None:
    [told] = judge(
        Needed(5 * 1024, 6 * 1024), Machine(16 * 1024), choices=[Choice("Brick", 60), Choice("Water", 400)]
    ).remarks
    assert told.endswith("Water takes 400 MB, and may be left out")
    assert lighter(Needed(1000, 1250), 5000) == Needed(0, 0)


def test_disk_and_runtime_are_judged_only_where_they_are_known() -> None:
    needed = Needed(0, 0, 0, "21")
    short = judge(needed, Machine(0, 5 * 2**20, ("17",)), still_to_place=9 * 2**20)
    assert [(one.what.split(";")[0], one.to_do) for one in short.obstacles] == [
        ("It needs 10 MB more on the disk, and 5 are free", "Make room for 5 MB on its disk."),
        ("It wants runtime 21", "Install runtime 21 beside it."),
    ]
    assert judge(needed, Machine(), still_to_place=9 * 2**20).obstacles == ()
    assert judge(needed, Machine(0, 0, ("17", "21"))).obstacles == ()
