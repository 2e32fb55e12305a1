"""What this machine knows of itself that must not leave it unseen."""

from __future__ import annotations

import getpass
import os
import socket
from contextlib import suppress
from pathlib import Path
from typing import Any

from convoy_core.log.private import Known, Redaction

NOBODYS = frozenset({"root", "user", "admin", "administrator", "localhost", "home", "pc"})
"""Names that tell nothing of anybody, and stand in too many texts."""


def own_known(public: frozenset[str] = frozenset()) -> Known:
    """`public`: texts that look like keys and are none, as hashes of builds."""
    accounts, machines = set[str](), set[str]()
    with suppress(OSError, KeyError):
        accounts.add(getpass.getuser())
    accounts |= {os.environ[name] for name in ("USER", "USERNAME", "LOGNAME") if os.environ.get(name)}
    with suppress(OSError):
        machines.add(socket.gethostname())
    home = str(Path.home())
    return Known(
        [home] if len(Path(home).parts) > 2 else [],
        [one for one in accounts if one.lower() not in NOBODYS],
        [one for one in machines if one.lower() not in NOBODYS],
        public,
    )


def without_private(told: Any, redaction: Redaction) -> Any:
    """The same data with every text in it replaced."""
    if isinstance(told, str):
        return redaction.of(told)[0]
    if isinstance(told, dict):
        return {name: without_private(one, redaction) for name, one in told.items()}
    if isinstance(told, list | tuple):
        return [without_private(one, redaction) for one in told]
    return told
