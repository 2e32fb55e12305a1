"""Starts what runs beside one another, and stops all of it however this process ends."""

import ctypes
import hashlib
import json
import os
import pwd
import shutil
import signal
import socket
import subprocess
import time
import urllib.request
from collections.abc import Callable
from pathlib import Path
from types import TracebackType

from .places import PYTHON, ROOT, VAR, say, secret

STOP_SECONDS = 10
"""How long a process may take to end before it is killed."""

MOST_ENDS, WITHIN_SECONDS = 5, 60
"""How often a process may end by itself within a minute before all of it is given up."""

PR_SET_PDEATHSIG = 1


_given: dict[int, str] = {}
"""Ports that this run has given out, and to whom: what is to listen there may not have begun to."""


def free_port(wanted: int, whose: str = "") -> int:
    """`wanted`, or the next port on loopback that nobody listens on, and that nobody else was given."""
    for port in range(wanted, wanted + 200):
        if port in _given and (not whose or _given[port] != whose):
            continue
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                continue
            _given[port] = whose
            return port
    raise SystemExit(f"No free port from {wanted} to {wanted + 199}.")


def remembered_port(name: str, wanted: int) -> int:
    """The port that this service had last time if it is free, so that addresses stay; else the next free one."""
    kept = VAR / "ports.json"
    known = json.loads(kept.read_text()) if kept.exists() else {}
    known[name] = free_port(known.get(name, wanted), name)
    kept.write_text(json.dumps(known))
    return known[name]


class Services:
    """A group of processes. Used as a context: on the way out, the last started is stopped first."""

    def __init__(self, logs: Path, to_screen: bool = False) -> None:
        """`to_screen`: what they say goes where this process's own words go, for whoever keeps a journal of it."""
        self._logs = logs
        self._to_screen = to_screen
        self._running: list[tuple[str, subprocess.Popen[bytes], int]] = []
        self._begin: dict[str, Callable[[], None]] = {}
        """How each is started, for starting it again when it ended by itself."""
        self._ended: dict[str, list[float]] = {}
        logs.mkdir(parents=True, exist_ok=True)

    def __enter__(self) -> "Services":
        return self

    def __exit__(self, kind: type | None, error: BaseException | None, trace: TracebackType | None) -> None:
        signal.signal(signal.SIGINT, signal.SIG_IGN)
        for name, process, stop_signal in reversed(self._running):
            if process.poll() is None:
                os.killpg(process.pid, stop_signal)
            try:
                process.wait(STOP_SECONDS)
            except subprocess.TimeoutExpired:
                say(f"{name} does not stop: killing it")
                os.killpg(process.pid, signal.SIGKILL)
                process.wait()
        signal.signal(signal.SIGINT, signal.default_int_handler)

    def start(
        self,
        name: str,
        command: list[str],
        environment: dict[str, str] | None = None,
        user: str | None = None,
        stop_signal: int = signal.SIGTERM,
        cwd: Path = ROOT,
    ) -> None:
        self._begin[name] = lambda: self.start(name, command, environment, user, stop_signal, cwd)
        log = None if self._to_screen else (self._logs / f"{name}.log").open("ab")
        process = subprocess.Popen(
            command,
            env=environment,
            stdout=log,
            stderr=log,
            stdin=subprocess.DEVNULL,
            cwd=cwd,
            user=user,
            start_new_session=True,
            # Ends with this process even when it is killed without a chance to clean up.
            preexec_fn=lambda: ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, stop_signal),
        )
        self._running.append((name, process, stop_signal))

    def stop(self, name: str) -> None:
        """Ends one of them at once, as a machine that fails does."""
        for entry in [one for one in self._running if one[0] == name]:
            os.killpg(entry[1].pid, signal.SIGKILL)
            entry[1].wait()
            self._running.remove(entry)

    def wait_for(self, name: str, ready: Callable[[], bool], seconds: float = 60) -> None:
        until = time.monotonic() + seconds
        while not ready():
            died = [(one, process) for one, process, _ in self._running if process.poll() is not None]
            if died or time.monotonic() > until:
                log = self._logs / f"{died[0][0] if died else name}.log"
                if not self._to_screen:
                    print("\n".join(log.read_text(errors="replace").splitlines()[-25:]))
                raise SystemExit(
                    f"{name} did not start; {'what it said' if self._to_screen else f'the end of {log}'} is above."
                )
            time.sleep(0.05)

    def wait_for_address(self, name: str, address: str) -> None:
        def answers() -> bool:
            try:
                with urllib.request.urlopen(address, timeout=5) as reply:
                    return reply.status == 200
            except OSError:
                return False

        self.wait_for(name, answers)

    def sleep_while_running(self, until: Callable[[], bool] = lambda: False) -> None:
        """Starts again what ends by itself, a database that was killed among it; the others wait for it and go on.
        Returns when one of them ends again and again, and says which; or when `until` says so.
        """
        while not until():
            for entry in list(self._running):
                name, process, _ = entry
                if process.poll() is None:
                    continue
                now = time.monotonic()
                ends = [one for one in self._ended.get(name, []) if now - one < WITHIN_SECONDS] + [now]
                self._ended[name] = ends
                where = "" if self._to_screen else f"; see {self._logs / name}.log"
                if len(ends) > MOST_ENDS:
                    say(f"{name} ended {len(ends)} times within a minute{where}")
                    return
                say(f"{name} ended with {process.returncode}, and is started again{where}")
                self._running.remove(entry)
                time.sleep(2 ** len(ends) / 4)
                self._begin[name]()
            time.sleep(0.3)


class Postgres:
    """A PostgreSQL server of the project's own: on loopback, with a password, in the project's data folder."""

    user = "convoy"

    def __init__(self, name: str, port: int, for_tests: bool = False) -> None:
        self.port = port
        self._for_tests = for_tests
        self._owner = "postgres" if os.geteuid() == 0 else None
        self._data = self.place_of(name, self._owner)
        self._bin = max(Path("/usr/lib/postgresql").glob("*/bin"), key=lambda path: int(path.parent.name))

    def start(self, services: Services) -> None:
        if not (self._data / "PG_VERSION").exists():
            self._create()
        (self._data / "postmaster.pid").unlink(missing_ok=True) if not self._alive() else self._end_left_over()
        settings = {
            "listen_addresses": "127.0.0.1",
            "unix_socket_directories": "",
            "max_connections": "60",
            "shared_buffers": "128MB",
            "fsync": "off" if self._for_tests else "on",
            "full_page_writes": "off" if self._for_tests else "on",
            "synchronous_commit": "off" if self._for_tests else "on",
        }
        command = [str(self._bin / "postgres"), "-D", str(self._data), "-p", str(self.port)]
        for key, value in settings.items():
            command += ["-c", f"{key}={value}"]
        services.start("postgres", command, user=self._owner, stop_signal=signal.SIGINT, cwd=Path("/"))
        services.wait_for("postgres", lambda: self._psql("postgres", "select 1").returncode == 0)

    def database(self, name: str, fresh: bool = False) -> None:
        if fresh:
            self._psql("postgres", f'drop database if exists "{name}" with (force)')
        found = self._psql("postgres", f"select 1 from pg_database where datname = '{name}'").stdout.strip()
        if found != b"1":
            self._psql("postgres", f'create database "{name}"').check_returncode()

    def forget(self) -> None:
        """Drops its data. Nothing may run on it."""
        shutil.rmtree(self._data, ignore_errors=True)

    def port_in_use(self) -> int:
        """The port of a server that runs on this data already; 0 where none does."""
        try:
            return int((self._data / "postmaster.pid").read_text().splitlines()[3]) if self._alive() else 0
        except (OSError, ValueError, IndexError):
            return 0

    def environment(self, database: str) -> dict[str, str]:
        return {
            "CONVOY_DB_HOST": "127.0.0.1",
            "CONVOY_DB_PORT": str(self.port),
            "CONVOY_DB_NAME": database,
            "CONVOY_DB_USER": self.user,
            "CONVOY_DB_PASSWORD": secret("postgres"),
        }

    def _psql(self, database: str, statement: str) -> "subprocess.CompletedProcess[bytes]":
        command = [str(self._bin / "psql"), "-h", "127.0.0.1", "-p", str(self.port), "-U", self.user, "-d", database]
        environment = {**os.environ, "PGPASSWORD": secret("postgres")}
        return subprocess.run([*command, "-XtAc", statement], env=environment, capture_output=True)

    @staticmethod
    def place_of(name: str, owner: str | None) -> Path:
        """var/NAME, or a folder of Debian's when root's project lies where the database's user may not go."""
        VAR.mkdir(exist_ok=True)
        if owner is None:
            return VAR / name
        probe = subprocess.run(["test", "-x", str(VAR)], user=owner, cwd="/")
        if probe.returncode == 0:
            return VAR / name
        return Path("/var/lib/postgresql") / f"true-convoy-{hashlib.sha256(str(ROOT).encode()).hexdigest()[:12]}-{name}"

    def _create(self) -> None:
        say("creating the database server's data folder")
        if self._data.exists() and any(self._data.iterdir()):
            shutil.rmtree(self._data)
        self._data.mkdir(parents=True, mode=0o700, exist_ok=True)
        password = VAR / "pwfile"
        password.write_text(secret("postgres"))
        command = [str(self._bin / "initdb"), "-D", str(self._data), "-U", self.user, "-E", "UTF8"]
        command += ["--locale=C.UTF-8", "--auth=scram-sha-256", "--pwfile=/dev/stdin", "--no-sync"]
        if self._owner:
            owner = pwd.getpwnam(self._owner)
            os.chown(self._data, owner.pw_uid, owner.pw_gid)
        try:
            with password.open("rb") as given:
                done = subprocess.run(command, stdin=given, capture_output=True, user=self._owner, cwd="/")
        finally:
            password.unlink()
        if done.returncode:
            raise SystemExit(done.stderr.decode())

    def _left_over(self) -> int:
        try:
            return int((self._data / "postmaster.pid").read_text().split()[0])
        except (OSError, ValueError, IndexError):
            return 0

    def _alive(self) -> bool:
        pid = self._left_over()
        try:
            return pid > 0 and b"postgres" in Path(f"/proc/{pid}/cmdline").read_bytes()
        except OSError:
            return False

    def _end_left_over(self) -> None:
        """An earlier start that was killed may have left its server running on this data."""
        os.kill(self._left_over(), signal.SIGINT)
        until = time.monotonic() + STOP_SECONDS
        while self._alive() and time.monotonic() < until:
            time.sleep(0.1)


def python(*arguments: str) -> list[str]:
    return [str(PYTHON), *arguments]
