"""What is wrong with a field of a request, in words for whoever filled it in."""

from collections.abc import Mapping
from typing import Any

SAID = {
    "missing": "is missing",
    "string_too_short": "is empty",
    "string_too_long": "has more than {max_length} characters",
    "string_pattern_mismatch": "is not written as it has to be",
    "string_type": "must be text",
    "int_type": "must be a whole number",
    "int_parsing": "must be a whole number",
    "bool_type": "must be yes or no",
    "bool_parsing": "must be yes or no",
    "greater_than_equal": "must be {ge} or more",
    "greater_than": "must be more than {gt}",
    "less_than_equal": "must be {le} at the most",
    "less_than": "must be below {lt}",
    "too_short": "needs {min_length} at the least",
    "too_long": "has more than {max_length} entries",
    "uuid_parsing": "leads nowhere",
    "enum": "must be {expected}",
    "literal_error": "must be {expected}",
    "union_tag_invalid": "is no edit that is known here",
    "union_tag_not_found": "is no edit that is known here",
    "datetime_from_date_parsing": "must be a date and a time",
    "datetime_parsing": "must be a date and a time",
    "date_from_datetime_parsing": "must be a date",
    "date_parsing": "must be a date",
    "value_error": "{error}",
}
"""By the kind of error, as pydantic names it."""

WRITTEN = {
    "number": "must be a number like 1.2 or 1.2.0-rc.1",
    "page": "must begin with http:// or https://",
    "sha256": "is no SHA-256",
    "emblem": "is no emblem",
}
"""Of fields with a form of their own, what that is."""


def in_words(error: Mapping[str, Any]) -> str:
    """One validation error as a phrase that follows its field's name."""
    kind = error["type"]
    field = str(error["loc"][-1]) if error["loc"] else ""
    if kind == "string_pattern_mismatch" and field in WRITTEN:
        return WRITTEN[field]
    said = SAID.get(kind)
    return said.format_map({"error": "", **error.get("ctx", {})}) if said else "cannot be read"
