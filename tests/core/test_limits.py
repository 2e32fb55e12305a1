"""What a JSON Schema says of settings, beside what an independent validator says of the same values."""

import json
from typing import Any

import jsonschema_rs
import pytest
from hypothesis import given
from hypothesis import strategies as st

from convoy_core.settings.formats.base import flattened
from convoy_core.settings.limits import Limit, limits_of
from convoy_core.settings.readings import read_file

numbers = st.one_of(st.integers(-9, 9), st.sampled_from([0.5, 2.0, -1.5]))
values = st.one_of(numbers, st.booleans(), st.sampled_from(["a", "b", "3"]), st.just(["a"]))
kinds = st.sampled_from(["integer", "number", "string", "boolean", "array", ["integer", "string"]])
bounds = dict.fromkeys(("minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum"), numbers)
about = st.fixed_dictionaries(
    {}, optional={"type": kinds, "enum": st.lists(values, min_size=1, max_size=3), **bounds}
) | st.fixed_dictionaries({"const": values}, optional=bounds)


def limit_of(schema: dict[str, Any], *key: str) -> Limit:
    return limits_of(flattened(schema)).get(key, Limit())


@given(about, values)
def test_a_value_is_wrong_where_a_validator_says_so(one: dict[str, Any], value: Any) -> None:
    schema = {"$defs": {"it": one}, "properties": {"lamps": {"properties": {"glow": {"$ref": "#/$defs/it"}}}}}
    is_right = jsonschema_rs.Draft202012Validator(schema).is_valid({"lamps": {"glow": value}})
    assert (limit_of(schema, "lamps", "glow").wrong(value) == "") is is_right


def test_what_text_stands_for_is_judged_in_formats_of_text() -> None:
    schema = {"properties": {"a": {"type": "integer", "maximum": 5}, "b": {"type": "boolean"}, "c": {"enum": ["3"]}}}
    given_for = {"a": ["5", "6", "x"], "b": ["TRUE", "1"], "c": ["3"]}
    judged = [limit_of(schema, key).wrong(text, is_text=True) for key, texts in given_for.items() for text in texts]
    assert judged == [
        "", "it must be at most 5", "it must be a whole number", "", "it must be true or false", "",
    ]  # fmt: skip


TWICE_OVER = {f"d{at}": {"allOf": [{"$ref": f"#/$defs/d{at + 1}"}] * 2} for at in range(60)}


@pytest.mark.parametrize(
    "schema",
    [
        {"$ref": "#"},
        {"properties": {"a": {"$ref": "#/properties/b"}, "b": {"$ref": "#/properties/a"}}},
        {"allOf": [{"$ref": "#"}, {"$ref": "#"}], "properties": {"a": {"$ref": "#"}}},
        {"$defs": TWICE_OVER, "$ref": "#/$defs/d0"},
        {"$defs": {f"d{at}": {"$ref": f"#/$defs/d{at + 1}"} for at in range(5_000)}, "$ref": "#/$defs/d0"},
        {"$ref": "http://192.0.2.1/other.json"},
        {"$ref": "#/nowhere"},
        {"properties": {"a": {"minimum": "low", "enum": 3, "type": {"x": 1}, "maximum": True}}},
        {"properties": 5, "allOf": {"x": 1}},
    ],
)
def test_schemas_that_loop_lead_out_or_are_none_end_and_say_nothing(schema: dict[str, Any]) -> None:
    assert limits_of(flattened(schema)) == {}


def test_a_schema_is_read_as_any_file_is_and_bounded_by_that() -> None:
    read = read_file("schema.json", json.dumps({"properties": {"a": {"minimum": 1}}}).encode())
    assert limits_of(read.keys) == {("a",): Limit(lowest=1)}
    assert "larger than" in read_file("schema.json", b"{" + b" " * 10_000_000 + b"}").trouble
    nested = {"properties": {"a": {"properties": {"a": {"$ref": "#"}}, "minimum": 2}}}
    assert limits_of(flattened(nested))["a",] == Limit(lowest=2)
