"""The core with its search compiled by mypyc: the same sources, the same answers, in a third of the time.

It lies in a folder of its own, which goes before src/ where the product runs. Where it cannot be made, the sources are
run as they are, as tests run them.
"""

import os
import shutil
import subprocess
import sysconfig
import tempfile
from pathlib import Path

from .install import hash_of, is_stamped, put_stamp
from .places import PYTHON, ROOT, VAR, VENV, say

FAST = VAR / "fast"
CORE = ROOT / "src" / "convoy_core"
HOT = {
    "words": ("versions", "ranges", "model"),
    "resolve": (
        "best", "clash", "counting", "eligible", "explain", "facts", "formula", "problem", "smallest", "solver",
        "support", "ties", "ways_out", "wire",
    ),
}  # fmt: skip
"""What a profile of a resolve showed (docs/benchmarks.md, "What the time goes into")."""


def compiled_core() -> None:
    """Makes var/fast anew when the core changed. Says so, and goes on, where there is no compiler."""
    if _is_current():
        return
    shutil.rmtree(FAST, ignore_errors=True)
    header = Path(sysconfig.get_paths()["include"]) / "Python.h"
    if not (shutil.which("cc") or shutil.which("gcc")) or not header.exists():
        say("no compiler here: the search runs as plain Python, some three times slower")
        return
    say("compiling the search")
    with tempfile.TemporaryDirectory(dir=VAR) as place:
        core = Path(place) / "made" / "convoy_core"
        shutil.copytree(CORE, core, ignore=shutil.ignore_patterns("__pycache__"))
        files = [f"convoy_core/{room}/{name}.py" for room, names in HOT.items() for name in names]
        command = [str(_compiler()), "--config-file", "", "--cache-dir", f"{place}/cache", "--strict", *files]
        environment = {**os.environ, "MYPYC_DEBUG_LEVEL": "0", "PATH": f"{VENV / 'bin'}:{os.environ['PATH']}"}
        done = subprocess.run(command, cwd=core.parent, env=environment, capture_output=True, text=True)
        if done.returncode:
            say(f"compiling failed, the search runs as plain Python: {(done.stderr or done.stdout)[-400:]}")
            return
        shutil.rmtree(core.parent / "build", ignore_errors=True)
        if not FAST.exists():
            # Another start may have made it meanwhile, of the same sources.
            core.parent.rename(FAST)
    put_stamp("fast", _made_from())


def _compiler() -> Path:
    """mypyc of the development's packages, or one in an environment of its own."""
    if (VENV / "bin" / "mypyc").exists():
        return VENV / "bin" / "mypyc"
    own, locked = VAR / "compiler", ROOT / "requirements" / "compile.txt"
    if not is_stamped("compiler", hash_of([locked])):
        shutil.rmtree(own, ignore_errors=True)
        subprocess.run([str(PYTHON), "-m", "venv", str(own)], check=True)
        pip = [str(own / "bin" / "python"), "-m", "pip", "install", "-q", "--disable-pip-version-check"]
        subprocess.run([*pip, "--require-hashes", "-r", str(locked)], check=True)
        put_stamp("compiler", hash_of([locked]))
    return own / "bin" / "mypyc"


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
