"""Settings files: what is not changed stays to the byte, and merging keeps what is the member's."""

import pytest
from hypothesis import event, given
from hypothesis import strategies as st

from convoy_core.settings.formats import UnreadableSettings, open_settings
from convoy_core.settings.formats.base import flattened
from convoy_core.settings.merge import Adjusted, adjust, merge

TOML = b'# Lamps\nenabled = true # on\n\n[bow]\nstrength = 5\ncolour = "amber"\n\n[[post]]\nat = 1\n'
INI = b"; railway\r\n[Engine]\r\nPower = 40\r\n; brakes\r\nBrake: soft\r\n\r\n[Sound]\r\nhorn=loud\r\n"
PROPERTIES = b"# keys\nhorn = H\nlong = one \\\n  two\npath=C\\:\\\\barges\n! end\n"
JSON = b'{\n  // lamps\n  "bow": {"strength": 5, "on": true},\n  "list": [1, 2,],\n  /* last */ "name": "Heron"\n}\n'
YAML = b"# lamps\nbow:\n  strength: 5   # watts\n  on: true\nnames:\n- a\n- b\n"
XML = (
    b'<?xml version="1.0"?>\n<!-- rail -->\n<line gauge="600">\n'
    b"  <wagon>A</wagon>\n  <wagon>B</wagon>\n  <speed>12</speed>\n</line>\n<!-- end -->\n"
)

FILES = {"a.toml": TOML, "a.ini": INI, "a.properties": PROPERTIES, "a.json": JSON, "a.yaml": YAML, "a.xml": XML}

SAID = {
    "a.toml": {("enabled",): True, ("bow", "strength"): 5, ("bow", "colour"): "amber", ("post",): [{"at": 1}]},
    "a.ini": {("Engine", "Power"): "40", ("Engine", "Brake"): "soft", ("Sound", "horn"): "loud"},
    "a.properties": {("horn",): "H", ("long",): "one two", ("path",): "C:\\barges"},
    "a.json": {("bow", "strength"): 5, ("bow", "on"): True, ("list",): [1, 2], ("name",): "Heron"},
    "a.yaml": {("bow", "strength"): 5, ("bow", "on"): True, ("names",): ["a", "b"]},
    "a.xml": {("@gauge",): "600", ("wagon[1]",): "A", ("wagon[2]",): "B", ("speed",): "12"},
}


@pytest.mark.parametrize("path", FILES)
def test_values_are_read_and_an_unchanged_file_is_the_same_to_the_byte(path: str) -> None:
    settings = open_settings(path, FILES[path])
    assert settings.values == SAID[path]
    assert settings.changed({}) == FILES[path]


CHANGED = [
    ("a.toml", ("bow", "strength"), 9, TOML.replace(b"= 5", b"= 9")),
    ("a.toml", ("enabled",), False, TOML.replace(b"= true #", b"= false #")),
    ("a.ini", ("Engine", "Brake"), "hard", INI.replace(b"soft", b"hard")),
    ("a.properties", ("horn",), "J", PROPERTIES.replace(b"= H", b"= J")),
    ("a.json", ("bow", "strength"), 9, JSON.replace(b"5", b"9")),
    ("a.json", ("list",), [3], JSON.replace(b"[1, 2,]", b"[3]")),
    ("a.yaml", ("bow", "on"), False, YAML.replace(b"true", b"false")),
    ("a.xml", ("speed",), "14", XML.replace(b"12", b"14")),
    ("a.xml", ("@gauge",), "750", XML.replace(b"600", b"750")),
]


@pytest.mark.parametrize(("path", "key", "value", "wanted"), CHANGED)
def test_one_changed_value_changes_nothing_else(path: str, key: tuple, value: object, wanted: bytes) -> None:
    assert open_settings(path, FILES[path]).changed({key: value}) == wanted


@pytest.mark.parametrize("path", FILES)
def test_added_keys_and_sections_are_read_back_and_go_without_a_trace(path: str) -> None:
    deep = () if path == "a.properties" else ("new",)
    data = open_settings(path, FILES[path]).changed({(*deep, "key"): "it"})
    again = open_settings(path, data)
    assert again.values == {**SAID[path], (*deep, "key"): "it"}
    if path == "a.ini":
        assert b"\r\n" in data and b"\n" not in data.replace(b"\r\n", b"")
    left = open_settings(path, again.changed({}, [(*deep, "key")])).values
    assert {key: value for key, value in left.items() if key != ("new",)} == SAID[path]


def test_a_removed_member_takes_its_line_and_its_comma() -> None:
    data = open_settings("a.json", b'{\n  "a": 1,\n  "b": 2\n}\n').changed({}, [("b",)])
    assert data == b'{\n  "a": 1\n}\n'
    data = open_settings("a.json", data).changed({("c",): 3})
    assert data == b'{\n  "a": 1,\n  "c": 3\n}\n'
    assert open_settings("a.json", data).changed({}, [("a",)]) == b'{\n  "c": 3\n}\n'


BROKEN = [
    ("a.toml", b"a = = 1"), ("a.toml", b"a = 1\na = 2"), ("a.toml", b"\xff\xfe"), ("a.ini", b"[a\nb"),
    ("a.ini", b"[a]\nb=1\n[a]\nb=2\n"), ("a.json", b'{"a": 1'), ("a.json", b'{"a": 1, "a": 2}'), ("a.json", b"[1]"),
    ("a.json", b'{"a":' * 5000), ("a.yaml", b"a: b: c"), ("a.yaml", b"- 1"),
    ("a.xml", b"<a><b></a>"), ("a.xml", b'<!DOCTYPE a [<!ENTITY x SYSTEM "file:///etc/hostname">]><a>&x;</a>'),
    ("a.xml", b""), ("a.txt", b"hello"), ("a.toml", b"#" * (5 * 2**20)),
]  # fmt: skip


@pytest.mark.parametrize(("path", "data"), BROKEN)
def test_what_cannot_be_parsed_is_refused_and_never_merged(path: str, data: bytes) -> None:
    with pytest.raises(UnreadableSettings):
        open_settings(path, data)
    good = FILES.get(path, b"")
    for three in ((data, good, good), (good, data, good), (good, good, data)):
        with pytest.raises(UnreadableSettings):
            merge(path, *three)


def test_key_by_key() -> None:
    before = b"[a]\nuntouched = 1\nmine = 1\nboth = 1\nforced = 1\ngoes = 1\nkept = 1\n"
    mine = b"# my notes\n[a]\nuntouched = 1\nmine = 7\nboth = 7\nforced = 7\ngoes = 1\nkept = 7\nown = 1\n"
    new = b"[a]\nuntouched = 2\nmine = 1\nboth = 2\nforced = 2\nfresh = 2\n"
    done = merge("a.toml", before, mine, new, {("a", "forced")})
    assert (
        done.data == b"# my notes\n[a]\nuntouched = 2\nmine = 7\nboth = 7\nforced = 2\nkept = 7\nown = 1\nfresh = 2\n"
    )
    assert done.changed == (("a", "untouched"), ("a", "fresh"), ("a", "goes"))
    assert [(one.key[-1], one.mine, one.new) for one in done.kept] == [("both", 7, 2), ("kept", 7, None)]
    assert [(one.key[-1], one.mine, one.new) for one in done.overruled] == [("forced", 7, 2)]


def test_spaces_that_only_some_take_for_blanks_are_letters() -> None:
    for path in ("a.properties", "a.ini"):
        text = "a\u00a0b = c\u2028d\x85e\n"
        assert open_settings(path, text.encode()).values == {("a\u00a0b",): "c\u2028d\x85e"}


def test_a_value_of_another_type_is_another_value() -> None:
    assert merge("a.toml", b"a = 1\n", b"a = true\n", b"a = 2\n").data == b"a = true\n"
    assert merge("a.toml", b"a = 1\n", b"a = 1\n", b"a = 1.0\n").data == b"a = 1.0\n"


names = st.text("abcdef", min_size=1, max_size=3)
words = st.text(
    st.characters(codec="utf-8", exclude_characters="\r\n\x00", exclude_categories=["Cs", "Cc"]), max_size=12
)
plain = st.one_of(st.integers(-(2**40), 2**40), st.booleans(), words, st.lists(st.integers(0, 9), max_size=3))
trees = st.dictionaries(
    names.map(str.upper), st.one_of(plain, st.dictionaries(names, plain, min_size=1, max_size=3)), max_size=5
)
ini_text = st.text("abc 12#=", min_size=1, max_size=6).map(str.strip).filter(lambda text: text[:1] not in ("", *"#;=:"))
xml_text = st.text(st.characters(codec="utf-8", exclude_categories=["Cs", "Cc", "Cn"]), max_size=8)
attributes = st.dictionaries(names.map("@{}".format), xml_text, max_size=2)
elements = st.dictionaries(
    names, st.one_of(xml_text, st.dictionaries(names, xml_text, min_size=1, max_size=3), attributes)
)
FORMATS = {
    "a.xml": (st.builds(lambda inside, own: {**inside, **own}, elements, attributes), b"<line>\n</line>\n"),
    "a.toml": (trees, b""),
    "a.json": (trees, b"{}"),
    "a.yaml": (trees, b"# nothing yet\n"),
    "a.ini": (st.dictionaries(names, st.dictionaries(names, ini_text, min_size=1, max_size=3), max_size=3), b""),
    "a.properties": (st.dictionaries(words.filter(bool), words, max_size=5), b""),
}  # fmt: skip


def written(path: str, tree: dict, start: bytes) -> bytes:
    return open_settings(path, start).changed(flattened(tree))


@pytest.mark.parametrize("path", FORMATS)
def test_laws_of_merging(path: str) -> None:
    trees_of, start = FORMATS[path]

    @given(trees_of, trees_of, trees_of)
    def laws(one: dict, two: dict, three: dict) -> None:
        before, mine, new = (written(path, tree, start) for tree in (one, two, three))
        assert merge(path, before, mine, before).data == mine, "nothing new: the member's file to the byte"
        wanted = open_settings(path, new).values
        try:
            as_new, done = merge(path, before, before, new), merge(path, before, mine, new)
            forced = open_settings(path, merge(path, before, mine, new, frozenset(wanted)).data).values
        except UnreadableSettings:
            event("laid beside")  # A value stands where the other has a table: told, and not written.
            return
        assert open_settings(path, as_new.data).values == wanted, "untouched: the release's values"
        got, own, was = (open_settings(path, data).values for data in (done.data, mine, before))
        for key, value in own.items():
            if key not in was or was[key] != value:
                assert got[key] == value, "what the member changed stays"
        again = merge(path, new, done.data, new)
        assert again.data == done.data and not again.changed, "a second time changes nothing"
        assert all(forced[key] == value for key, value in wanted.items()), "enforced wins"

    laws()


ADJUSTED = st.dictionaries(st.sampled_from([("fps",), ("sound",), ("new",)]), st.integers(0, 3))


@given(st.lists(st.tuples(ADJUSTED, ADJUSTED), max_size=5))
def test_what_a_pack_sets_in_the_games_own_file_goes_again_and_what_its_owner_sets_stays(
    steps: list[tuple[dict[tuple[str, ...], int], dict[tuple[str, ...], int]]],
) -> None:
    first = b"# by the game\nfps = 7 # a second\nsound = 8\nother = 9\n"
    data, known = first, ()
    mine: dict[tuple[str, ...], int] = {}
    for sets, own in steps:
        merged, known = adjust("a.toml", data, sets, known)
        values = open_settings("a.toml", merged.data).values
        assert {key: value for key, value in values.items() if key in mine} == mine
        # The member takes hold of keys that the pack set, with values of their own that no pack ever sets.
        mine |= {one.key: own[one.key] + 100 for one in known if one.key in own}
        data = open_settings("a.toml", merged.data).changed({key: mine[key] for key in own if key in mine})
    # Without the pack everything is the member's again; without a member's hand, to the byte.
    left, known = adjust("a.toml", data, {}, known)
    assert open_settings("a.toml", left.data).values == {**open_settings("a.toml", first).values, **mine}
    assert {one.key for one in known} == mine.keys() and (mine or left.data == first)


def test_an_enforced_key_of_the_games_own_file_wins_and_the_members_value_is_told() -> None:
    before = (Adjusted(("fps",), 30, (60,)),)
    merged, after = adjust("a.toml", b"fps = 99\n", {("fps",): 40}, before, enforced=[("fps",)])
    assert merged.data == b"fps = 40\n" and [one.mine for one in merged.overruled] == [99]
    assert after == (Adjusted(("fps",), 40, (60,)),)
    merged, after = adjust("a.toml", b"fps = 30\n", {("fps",): 40}, before, pinned=[("fps",)])
    assert merged.data == b"fps = 30\n" and [one.mine for one in merged.kept] == [30]
