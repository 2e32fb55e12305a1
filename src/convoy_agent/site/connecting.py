"""How a folder reaches the site that it follows; one that follows a file reaches none, and goes on without."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from convoy_core.trust.signed import Signed

from ..errors import SiteRefused
from .head import Head, Pairing
from .site import Site


def connect(pairing: Pairing) -> Site:
    """Use as a context."""
    return Site(pairing) if pairing.site else NoSite()


class NoSite(Site):
    """Stands for the site of a folder that follows a file: asked for anything, it says so; told anything, it is silent.
    What it would have said lies in the folder.
    """

    def __init__(self) -> None:
        """It has no address, and no line."""

    def __exit__(self, *_: object) -> None:
        """Nothing was opened."""

    def head(self) -> Head:
        raise _none()

    def charters(self, after: int, collection: str = "") -> list[Signed]:
        return []

    def word(self, address: str, seen: str) -> tuple[bytes, str] | None:
        raise _none()

    def release(self, number: str, collection: str = "") -> Signed:
        raise SiteRefused(
            f"Release {number} lies in no file that this folder was given.",
            "It follows files, and no site.",
            "Say “convoy sync” with the file that holds it.",
        )

    def game(self) -> tuple[str, bool]:
        raise _none()

    def call_for_help(self, told: Mapping[str, Any]) -> str:
        raise _none()

    def credentials(self, address: str) -> dict[str, str]:
        return {}

    def agent_offer(self) -> Signed:
        raise _none()

    def report(self, *_: Any, **__: Any) -> None:
        """Nobody hears of it."""

    def progress(self, **told: Any) -> str | None:
        return None

    def left(self) -> None:
        """Nobody hears of it."""

    def wanted_readings(self) -> list[dict[str, Any]]:
        return []

    def known(self, sha256: str) -> str:
        return ""


def _none() -> SiteRefused:
    return SiteRefused("This folder follows a file, and no site.", now="Say “convoy sync” with a newer file.")
