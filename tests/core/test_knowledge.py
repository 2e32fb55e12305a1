"""What is known of a setting: from its schema, else its comments, else its value; and who says so."""

import json

import orjson
import pytest

from convoy_core.settings.changes import SettingsWhat, settings_changes
from convoy_core.settings.knowledge import Known, SaidBy, SettingKind, known_of, says
from convoy_core.settings.limits import Limit, limits_of, notes_of
from convoy_core.settings.readings import as_text, from_text, read_file, reported
from convoy_core.words.errors import MalformedInput

FOG = {
    "fog.toml": """# Settings of Fog Patch

# How thick it gets.
# Range: 0.0 to 1.0
# Default: 0.35
density = 0.5 # unit: share

[night]
# One of: off, low, high
lamps = "low"
lone = true
""",
    "fog.ini": "; Fog Patch\n\n; How thick it gets.\n; Range: 0.0 to 1.0\n; Default: 0.35\ndensity = 0.5\n\n"
    "[night]\n; One of: off, low, high\nlamps = low\nlone = true\n",
    "fog.yaml": "# Fog Patch\n\n# How thick it gets.\n# Range: 0.0 to 1.0\n# Default: 0.35\n"
    "density: 0.5 # unit: share\n\n"
    "night:\n  # One of: off, low, high\n  lamps: low\n  lone: true\n",
    "fog.json": "{\n  /* How thick it gets.\n   * Range: 0.0 to 1.0\n   * Default: 0.35 */\n"
    '  "density": 0.5, // unit: share\n'
    '  "night": {\n    // One of: off, low, high\n    "lamps": "low",\n    "lone": true\n  }\n}\n',
    "fog.xml": "<fog>\n  <!-- How thick it gets.\n       Range: 0.0 to 1.0\n       Default: 0.35 -->\n"
    "  <density>0.5</density>\n"
    "  <night>\n    <!-- One of: off, low, high -->\n"
    "    <lamps>low</lamps>\n    <lone>true</lone>\n  </night>\n</fog>\n",
}


@pytest.mark.parametrize("path", FOG)
def test_comments_above_and_behind_say_what_a_setting_is(path: str) -> None:
    read = read_file(path, FOG[path].encode())
    assert from_text(as_text(read)) == read and reported(json.loads(as_text(read))) == read
    is_text = path.endswith((".ini", ".xml"))
    known = known_of(read.keys, read.comments, {}, {}, is_text=is_text)
    density, lamps, lone = known[("density",)], known[("night", "lamps")], known[("night", "lone")]
    assert (density.kind, density.by, density.description) == (SettingKind.NUMBER, SaidBy.COMMENT, "How thick it gets.")
    assert (density.limit.lowest, density.limit.highest, density.default) == (0.0, 1.0, "0.35")
    assert density.unit == ("" if is_text else "share")
    assert lamps.kind is SettingKind.CHOICE and lamps.limit.allowed == ("off", "low", "high")
    assert lone == Known(SettingKind.SWITCH), "nothing is said of it"


def test_a_schema_goes_before_comments() -> None:
    schema = {
        "properties": {
            "density": {"title": "Thickness", "type": "number", "maximum": 0.8, "default": 0.2, "unit": "of 1"},
            "night": {"properties": {"tint": {"type": "string", "format": "color"}}},
        }
    }
    keys = read_file("s.json", json.dumps(schema).encode()).keys
    read = read_file("fog.toml", FOG["fog.toml"].encode())
    known = known_of({**read.keys, ("night", "tint"): "red"}, read.comments, limits_of(keys), notes_of(keys))
    thick = known[("density",)]
    assert (thick.title, thick.default, thick.unit, thick.by) == ("Thickness", "0.2", "of 1", SaidBy.SCHEMA)
    assert thick.limit == Limit(("number",), highest=0.8) and thick.description == "How thick it gets."
    assert known[("night", "tint")].kind is SettingKind.COLOUR


SAID = [
    (("[default: {default}]",), "Wagons at most. [default: 5]", 7, {"default": "5", "description": "Wagons at most."}),
    (("{title} -- {description}",), "Wagons -- how many", 7, {"title": "Wagons", "description": "how many"}),
    (("({lowest}..{highest})",), "Speed (-1.5..2)", 1.0, {"limit": Limit(lowest=-1.5, highest=2.0)}),
    (("Werte: {allowed}",), "Werte: 1, 2 | 3", 2, {"limit": Limit(allowed=(1, 2, 3)), "description": ""}),
    (("Default: {default}",), 'Default: "a, b"; more', "x", {"default": "a, b", "description": "more"}),
    ((), "Min: 1, Max: 20", 3, {"limit": Limit(lowest=1.0, highest=20.0)}),
    ((), "The default range of fog", 3, {"default": "", "description": "The default range of fog"}),
]  # fmt: skip


@pytest.mark.parametrize(("patterns", "line", "value", "wanted"), SAID)
def test_patterns_are_the_games_own(patterns: tuple[str, ...], line: str, value: object, wanted: dict) -> None:
    read = read_file("a.toml", f"# {line}\na = {value!r}\n".encode())
    known = known_of(read.keys, read.comments, {}, {}, patterns)[("a",)]
    assert {name: getattr(known, name) for name in wanted} == wanted


def test_bounds_and_numbers_that_nothing_holds_are_none_and_do_no_harm() -> None:
    schema = {("properties", "a", "minimum"): 10**400, ("properties", "a", "maximum"): 1e999, ("type",): "object"}
    assert limits_of(schema) == {}
    read = read_file("a.toml", b"# Range: -1e999 to 9\na = 1e999\nb = 18446744073709551616\nc = nan\nd = 1e30\n")
    assert known_of(read.keys, read.comments, {}, {})[("a",)].limit == Limit(highest=9.0)
    kept = from_text(as_text(read))
    assert [repr(one) for one in kept.keys.values()] == ["inf", "18446744073709551616", "nan", "1e+30"]
    orjson.loads(as_text(read))
    for name, text in [
        ("a.toml", "a = 0x" + "f" * 6000),
        ("a.json", '{"a":' * 50 + "1" + "}" * 50),
        ("a.json", f'{{"{"n" * 301}": 1}}'),
    ]:
        assert read_file(name, text.encode()).trouble, name
    for odd in ("x", ["int", "9" * 4000], ["int", "x"], ["str", "x"], ["float", 1], [["int"], "1"]):
        with pytest.raises(MalformedInput):
            reported([[["a"], {"": odd}]])


KINDS = [
    ("colour", "#a0c0ff", SettingKind.COLOUR), ("horn_key", "H", SettingKind.BINDING),
    ("jumpKey", "space", SettingKind.BINDING), ("monkey", "H", SettingKind.TEXT), ("n", 4, SettingKind.WHOLE),
    ("n", 4.0, SettingKind.NUMBER), ("on", True, SettingKind.SWITCH),
    ("l", [1], SettingKind.LIST),
]  # fmt: skip


@pytest.mark.parametrize(("name", "value", "kind"), KINDS)
def test_where_nobody_says_anything_the_value_tells_the_kind(name: str, value: object, kind: SettingKind) -> None:
    assert known_of({(name,): value}, {}, {}, {})[(name,)] == Known(kind)


OLD = "[a]\n# How far others see it. Range: 1 to 4\nseen_from = 3\nplain = 1\nstays = 1\nother = 1\n"
NEW = (
    "[a]\n# How far others see it in fog. Range: 1 to 4\nreach = 4\n"
    "stays = 2\nother = 1\n# Quite another\nplainer = 1\n"
)


def test_what_a_newer_build_has_otherwise_is_told_renamed_keys_as_such() -> None:
    told = settings_changes(*(read_file("a.toml", text.encode()) for text in (OLD, NEW)))
    assert [(one.what, one.key[-1], one.now[-1:], one.before, one.after) for one in told] == [
        (SettingsWhat.RENAMED, "seen_from", ("reach",), 3, 4),
        (SettingsWhat.GONE, "plain", (), 1, None),
        (SettingsWhat.DEFAULT, "stays", (), 1, 2),
        (SettingsWhat.NEW, "plainer", (), None, 1),
    ]
    moved = [read_file("a.json", text) for text in (b'{"a": {"k": 1}}', b'{"b": {"k": 1}}')]
    assert [one.what for one in settings_changes(*moved)] == [SettingsWhat.RENAMED]
    assert settings_changes(moved[0], moved[0]) == []


@pytest.mark.parametrize(
    ("value", "words", "is_so"),
    [(0.5, "0.50", True), (1, "1.0", True), (True, "True", True), ("#fff", '"#FFF"', True), ("", '""', True),
     (0.5, "0.51", False), (True, "1", False), ("on", "off", False), ("1", "9" * 400, False)],
)  # fmt: skip
def test_a_value_is_a_default_in_whatever_way_that_is_written(value: object, words: str, is_so: bool) -> None:
    assert says(value, words) is is_so
