"""Has the agent watch a folder from the start of its member's session, by what the system itself offers for that.

What is written, and which commands are run, follows from the system, the folder and the agent's own place alone
(`start_of`), so that it can be read and tried anywhere; `install` and `remove` carry it out.
"""

from __future__ import annotations

import hashlib
import os
import plistlib
import subprocess
import sys
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from xml.sax.saxutils import escape

from convoy_core.words.errors import ConvoyError

from .storage.files import write_at_once

Command = tuple[str, ...]
Run = Callable[[Command], None]


class NoSession(ConvoyError):
    """This system has nothing that starts programs with a session, or it refuses."""

    code = "no-session"


@dataclass(frozen=True)
class Start:
    """`file`: what is written, at `place`; `begin` and `end`: the commands that take it up and give it up."""

    name: str
    place: Path
    file: bytes
    begin: tuple[Command, ...]
    end: tuple[Command, ...]


def this_agent() -> Command:
    """How this very agent is started: the one file, or the interpreter that runs it."""
    return (sys.executable,) if getattr(sys, "frozen", False) else (sys.executable, "-m", "convoy_agent")


def start_of(system: str, home: Path, agent: Sequence[str], folder: Path, uid: int = 0) -> Start:
    """What starts `agent` for a folder on a system (`linux`, `darwin`, `win32`). Raises NoSession for any other."""
    name = f"true-convoy-{hashlib.sha256(str(folder).encode(errors='surrogateescape')).hexdigest()[:8]}"
    words = [*agent, "watch", "--folder", str(folder)]
    if any("\n" in word or "\0" in word for word in words):
        raise NoSession(f"{folder!s} has a name that cannot be written down for the system.", now="Rename the folder.")
    for known, made in _SYSTEMS.items():
        if system.startswith(known):
            return made(name, home, words, uid)
    raise NoSession(
        "Nothing is known here that starts programs with your session.",
        f"The system calls itself {system}.",
        "Have “convoy watch” started by what you use for that.",
    )


def _systemd(name: str, home: Path, words: Sequence[str], uid: int) -> Start:
    quoted = " ".join(f'"{_for_systemd(word)}"' for word in words)
    unit = (
        "[Unit]\n"
        "Description=True Convoy keeps a folder in step\n"
        "\n"
        "[Service]\n"
        f"ExecStart={quoted}\n"
        "Restart=on-failure\n"
        "RestartSec=30\n"
        "\n"
        "[Install]\n"
        "WantedBy=default.target\n"
    )
    ctl = ("systemctl", "--user")
    return Start(
        name,
        home / ".config" / "systemd" / "user" / f"{name}.service",
        unit.encode(errors="surrogateescape"),
        ((*ctl, "daemon-reload"), (*ctl, "enable", "--now", f"{name}.service")),
        ((*ctl, "disable", "--now", f"{name}.service"),),
    )


def _for_systemd(word: str) -> str:
    """Within double quotes: `%` and `$` are its own signs, doubled they are themselves."""
    return word.replace("\\", "\\\\").replace('"', '\\"').replace("%", "%%").replace("$", "$$")


def _launchd(name: str, home: Path, words: Sequence[str], uid: int) -> Start:
    label = f"local.{name}"
    place = home / "Library" / "LaunchAgents" / f"{label}.plist"
    told = {
        "Label": label,
        "ProgramArguments": list(words),
        "RunAtLoad": True,
        "KeepAlive": {"SuccessfulExit": False},
        "ThrottleInterval": 30,
        "StandardErrorPath": str(home / "Library" / "Logs" / f"{name}.log"),
        "StandardOutPath": str(home / "Library" / "Logs" / f"{name}.log"),
    }
    gui = f"gui/{uid}"
    return Start(
        name,
        place,
        plistlib.dumps(told),
        (("launchctl", "bootstrap", gui, str(place)),),
        (("launchctl", "bootout", f"{gui}/{label}"),),
    )


def _task_scheduler(name: str, home: Path, words: Sequence[str], uid: int) -> Start:
    arguments = subprocess.list2cmdline(words[1:])
    xml = (
        '<?xml version="1.0" encoding="UTF-16"?>\n'
        '<Task version="1.2" xmlns="http://schemas.microsoft.com/windows/2004/02/mit/task">\n'
        "  <Triggers><LogonTrigger><Enabled>true</Enabled></LogonTrigger></Triggers>\n"
        "  <Settings>\n"
        "    <DisallowStartIfOnBatteries>false</DisallowStartIfOnBatteries>\n"
        "    <StopIfGoingOnBatteries>false</StopIfGoingOnBatteries>\n"
        "    <ExecutionTimeLimit>PT0S</ExecutionTimeLimit>\n"
        "    <RestartOnFailure><Interval>PT1M</Interval><Count>10</Count></RestartOnFailure>\n"
        "  </Settings>\n"
        '  <Actions Context="Author"><Exec>\n'
        f"    <Command>{escape(words[0])}</Command>\n"
        f"    <Arguments>{escape(arguments)}</Arguments>\n"
        "  </Exec></Actions>\n"
        "</Task>\n"
    )
    place = home / "AppData" / "Local" / "true-convoy" / f"{name}.xml"
    return Start(
        name,
        place,
        xml.encode("utf-16"),
        (
            ("schtasks", "/Create", "/TN", name, "/XML", str(place), "/F"),
            ("schtasks", "/Run", "/TN", name),
        ),
        (("schtasks", "/End", "/TN", name), ("schtasks", "/Delete", "/TN", name, "/F")),
    )


_SYSTEMS: Mapping[str, Callable[[str, Path, Sequence[str], int], Start]] = {
    "linux": _systemd,
    "darwin": _launchd,
    "win32": _task_scheduler,
}


def start_here(folder: Path) -> Start:
    """For this system, this account and this agent."""
    uid = os.getuid() if hasattr(os, "getuid") else 0
    return start_of(sys.platform, Path.home(), this_agent(), folder.resolve(), uid)


def run(command: Command) -> None:
    """Raises NoSession with what the system said."""
    try:
        done = subprocess.run(command, capture_output=True, text=True, timeout=60)
    except (OSError, subprocess.TimeoutExpired) as error:
        raise NoSession(f"{command[0]} cannot be run.", f"{error}.") from error
    if done.returncode:
        said = (done.stderr or done.stdout).strip() or f"it ended with {done.returncode}"
        raise NoSession(f"“{' '.join(command)}” was refused.", said)


def install(start: Start, run: Run = run) -> None:
    """Has it started from now on, at once too. What cannot be taken up leaves nothing behind. Raises NoSession."""
    start.place.parent.mkdir(parents=True, exist_ok=True)
    write_at_once(start.place, start.file, among_others=True)
    try:
        for command in start.begin:
            run(command)
    except NoSession:
        start.place.unlink(missing_ok=True)
        raise


def remove(start: Start, run: Run = run) -> bool:
    """Has it started no longer; says whether it was. A system that knows nothing of it is no obstacle."""
    if not start.place.exists():
        return False
    for command in start.end:
        try:
            run(command)
        except NoSession:
            continue
    start.place.unlink(missing_ok=True)
    return True
