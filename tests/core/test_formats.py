"""Settings files are changed at the place of the value: all else stays to the byte, or nothing is written.

The cases are what collections of public files taught; random files and random damage look for more.
"""

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from convoy_core.settings.formats import Key, UnreadableSettings, open_settings

GONE = object()
"""Stands for a key that is taken away."""

CHANGES: list[tuple[str, str, str, dict[Key, object], str]] = [
    ("the comment of the next key stays", "a.yaml", "a: 1\n# about b\nb: 2\n", {("a",): GONE}, "# about b\nb: 2\n"),
    (
        "and the banner of the next section",
        "a.yaml", "one:\n  a: 1\n  b: 2\n\n# --- two ---\ntwo:\n  c: 3\n",
        {("one", "b"): GONE}, "one:\n  a: 1\n\n# --- two ---\ntwo:\n  c: 3\n",
    ),
    ("a file of comments keeps them", "a.yaml", "# nothing\n# yet", {("a",): 1}, "# nothing\n# yet\na: 1\n"),
    ("line ends as they are", "a.yaml", "# x\r\na: 1 # y\r\n", {("b",): 2}, "# x\r\na: 1 # y\r\nb: 2\r\n"),
    ("what others take for a truth is quoted", "a.yaml", "a: 'x'\nb: x\n", {("b",): "yes"}, "a: 'x'\nb: 'yes'\n"),
    ("unless it is one there already", "a.yaml", "a: yes\n", {("a",): "no"}, "a: no\n"),
    ("a null, dashes and indents stay", "a.yaml", "---\na: ~\nb:\n    - 1\n    - 2\nc: 1\n", {("c",): 2},
     "---\na: ~\nb:\n    - 1\n    - 2\nc: 2\n"),
    ("comments in a list of one line", "a.yaml", "a: [1, # one\n  2]\nb: 1\n",
     {("b",): 2}, "a: [1, # one\n  2]\nb: 2\n"),
    ("a longer list is longer", "a.yaml", "a:\n- x # the first\n", {("a",): ["x", "z"]}, "a:\n- x # the first\n- z\n"),
    ("an emptied mapping is empty, not nothing", "a.yaml", "a: # head\n  b: 1\nc: 1\n",
     {("a", "b"): GONE}, "a: {} # head\nc: 1\n"),
    ("a key that is nothing becomes a mapping", "a.yaml", "a:\nb: 1\n", {("a", "x"): 1}, "a:\n  x: 1\nb: 1\n"),
    ("text over several lines", "a.yaml", "a: |\n  one\n  two\n\n# next\nb: 1\n",
     {("a",): "it: is"}, "a: 'it: is'\n\n# next\nb: 1\n"),
    ("an anchor keeps its name", "a.yaml", "a: &x 1\nb: 2\n", {("a",): 3}, "a: &x 3\nb: 2\n"),
    ("unrelated text under a wrong declaration", "a.xml",
     '<?xml version="1.0" encoding="ISO-8859-1"?>\n<a><b>é</b><c>1</c></a>', {("c",): "2"},
     '<?xml version="1.0" encoding="ISO-8859-1"?>\n<a><b>é</b><c>2</c></a>'),
    ("a value beside a comment", "a.xml", "<a><b><!-- of 9 --> 5</b></a>",
     {("b",): "6"}, "<a><b><!-- of 9 --> 6</b></a>"),
    ("tags as they are written", "a.xml", "<a\n   x='1'\n   y=\"2\" ><b /><c/></a>", {("@x",): "it's"},
     "<a\n   x='it&apos;s'\n   y=\"2\" ><b /><c/></a>"),
    ("a document type is read over", "a.xml", "<!DOCTYPE a>\n<a><b>1</b></a>\n",
     {("b",): "<2>"}, "<!DOCTYPE a>\n<a><b>&lt;2&gt;</b></a>\n"),
    ("text that is kept apart stays apart", "a.xml", "<a><b><![CDATA[x<y]]></b></a>",
     {("b",): "y<x"}, "<a><b><![CDATA[y<x]]></b></a>"),
    ("an element goes with its line", "a.xml", "<a>\n  <b>1</b>\n  <!-- c -->\n  <c>2</c>\n</a>\n", {("b",): GONE},
     "<a>\n  <!-- c -->\n  <c>2</c>\n</a>\n"),
    ("lines that end in CR", "a.ini", "[a]\rx = 1\ry = 2\r", {("a", "y"): "3"}, "[a]\rx = 1\ry = 3\r"),
    ("a byte order mark is no part of a key", "a.ini", "\ufeffx = 1\n", {("x",): "2"}, "\ufeffx = 2\n"),
    ("a colon in a key", "a.ini", "[ores]\niron:rich = 5\nurl: a?b=c\n",
     {("ores", "iron:rich"): "6"}, "[ores]\niron:rich = 6\nurl: a?b=c\n"),
    ("a new key comes before what is said of the next section", "a.ini", "[a]\nx=1\n\n; about b\n[b]\ny=2\n",
     {("a", "z"): "3"}, "[a]\nx=1\nz=3\n\n; about b\n[b]\ny=2\n"),
    ("so in TOML", "a.toml", "[a]\nx = 1\n\n# about b\n[b]\ny = 2\n",
     {("a", "z"): 3}, "[a]\nx = 1\nz = 3\n\n# about b\n[b]\ny = 2\n"),
    ("a mark and mixed line ends", "a.toml", "\ufeffa = 1\r\nb = 2\n", {("b",): 3}, "\ufeffa = 1\r\nb = 3\n"),
    ("dotted keys", "a.toml", "a.b = 1 # one\na.c = 2\n",
     {("a", "b"): 3, ("a", "d"): 4}, "a.b = 3 # one\na.c = 2\na.d = 4\n"),
    ("tables in several places", "a.toml", "[a.b]\nx = 1\n[c]\ny = 2\n[a]\nz = 3\n",
     {("a", "z"): 4}, "[a.b]\nx = 1\n[c]\ny = 2\n[a]\nz = 4\n"),
    ("tables in one line", "a.toml", "a = { x = 1, y = 2 }\n",
     {("a", "x"): GONE, ("a", "z"): 3}, "a = { y = 2, z = 3 }\n"),
    ("quotes that keep backslashes", "a.toml", "p = 'C:\\a'\n", {("p",): "D:\\b"}, "p = 'D:\\b'\n"),
    ("a comment in an empty object", "a.json", '{\n  "a": {\n    // later\n  }\n}', {("a", "b"): 1},
     '{\n  "a": {\n    // later\n    "b": 1\n  }\n}'),
    ("commas, as the file has them", "a.json", '{"a": 1, "b": 2,}', {("b",): GONE, ("c",): 3}, '{"a": 1, "c": 3,}'),
    ("letters beyond the first plane", "a.properties", "a=\\ud83d\\ude00\nb=1\n", {("b",): "\U0001f600é"},
     "a=\\ud83d\\ude00\nb=\\ud83d\\ude00\\u00e9\n"),
    ("of two the last counts", "a.properties", "a=1\na=2\n", {("a",): "3"}, "a=1\na=3\n"),
]  # fmt: skip


@pytest.mark.parametrize(
    ("path", "before", "change", "after"), [one[1:] for one in CHANGES], ids=[one[0] for one in CHANGES]
)
def test_a_change_is_where_it_belongs(path: str, before: str, change: dict[Key, object], after: str) -> None:
    sets = {key: value for key, value in change.items() if value is not GONE}
    gone = [key for key, value in change.items() if value is GONE]
    assert open_settings(path, before.encode()).changed(sets, gone).decode() == after


REFUSED: list[tuple[str, str, dict[Key, object]]] = [
    ("a.yaml", "a: &x\n  k: 1\nb: *x\n", {("b", "k"): 2}),
    ("a.yaml", "a: &x 1\nb: *x\n", {("a",): 2}),
    ("a.yaml", "a: !mine 1\n", {("a",): 2}),
    ("a.yaml", "a: 1\n", {("a",): "\ud800"}),
    ("a.xml", "<a><b>1<!-- x -->2</b></a>", {("b",): "3"}),
    ("a.xml", "<a><b>1</b></a>", {("1b",): "3"}),
    ("a.xml", "<a><b>1</b></a>", {("b",): "\x00"}),
    ("a.xml", "<a/>", {("x:b",): "1"}),
    ("a.toml", "[[a]]\nx = 1\n", {("a",): [1]}),
    ("a.toml", "a = 1\n", {("a", "b"): 1}),
    ("a.ini", "a = 1\n", {("",): "1"}),
    ("a.ini", "a = 1\n", {(): "1"}),
    ("a.ini", "a = 1\n", {("b=c",): "1"}),
    ("a.json", '{"a": 1}', {("a", "b"): 1}),
    ("a.xml", "<a><b> </b></a>", {("b", "@c"): "1"}),
]


@pytest.mark.parametrize(("path", "data", "sets"), REFUSED)
def test_what_cannot_be_said_at_its_place_is_refused(path: str, data: str, sets: dict[Key, object]) -> None:
    with pytest.raises(UnreadableSettings):
        open_settings(path, data.encode()).changed(sets)


ENDLESS = [
    ("a.yaml", "a: &a [*a]\n"),
    ("a.yaml", "a0: &a0 [x, x]\n" + "".join(f"a{n + 1}: &a{n + 1} [*a{n}, *a{n}]\n" for n in range(25))),
    ("a.yaml", "a: " + "[" * 5000), ("a.xml", "<a>" * 5000), ("a.json", '{"a": ' + "[" * 100_000),
    ("a.toml", f"a = 0x{'f' * 6000}\n"), ("a.yaml", f"a: [0x{'f' * 6000}]\n"), ("a.json", f'{{"a": {"9" * 400}}}'),
    ("a.xml", '<!DOCTYPE a [<!ENTITY b "x">]><a>&b;</a>'), ("a.xml", '<!DOCTYPE a SYSTEM "x"><a>&b;</a>'),
]  # fmt: skip


@pytest.mark.parametrize(("path", "data"), ENDLESS)
def test_files_that_stand_for_more_than_they_hold_are_not_read(path: str, data: str) -> None:
    with pytest.raises(UnreadableSettings):
        open_settings(path, data.encode())


def test_what_nothing_touches_is_no_obstacle() -> None:
    for path, data in [
        ("a.json", '{"n": NaN, "s": "\\ud800", "a": 1}'), ("a.yaml", "n: .nan\nt: !x y\nl: &l [1]\nm: *l\na: 1\n"),
        ("a.yaml", f"x: &{'q' * 507} 1\na: 1\n"),
        ("a.ini", f"b = x{' ' * 20_000}y\na = 1\n"),
        ("a.toml", "n = nan\na = 1\n"),
    ]:  # fmt: skip
        value = "2" if path == "a.ini" else 2
        assert open_settings(path, data.encode()).changed({("a",): value}).decode() == data.replace(
            "a = 1", "a = 2"
        ).replace("a: 1", "a: 2").replace('"a": 1', '"a": 2')


def test_what_is_endless_is_written_in_json_as_a_number() -> None:
    assert open_settings("a.json", b'{"a": 1}').changed({("a",): float("-inf")}) == b'{"a": -1e999}'


def test_a_list_that_is_written_anew_says_which_comments_it_costs() -> None:
    document = open_settings("a.yaml", b"# of all\na:\n- 1 # one\n- 2\nb: 1 # b\n")
    assert document.changed_at_cost({("a",): [3]}) == (b"# of all\na:\n- 3\nb: 1 # b\n", 1)
    assert document.changed_at_cost({("b",): 2, ("c",): 1})[1] == 0


# Random files, as people write them: comments above and behind, blank lines, any line end.
words = st.text("abcxyz", min_size=1, max_size=4)
said = st.text("ab #;:=[]{}<>'\"\\é,-", max_size=12).map(str.strip)
COMMENTED = {
    "a.ini": ("[{0}]{n}", "; {2}{n}{0} = {1}{n}", "; ", "{n}"),
    "a.toml": ("", "# {2}{n}{0} = '{1}' # {2}{n}", "# ", "{n}"),
    "a.yaml": ("", "# {2}{n}{0}: '{1}' # {2}{n}", "# ", "{n}"),
    "a.properties": ("", "! {2}{n}{0}={1}{n}", "! ", "{n}"),
    "a.json": ("{{{n}", '  // {2}{n}  "{0}": "{1}", // {2}{n}', "// ", "}}{n}"),
    "a.xml": ("<top>{n}", "  <!-- {2} -->{n}  <{0}>{1}</{0}>{n}", "<!-- ", "</top>{n}"),
}
PLAIN = str.maketrans("", "", "#;:=[]{}<>'\"\\,-é ")


@pytest.mark.parametrize("path", COMMENTED)
def test_only_the_value_changes_and_every_comment_stays(path: str) -> None:
    head, line, _, foot = COMMENTED[path]

    @given(
        st.dictionaries(words, st.tuples(words, said), min_size=1, max_size=6),
        st.data(),
        st.sampled_from(["\n", "\r\n"]),
    )
    def law(keys: dict[str, tuple[str, str]], data: st.DataObject, newline: str) -> None:
        lines = [line.format(name, value, note.replace("--", ""), n=newline) for name, (value, note) in keys.items()]
        text = "".join([head.format("s", n=newline), *lines, foot.format(n=newline)])
        document = open_settings(path, text.encode())
        names = list(document.values)
        key = data.draw(st.sampled_from(names))
        value = data.draw(said.map(lambda one: one.translate(PLAIN) if path == "a.ini" else one))
        start, end = document.parsed.places[key]
        try:
            new = document.changed({key: value}).decode()
        except UnreadableSettings:
            assume(False)
        again = open_settings(path, new.encode())
        assert again.values == {**document.values, key: value}
        assert new.startswith(text[: start - 1]) and new.endswith(text[end + 1 :])
        gone = document.changed({}, [key]).decode()
        notes = [text[slice(*span)] for span in document.parsed.comments]
        behind = [
            note
            for note, (place, _) in zip(notes, document.parsed.comments, strict=True)
            if not text[end:place].strip("\"', \t") and place >= end
        ]
        left = [gone[slice(*span)] for span in open_settings(path, gone.encode()).parsed.comments]
        assert left == [note for note in notes if note not in behind] or len(left) == len(notes) - len(behind)

    law()


DAMAGE = st.sampled_from(
    [
        "",
        '"',
        "'",
        "#",
        "{",
        "]",
        "\\",
        "\r",
        "\n",
        "<!--",
        "&a ",
        "*a",
        ": ",
        "\ufeff",
        "\x00",
        "|\n",
        "- ",
        "!x ",
        "]]>",
        "=",
        "<![CDATA[",
    ]
)


@given(
    st.sampled_from([(path, before) for _, path, before, _, _ in CHANGES]),
    st.lists(st.tuples(st.integers(0, 80), st.integers(0, 9), DAMAGE), max_size=3),
    said,
)
def test_damage_is_refused_or_read_and_nothing_else_happens(
    case: tuple[str, str], damage: list[tuple[int, int, str]], value: str
) -> None:
    path, text = case
    for at, length, new in damage:
        text = text[:at] + new + text[at + length :]
    try:
        document = open_settings(path, text.encode())
    except UnreadableSettings:
        return
    for key in list(document.values)[:3]:
        for sets, gone in [({key: value}, ()), ({(*key[:-1], "new"): value}, ()), ({}, [key])]:
            try:
                data = document.changed(sets, gone)
            except UnreadableSettings:
                continue
            assert dict(open_settings(path, data).values).keys() == ({*document.values} - {*gone}) | {*sets}
