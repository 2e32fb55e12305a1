"""What docs/rules.md lists is what the code has, and what the code cites is there."""

import importlib
import re
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[2]
RULES = (ROOT / "docs/rules.md").read_text()
TABLES = re.findall(r"<!-- (convoy[\w.]+) -->\n\|[^\n]*\n\|[-|]*\n((?:\|[^\n]*\n)+)", RULES)
HEADINGS = set(re.findall(r"^## (.+)$", RULES, re.MULTILINE))


@pytest.mark.parametrize(("name", "rows"), TABLES, ids=[name.split(".")[-1] for name, _ in TABLES])
def test_a_list_of_words_is_the_codes(name: str, rows: str) -> None:
    module, _, enum = name.rpartition(".")
    words = [word.value for word in getattr(importlib.import_module(module), enum)]
    assert [row.split("|")[1].strip() for row in rows.splitlines()] == words


def test_the_tables_about_matching_and_lines_say_what_the_code_does() -> None:
    from convoy_core.draft.lines import state_of
    from convoy_core.words.model import Reach

    told = dict(re.findall(r"^\| (own|crew|save) \| (yes|no) \|", RULES, re.MULTILINE))
    assert told == {reach.value: "yes" if reach.must_match else "no" for reach in Reach}
    for state, on, build in re.findall(r"^\| (\w+) \| (yes|no) \| (yes|no)[^|]*\|$", RULES, re.MULTILINE):
        if state not in told:
            assert state_of(on == "yes", build == "yes") == state


def test_every_citation_leads_to_a_heading() -> None:
    for file in (ROOT / "src").rglob("*.py"):
        for cited in re.findall(r'docs/rules\.md, "([^"]+)"', file.read_text()):
            assert " ".join(cited.split()) in HEADINGS, f"{file.name} cites “{cited}”"
