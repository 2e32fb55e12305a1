"""`convoy narrow`: a person's own command says what fails; it is run as they wrote it."""

import json
import subprocess
import sys
from pathlib import Path

import pytest


def narrowed(*words: str) -> "subprocess.CompletedProcess[str]":
    return subprocess.run([sys.executable, "-m", "convoy_agent", "narrow", *words], capture_output=True, text=True)


COMMAND = f"""{sys.executable} -c "import sys; mods = sys.stdin.read().split(); sys.exit({{}})" """


@pytest.mark.parametrize(
    ("ends", "code", "told"),
    [
        ("int({'m3', 'm17'} <= set(mods))", 0, {"culprits": ["m3", "m17"], "without_it_works": True, "sure": 1.0}),
        ("0", 1, {"culprits": [], "without_it_works": None, "sure": 1.0, "tries": 1}),
        ("1", 0, {"culprits": [], "without_it_works": False, "sure": 1.0, "tries": 2}),
        ("2 if len(mods) % 5 == 2 else int('m3' in mods)", 0, {"culprits": ["m3"], "without_it_works": True}),
        ("9", 2, {}),
    ],
)
def test_the_answer_is_json_and_the_exit_says_whether_anything_fails(
    tmp_path: Path, ends: str, code: int, told: dict[str, object]
) -> None:
    problem = tmp_path / "mods.json"
    problem.write_text(json.dumps({"mods": [f"m{at}" for at in range(20)], "needs": {"m17": ["m2"]}}))
    done = narrowed(str(problem), "--try", COMMAND.format(ends))
    assert done.returncode == code, done.stderr
    assert told.items() <= (json.loads(done.stdout) if done.stdout else {}).items()


@pytest.mark.parametrize("text", ["[", '{"mods": ["a", "a"]}', '{"mods": ["a"], "needs": {"a": ["b"]}}', "{}"])
def test_what_is_no_list_of_mods_is_refused(tmp_path: Path, text: str) -> None:
    (tmp_path / "mods.json").write_text(text)
    assert narrowed(str(tmp_path / "mods.json"), "--try", "true").returncode == 2
    assert narrowed(str(tmp_path / "mods.json"), "--try", "true", "--flaky", "0").returncode == 2
