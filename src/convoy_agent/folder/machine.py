"""What this machine is: memory, disk, runtimes, system. Told to the site, where the crew sees what fits.

Memory and disk are measured. Which runtimes are there is nothing that an agent can safely find out by starting
programs, so the member says it once (`convoy machine --runtime 21`). A stand-in machine of the demo has a file of its
own that says all of it (`CONVOY_MACHINE`).
"""

from __future__ import annotations

import os
import platform
import shutil
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import platformdirs

from ..storage import sealed

MB = 2**20


def facts(folder: Path) -> dict[str, Any]:
    """Memory in MB, bytes free where the installation lies, runtimes, and the system's name."""
    kept = _kept()
    return {
        "memory_mb": int(kept.get("memory_mb") or _memory()),
        "disk_free": int(kept.get("disk_free") or shutil.disk_usage(folder).free),
        "runtimes": [str(one)[:20] for one in kept.get("runtimes", ())][:20],
        "system": str(kept.get("system") or platform.system())[:40],
    }


def _memory() -> int:
    import psutil

    return int(psutil.virtual_memory().total // MB)


def say_runtimes(runtimes: Sequence[str]) -> None:
    """Keeps what the member says of this machine."""
    place = _place()
    place.parent.mkdir(parents=True, exist_ok=True)
    sealed.write(place, {**_kept(), "runtimes": list(runtimes)})


def _place() -> Path:
    return Path(os.environ.get("CONVOY_MACHINE") or Path(platformdirs.user_config_dir("true-convoy")) / "machine.json")


def _kept() -> dict[str, Any]:
    try:
        told: Any = sealed.read(_place())
    except (OSError, sealed.Damaged):
        return {}
    return told if isinstance(told, dict) else {}
