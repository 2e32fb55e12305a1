"""The core with its hot rooms compiled by mypyc: the same sources, the same answers, in a third of the time.

It lies in a folder of its own, which goes before src/ where the product runs. Where it cannot be made, the sources are
run as they are, as tests run them.
"""

import os
import shutil
import subprocess
import sysconfig
import tempfile
import zipfile
from pathlib import Path

from .install import NotBuilt, agent_file, hash_of, is_stamped, put_stamp
from .places import PYTHON, ROOT, VAR, VENV, say

FAST = VAR / "fast"
CORE = ROOT / "src" / "convoy_core"
HOT = {
    "words": ("kept", "model", "ranges", "versions"),
    "outside": ("fields", "relations"),
    "resolve": (
        "at_sight", "best", "clash", "counting", "eligible", "explain", "facts", "formula", "problem", "reasons",
        "smallest", "solver", "support", "ties", "ways_out", "wire",
    ),
    "draft": ("settling",),
    "conflicts": ("clashes", "laying"),
    "checks": ("one_file", "overlap", "twice"),
}  # fmt: skip
"""What profiles of a resolve, an edit and findings showed (docs/benchmarks.md, "What the time goes into")."""


SETUP = """from mypyc.build import mypycify
from setuptools import setup

setup(ext_modules=mypycify({files!r}, opt_level="3", debug_level="0"))
"""


def compiled_core() -> None:
    """Makes var/fast anew when the core changed. Says so, and goes on, where there is no compiler."""
    if _is_current():
        return
    shutil.rmtree(FAST, ignore_errors=True)
    header = Path(sysconfig.get_paths()["include"]) / "Python.h"
    if not (shutil.which("cc") or shutil.which("gcc")) or not header.exists():
        say("no compiler here: the search runs as plain Python, some three times slower")
        return
    say("compiling the core")
    with tempfile.TemporaryDirectory(dir=VAR) as place:
        try:
            wheel = compiled_wheel(Path(place))
        except NotBuilt as error:
            say(f"compiling failed, the search runs as plain Python: {str(error)[-400:]}")
            return
        made = Path(place) / "made"
        with zipfile.ZipFile(wheel) as packed:
            # The core, and what its compiled modules share, which stands at the top.
            ours = [one for one in packed.namelist() if one.startswith("convoy_core/") or "/" not in one]
            packed.extractall(made, ours)
        if not FAST.exists():
            # Another start may have made it meanwhile, of the same sources.
            made.rename(FAST)
    put_stamp("fast", _made_from())


def compiled_wheel(into: Path) -> Path:
    """The agent's wheel for this system and this Python, with its search compiled. Raises NotBuilt."""
    # The project's own configuration is for checking all of it, with plugins that ask for a site.
    files = [
        "--strict",
        "--config-file=",
        *(f"src/convoy_core/{room}/{name}.py" for room, names in HOT.items() for name in names),
    ]
    return agent_file(into, _compiler(), SETUP.format(files=files))


def wheels(into: Path) -> list[Path]:
    """One of plain Python for every system, and one for this: of the same version pip takes the nearer."""
    return [agent_file(into), compiled_wheel(into)]


def _compiler() -> Path:
    """A Python that has mypyc: that of the development's packages, or one in an environment of its own."""
    if (VENV / "bin" / "mypyc").exists():
        return PYTHON
    own, locked = VAR / "compiler", ROOT / "requirements" / "compile.txt"
    python = own / "bin" / "python"
    if not is_stamped("compiler", hash_of([locked])):
        shutil.rmtree(own, ignore_errors=True)
        subprocess.run([str(PYTHON), "-m", "venv", str(own)], check=True)
        pip = [str(python), "-m", "pip", "install", "-q", "--disable-pip-version-check"]
        subprocess.run([*pip, "--require-hashes", "-r", str(locked)], check=True)
        put_stamp("compiler", hash_of([locked]))
    return python


def _made_from() -> str:
    return hash_of([Path(__file__), ROOT / "requirements" / "compile.txt", *sorted(CORE.rglob("*.py"))])


def _is_current() -> bool:
    return FAST.exists() and is_stamped("fast", _made_from())


def fast(environment: dict[str, str]) -> dict[str, str]:
    """An environment in which the compiled core goes before the sources, where it is of these sources."""
    if not _is_current():
        return environment
    before = [environment["PYTHONPATH"]] if environment.get("PYTHONPATH") else []
    return {**environment, "PYTHONPATH": os.pathsep.join([str(FAST), *before])}
