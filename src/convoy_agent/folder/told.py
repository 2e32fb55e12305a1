"""What the site was told last: a number that grows with every report, and what it said, so that the same is not told
again and again.

.convoy/told. Where it is lost, the clock gives a number above all before it, and the next report is news.
"""

from __future__ import annotations

import json
import time
from collections.abc import Mapping
from contextlib import suppress
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from convoy_core.lock.canonical import sha256_hex

AGAIN_AFTER = timedelta(hours=6)
"""What has not changed is told again after that, as a site may have lost it."""


class Told:
    """`own`: the agent's own folder in an installation. The caller holds it."""

    def __init__(self, own: Path) -> None:
        self._place = own / "told"

    def is_news(self, report: Mapping[str, Any], now: datetime) -> bool:
        kept = self._kept()
        with suppress(KeyError, ValueError, TypeError):
            return kept["sum"] != _sum(report) or not timedelta(0) <= now - _moment(kept["at"]) < AGAIN_AFTER
        return True

    def next_serial(self, report: Mapping[str, Any] | None, now: datetime) -> int:
        """The number of a report that is about to be told. `report` None: the same as the one before."""
        kept = self._kept()
        last = kept.get("serial", 0)
        serial = max(last + 1 if isinstance(last, int) else 0, time.time_ns() // 1000)
        told = {"serial": serial, "sum": _sum(report) if report else kept.get("sum", ""), "at": now.isoformat()}
        # Not sealed and not synced: it is written at every look, and nothing hangs on it.
        with suppress(OSError):
            self._place.write_text(json.dumps(told))
        return serial

    def forget(self) -> None:
        """The site did not hear it."""
        with suppress(OSError):
            self._place.write_text(json.dumps({"serial": self._kept().get("serial", 0)}))

    def _kept(self) -> dict[str, Any]:
        try:
            told = json.loads(self._place.read_text())
        except (OSError, ValueError, RecursionError):
            return {}
        return told if isinstance(told, dict) else {}


def _moment(text: str) -> datetime:
    return datetime.fromisoformat(text)


def _sum(report: Mapping[str, Any]) -> str:
    """Of all that is told but what always changes: the hour, and how much of the disk is free."""
    about = {name: value for name, value in report["about"].items() if name != "at"}
    about["machine"] = {name: value for name, value in about["machine"].items() if name != "disk_free"}
    told = {**report, "about": about}
    return sha256_hex(json.dumps(told, sort_keys=True, default=sorted).encode("utf-8", "surrogatepass"))
