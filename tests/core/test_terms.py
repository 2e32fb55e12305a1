"""Which paths are settings and worlds; what tweaks make of a file; what a change of them is called in a change log."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from convoy_core.lock.change_log import terms_changes
from convoy_core.lock.rendering import broken, render, rendering
from convoy_core.lock.terms import HandStep, How, Terms, Tweak
from convoy_core.settings.formats import TEXT_ONLY, UnreadableSettings, format_of, open_settings, typed
from convoy_core.settings.formats.base import same
from convoy_core.sync.errands import minutes, what_to_do
from convoy_core.words.model import Pickup

from .making import locked
from .test_merge import FILES, SAID

GAME = Terms(("mods/*/settings.*", "config/**", "game.ini"), ("worlds", "saves/local"))


@pytest.mark.parametrize(
    ("path", "is_settings"),
    [
        ("mods/ledger/settings.toml", True),
        ("mods/ledger/Settings.JSON", True),
        ("mods/ledger/deep/settings.toml", False),
        ("mods/ledger/settings.dat", False),
        ("mods/settings.toml", False),
        ("config/a/b/c.yaml", True),
        ("config/readme", False),
        ("game.ini", True),
        ("xgame.ini", False),
        ("game.ini/x.toml", False),
    ],
)
def test_settings_lie_where_the_game_says_and_in_a_format_that_is_known(path: str, is_settings: bool) -> None:
    assert GAME.is_settings(path) == is_settings
    assert not Terms().is_settings(path)


def test_worlds_are_whole_folders() -> None:
    assert GAME.is_world("worlds/a/b.dat") and GAME.is_world("saves/local/x")
    assert not GAME.is_world("worlds2/a") and not GAME.is_world("worlds") and not GAME.is_world("saves/x")


KEYS = {path: next(iter(said)) for path, said in SAID.items()}


@pytest.mark.parametrize("path", FILES)
@given(text=st.text(alphabet="abcXYZ 0123456789-_", min_size=1, max_size=12).map(str.strip).filter(bool))
def test_what_is_tweaked_says_so_and_nothing_else_moves(path: str, text: str) -> None:
    tweaks = [Tweak(path, KEYS[path], text, How.ENFORCED), Tweak(path, ("advised",), "x", How.ADVICE)]
    before = open_settings(path, FILES[path]).values
    rendered = render(path, FILES[path], tweaks)
    after = open_settings(path, rendered).values
    assert after == {**before, KEYS[path]: text}
    assert broken(path, rendered, tweaks[:1]) == ()
    assert render(path, rendered, tweaks) == rendered
    off = broken(path, FILES[path], tweaks[:1])
    assert off == (() if same(before[KEYS[path]], text) else ((KEYS[path], before[KEYS[path]]),))


@pytest.mark.parametrize("path", FILES)
@pytest.mark.parametrize("value", [3, 0.5, True, False])
def test_numbers_and_truths_can_be_enforced_in_every_format(path: str, value: object) -> None:
    """Formats of text alone hold them in words; what was set is then as it must be, and nobody differs for ever."""
    tweak = Tweak(path, KEYS[path], value, How.ENFORCED)
    rendered = render(path, FILES[path], [tweak])
    assert broken(path, rendered, [tweak]) == ()
    assert broken(path, FILES[path], [tweak]) or (path, value) == ("a.toml", True)
    there = open_settings(path, rendered).values[KEYS[path]]
    assert there == (str(value).lower() if format_of(path) in TEXT_ONLY else value)


def test_a_typed_value_is_what_the_format_can_hold() -> None:
    assert [typed("a.toml", one) for one in ("3", "true", "[1, 2]", "amber", "null", '{"a": 1}', "1.50")] == [
        3, True, [1, 2], "amber", "null", '{"a": 1}', 1.5,
    ]  # fmt: skip
    assert [typed("a.ini", one) for one in ("3", "1.50", "[1]")] == ["3", "1.50", "[1]"]


def test_a_rendering_is_named_by_what_sets_and_by_nothing_else() -> None:
    path, sha256 = "config/a.toml", "0" * 64
    sets = Tweak(path, ("a",), 1, How.START)
    advice = Tweak(path, ("b",), 1, How.ADVICE)
    elsewhere = Tweak("config/b.toml", ("a",), 1, How.START)
    plain = rendering(path, sha256, Terms(tweaks=(advice, elsewhere)))
    assert plain == sha256
    named = {
        rendering(path, sha256, Terms(tweaks=(sets,))),
        rendering(path, sha256, Terms(tweaks=(Tweak(path, ("a",), 2, How.START),))),
        rendering(path, sha256, Terms(tweaks=(Tweak(path, ("a",), 1, How.ENFORCED),))),
        rendering(path, "1" * 64, Terms(tweaks=(sets,))),
        plain,
    }
    assert len(named) == 5


def test_what_cannot_be_tweaked_is_refused_and_never_half_done() -> None:
    for data, key in ((b"not [toml", ("a",)), (b"a = 1\n", ("a", "b")), (b"\xff", ("a",))):
        with pytest.raises(UnreadableSettings):
            render("config/a.toml", data, [Tweak("config/a.toml", key, 1, How.START)])


def test_changed_terms_are_in_the_change_log() -> None:
    path = "config/a.toml"
    before = Terms(tweaks=(Tweak(path, ("a",), 1, How.START), Tweak(path, ("gone",), 1, How.START)))
    after = Terms(tweaks=(Tweak(path, ("a",), 1, How.ENFORCED),), steps=(HandStep("s", "Run the patcher."),))
    assert [(row["name"], row["before"], row["after"]) for row in terms_changes(before, after)] == [
        ("config/a.toml: a", "1 (starting value)", "1 (enforced)"),
        ("config/a.toml: gone", "1 (starting value)", ""),
        ("step: Run the patcher.", "", "to do"),
    ]
    assert terms_changes(after, after) == ()


def test_errands_say_what_to_do_by_pickup_and_how_long_they_take() -> None:
    click, by_hand, withheld = (locked("a", pickup=one) for one in (Pickup.CLICK, Pickup.BY_HAND, Pickup.WITHHELD))
    assert "confirm the download of a-1.0.zip" in what_to_do(click)
    assert "choose A 1.0" in what_to_do(by_hand) and "gives nothing to programs" in what_to_do(withheld)
    assert minutes([click, by_hand, withheld]) == 7
