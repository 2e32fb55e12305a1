"""What `./run` can do."""

import os
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
from contextlib import nullcontext
from pathlib import Path

from . import compiling, install
from .compiling import compiled_core, fast
from .disks import disks_of_its_own
from .front import start_front
from .places import ROOT, VAR, WEB, say, secret
from .services import Postgres, Services, python, remembered_port
from .serving import site_command, site_environment

SITE_PORT, SOURCES_PORT, POSTGRES_PORT, POST_PORT = 8460, 8470, 8480, 8476
WORKERS = "2"
"""Site processes: the machines that this was built on have two cores."""


def demo(arguments: list[str]) -> int:
    """Everything, with demo data, until Ctrl-C."""
    return _demo(fresh="--fresh" in arguments, reloading=False)


def dev(arguments: list[str]) -> int:
    """As `demo`, with the site and the screens reloading."""
    return _demo(fresh="--fresh" in arguments, reloading=True)


def _demo(fresh: bool, reloading: bool) -> int:
    began = time.monotonic()
    install.everything()
    with Services(VAR / "logs") as services:
        environment = start_stack(services, "demo", fresh, reloading)
        address = environment["CONVOY_ADDRESS"]
        say(f"ready after {time.monotonic() - began:.1f} s")
        print(
            f"\n  True Convoy is at  {address}\n  what it mails lies at  {environment['CONVOY_LETTERS']}\n", flush=True
        )
        subprocess.run(python("manage.py", "demo_accounts"), env=environment, cwd=ROOT, check=True)
        print("\n  Ctrl-C stops everything.\n", flush=True)
        try:
            services.sleep_while_running()
        except KeyboardInterrupt:
            print()
        say("stopping")
    return 0


def start_stack(
    services: Services, name: str, fresh: bool = False, reloading: bool = False, for_tests: bool = False
) -> dict[str, str]:
    """Database, sources, worker and site under var/NAME; gives the environment in which they run."""
    data = VAR / name
    if fresh and data.exists():
        shutil.rmtree(data)
    data.mkdir(parents=True, exist_ok=True)
    say("starting the database")
    postgres = Postgres(f"postgres-{name}", remembered_port(f"postgres-{name}", POSTGRES_PORT), for_tests)
    postgres.start(services)
    postgres.database("convoy", fresh)
    site_port = remembered_port(f"site-{name}", SITE_PORT)
    sources_port = remembered_port(f"sources-{name}", SOURCES_PORT)
    web_port = remembered_port(f"web-{name}", SITE_PORT + 5)
    post_port = remembered_port(f"post-{name}", POST_PORT)
    letters_port = remembered_port(f"letters-{name}", POST_PORT + 1)
    environment = {
        **os.environ,
        **postgres.environment("convoy"),
        "CONVOY_SECRET": secret("site"),
        "CONVOY_DATA": str(data),
        "CONVOY_ADDRESS": f"http://127.0.0.1:{site_port}",
        "CONVOY_SOURCES": f"http://127.0.0.1:{sources_port}",
        "CONVOY_DEMO": "1",
        # The stand-in sources lie on this machine.
        "CONVOY_PRIVATE_SOURCES": "127.0.0.0/8",
        # And so does the service that they call.
        "CONVOY_PRIVATE_CALLS": "127.0.0.0/8",
        "CONVOY_MAIL": f"smtp://127.0.0.1:{post_port}",
        "CONVOY_LETTERS": f"http://127.0.0.1:{letters_port}",
        "CONVOY_ORIGINS": f"http://127.0.0.1:{web_port}",
        "CONVOY_BENCH": str(data / "bench" / "bench.toml"),
        "CONVOY_STANDIN_GAMES": str(data / "bench" / "programs"),
        "GAME_STAYS": "5",
        "PYTHONUNBUFFERED": "1",
    }
    if not reloading:
        # What is reloaded runs from its sources.
        compiled_core()
        environment = fast(environment)
    say("starting the sources")
    made = str(data / "sources")
    subprocess.run(python("-m", "convoy_standins.generate", made), env=environment, cwd=ROOT, check=True)
    bench = ("--bench", str(data / "bench"), str(ROOT / "demo" / "games"))
    subprocess.run(python("-m", "convoy_standins.game", *bench), env=environment, cwd=ROOT, check=True)
    services.start("sources", python("-m", "convoy_standins.sources", made, str(sources_port)), environment)
    services.wait_for_address("sources", environment["CONVOY_SOURCES"] + "/health")
    letters = str(data / "letters")
    services.start(
        "post", python("-m", "convoy_standins.post", letters, str(post_port), str(letters_port)), environment
    )
    services.wait_for_address("post", environment["CONVOY_LETTERS"] + "/health")
    say("bringing the database up to date")
    subprocess.run(python("manage.py", "set_up"), env=environment, cwd=ROOT, check=True)
    say("starting the site and the worker")
    if reloading:
        services.start("site", python("manage.py", "runserver", f"127.0.0.1:{site_port}"), environment)
    else:
        # What stands before the site says who asks.
        environment["CONVOY_PROXIES"] = "1"
        socket = Path(tempfile.mkdtemp(prefix="convoy-")) / "site"
        services.start("site", site_command(f"unix:{socket}", WORKERS), site_environment(environment))
        start_front(services, "front", f"127.0.0.1:{site_port}", socket, data)
    services.wait_for_address("site", environment["CONVOY_ADDRESS"] + "/api/health")
    subprocess.run(python("manage.py", "load_demo"), env=environment, cwd=ROOT, check=True)
    services.start("worker", python("manage.py", "worker", "--concurrency=4"), environment)
    if reloading:
        vite = {**install.node_environment(), "CONVOY_ADDRESS": environment["CONVOY_ADDRESS"]}
        services.start("web", ["npm", "run", "dev", "--", "--port", str(web_port)], vite, cwd=WEB)
        say(f"screens that reload: http://127.0.0.1:{web_port}")
    return environment


STATIC_CHECKS = (
    ("ruff", python("-m", "ruff", "check", "."), ROOT),
    ("ruff format", python("-m", "ruff", "format", "--check", "-q", "."), ROOT),
    ("mypy", python("-m", "mypy"), ROOT),
    ("import contracts", [str(ROOT / ".venv/bin/lint-imports"), "--no-cache"], ROOT),
    ("TypeScript", ["node_modules/.bin/tsc", "--noEmit"], WEB),
    ("front end", ["node_modules/.bin/vitest", "run"], WEB),
    ("Biome", ["sh", "-c", "exec node_modules/@biomejs/cli-linux-*/biome check ."], WEB),
)
PASSED = (0, 5)
"""What pytest ends with when all is well: every test passed, or none of them was asked for."""
PARTS = ("static", "core", "agent", "site", "screens")


def test(arguments: list[str]) -> int:
    """Every check and test, or the named parts; what is not a part is handed to pytest."""
    parts = [part for part in arguments if part in PARTS] or list(PARTS)
    rest = [argument for argument in arguments if argument not in PARTS]
    install.everything(for_tests=True)
    # One test compares what is compiled with the sources, and the screens run on it.
    compiling = threading.Thread(target=compiled_core)
    compiling.start()
    failed = "static" in parts and not _static_checks()
    compiling.join()
    folders = [f"tests/{part}" for part in parts if part not in ("static", "screens")]
    with Services(VAR / "logs-test") as services, tempfile.TemporaryFile() as told:
        postgres = Postgres("postgres-test", remembered_port("postgres-test", POSTGRES_PORT + 500), for_tests=True)
        environment = {**os.environ, **postgres.environment("convoy"), "CONVOY_SECRET": secret("site")}
        pytest = python("-m", "pytest", *rest)
        if "screens" in parts:
            # They mostly wait for a browser: beside them there is room for all other tests.
            where = told if folders else None
            beside = subprocess.Popen([*pytest, "tests/screens"], env=environment, cwd=ROOT, stdout=where, stderr=where)
        try:
            if folders:
                postgres.start(services)
                failed |= subprocess.run([*pytest, *folders], env=environment, cwd=ROOT).returncode not in PASSED
            if "screens" in parts:
                failed |= beside.wait() not in PASSED
        finally:
            if "screens" in parts and beside.poll() is None:
                beside.send_signal(signal.SIGINT)
                beside.wait()
            told.seek(0)
            print(told.read().decode(errors="replace"), end="", flush=True)
    return int(failed)


def _static_checks() -> bool:
    good = True
    for name, command, folder in STATIC_CHECKS:
        # mypy reads the site's models through Django, which wants its settings.
        settings = {**os.environ, "CONVOY_SECRET": "unused", "PYTHONPATH": str(ROOT / "src")}
        environment = install.node_environment() if folder == WEB else settings
        done = subprocess.run(command, cwd=folder, env=environment, capture_output=True, text=True)
        say(f"{name}: {'ok' if done.returncode == 0 else 'FAILED'}")
        if done.returncode:
            print(done.stdout, done.stderr)
            good = False
    return good


def bench(arguments: list[str]) -> int:
    """Measures over a stack of its own and writes docs/benchmarks.md."""
    install.everything(for_bench=True)
    small = disks_of_its_own("bench") if "chaos" in arguments else nullcontext({})
    with small as disks, Services(VAR / "logs-bench") as services:
        # What lies on a disk of its own is fresh.
        environment = start_stack(services, "bench", fresh=not disks) | disks
        measuring = subprocess.Popen(python("-m", "bench", *arguments), env=environment, cwd=ROOT)
        services.sleep_while_running(lambda: measuring.poll() is not None)
        measuring.terminate()
        return measuring.wait()


def pictures(arguments: list[str]) -> int:
    """Takes the README's pictures from a fresh demo."""
    install.everything(for_tests=True)
    with Services(VAR / "logs-pictures") as services:
        environment = start_stack(services, "pictures", fresh=True)
        return subprocess.run(python("-m", "tests.screens.pictures", *arguments), env=environment, cwd=ROOT).returncode


def build(arguments: list[str]) -> int:
    """What a site needs that is started by other means: Python packages, the front end, the agent's file."""
    install.python_packages("app")
    install.front_end()
    install.agent()
    install.agent_executable()
    compiled_core()
    return 0


def wheels(arguments: list[str]) -> int:
    """The agent for pip: of plain Python, and for the system that this runs on, its search compiled."""
    install.python_packages("app")
    for wheel in compiling.wheels(VAR / "wheels"):
        print(wheel.relative_to(ROOT))
    return 0


def client(arguments: list[str]) -> int:
    """Writes web/src/api/openapi.json and schema.d.ts from the API's code."""
    install.python_packages("app")
    install.npm_packages()
    described = WEB / "src" / "api" / "openapi.json"
    environment = {**os.environ, "CONVOY_SECRET": "unused"}
    text = subprocess.run(
        python("manage.py", "describe_api"), env=environment, cwd=ROOT, check=True, capture_output=True
    ).stdout
    described.write_bytes(text)
    install.npm("run", "client", "--silent")
    return 0


def convoy(arguments: list[str]) -> int:
    install.python_packages("app")
    compiled_core()
    where = os.environ.get("CONVOY_FROM", ".")
    return subprocess.run(python("-m", "convoy_agent", *arguments), cwd=where, env=fast(dict(os.environ))).returncode


def manage(arguments: list[str]) -> int:
    """Starts the demo's database for the time of one Django command."""
    install.python_packages("app")
    with Services(VAR / "logs") as services:
        postgres = Postgres("postgres-demo", remembered_port("postgres-demo", POSTGRES_PORT))
        postgres.start(services)
        postgres.database("convoy")
        environment = {
            **os.environ,
            **postgres.environment("convoy"),
            "CONVOY_SECRET": secret("site"),
            "CONVOY_DATA": str(VAR / "demo"),
        }
        return subprocess.run(python("manage.py", *arguments), env=environment, cwd=ROOT, stdin=sys.stdin).returncode
