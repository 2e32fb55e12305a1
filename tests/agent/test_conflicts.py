"""`convoy conflicts`: folders on a real disk, held against a comparison of the parsed files that knows no rule."""

import io
import json
import os
import random
import tomllib
from pathlib import Path
from typing import Any

import pytest

from convoy_agent.commands.conflicting import conflicts
from convoy_core.words.errors import MalformedInput


def asked(problem: Any, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]) -> dict[str, Any]:
    monkeypatch.setattr("sys.stdin", io.StringIO(problem if isinstance(problem, str) else json.dumps(problem)))
    conflicts()
    told: dict[str, Any] = json.loads(capsys.readouterr().out)
    return told


def flat(tree: dict[str, Any], above: tuple[str, ...] = ()) -> dict[tuple[str, ...], Any]:
    found: dict[tuple[str, ...], Any] = {}
    for name, value in tree.items():
        found |= flat(value, (*above, name)) if isinstance(value, dict) else {(*above, name): value}
    return found


@pytest.mark.parametrize("seed", range(12))
def test_against_brute_force(seed: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys) -> None:
    chance = random.Random(seed)
    mods = ["a", "b", "c"]
    for mod in mods:
        for path in ("data/one.toml", "two.toml", "data/deep/three.txt", "gone.old", "extras/x.toml"):
            if chance.random() < 0.7:
                rows = [f"k{chance.randint(0, 4)} = {chance.choice(['1', '1.0', 'true', 'text'])}" for _ in range(4)]
                rows = [row.replace("text", '"1"') for row in {row.split()[0]: row for row in rows}.values()]
                place = tmp_path / mod / path
                place.parent.mkdir(parents=True, exist_ok=True)
                place.write_text("\n".join([*rows[:2], "[t]", *rows[2:]]) + "\n")
        (tmp_path / mod).mkdir(exist_ok=True)
    winners = {chance.choice(["data", "two.toml", "data/one.toml"]): chance.choice(mods)}
    told = asked({
        "layers": [{"mod": mod, "folder": str(tmp_path / mod), "parts": {"leave_out": ["extras/**"]}} for mod in mods],
        "winners": winners, "set_aside": ["**/*.old"], "readable": ["**/*.toml"]}, monkeypatch, capsys)  # fmt: skip
    assert told["unread"] == []
    by_path = {one["path"]: one for one in told["paths"]}
    for path in ("data/one.toml", "two.toml", "data/deep/three.txt", "gone.old", "extras/x.toml"):
        carried = {mod: (tmp_path / mod / path).read_bytes() for mod in mods if (tmp_path / mod / path).exists()}
        if path in ("gone.old", "extras/x.toml") or len(set(carried.values())) < 2:
            assert path not in by_path
            continue
        one = by_path[path]
        ((place, wanted),) = winners.items()
        is_named = wanted in carried and (path == place or path.startswith(place + "/"))
        assert (one["by"], one["winner"]) == (list(carried), wanted if is_named else [*carried][-1])
        if not path.endswith(".toml"):
            assert one["readable"] is False
            continue
        trees = {mod: flat(tomllib.loads(data.decode())) for mod, data in carried.items()}
        keys = {tuple(row["key"]): row["values"] for row in one["keys"]}
        lost = {(tuple(row["key"]), row["from"]) for row in one["lost"]}
        for key in {key for tree in trees.values() for key in tree}:
            values = {mod: tree[key] for mod, tree in trees.items() if key in tree}
            differ = len({(type(value), value) for value in values.values()}) > 1
            assert (key in keys) == differ
            assert not differ or keys[key] == values
            is_lost = key not in trees[one["winner"]]
            assert all(((key, mod) in lost) == is_lost for mod in values)


def test_links_odd_files_and_what_cannot_be_read(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys) -> None:
    for mod, content in (("a", "{bad"), ("b", "{}"), ("c", "[1]")):
        (tmp_path / mod).mkdir()
        (tmp_path / mod / "odd.json").write_text(content)
        (tmp_path / mod / "large.json").write_text('{"' + mod + '": "' + "x" * (5 * 2**20) + '"}')
    outside = tmp_path / "secret.json"
    outside.write_text('{"secret": 1}')
    (tmp_path / "a" / "link.json").symlink_to(outside)
    (tmp_path / "b" / "link.json").write_text("{}")
    os.mkfifo(tmp_path / "c" / "link.json")
    layers = [{"mod": mod, "folder": str(tmp_path / mod)} for mod in "abc"]
    told = asked({"layers": layers, "readable": ["*.json"]}, monkeypatch, capsys)
    assert [(one["path"], one["readable"]) for one in told["paths"]] == [("large.json", False), ("odd.json", False)]
    assert {(one["path"], one["mod"]) for one in told["unread"]} == {
        *(("large.json", mod) for mod in "abc"), ("odd.json", "a"), ("odd.json", "c")}  # fmt: skip


@pytest.mark.parametrize("problem", ["", "[]", "{" * 5000, '{"layers": [{"mod": "a", "folder": "nowhere"}]}'])
def test_a_problem_that_is_none_is_one_sentence(problem: str, monkeypatch: pytest.MonkeyPatch, capsys) -> None:
    with pytest.raises(MalformedInput):
        asked(problem, monkeypatch, capsys)
