"""What a site's page may ask for on this machine although it takes files away: said here, never by the site.

.convoy/allowed.json. Where it is lost or damaged, nothing is allowed.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path

from convoy_core.sync.orders import ASKED_FOR, Allowance

from ..errors import NotAllowed
from ..storage import sealed

Ask = Callable[[str], bool]
"""Puts a question to whoever sits at the machine. Called once per order, before anything is changed."""


def nobody_to_ask(question: str) -> bool:
    return False


class Allowed:
    def __init__(self, own: Path) -> None:
        self._place = own / "allowed.json"

    def all(self) -> frozenset[Allowance]:
        try:
            told = sealed.read(self._place, lambda told: frozenset(map(str, told)))
        except (FileNotFoundError, sealed.Damaged):
            return frozenset()
        return frozenset(one for one in Allowance if one.value in told)

    def keep(self, ones: Iterable[Allowance]) -> None:
        sealed.write(self._place, sorted(one.value for one in ones))

    def demand(self, wanted: Allowance, ask: Ask) -> None:
        """Raises NotAllowed unless it was allowed here before, or is now; a yes is kept."""
        allowed = self.all()
        if wanted in allowed:
            return
        if ask(f"The site's page asks {ASKED_FOR[wanted]}. Allow that here, now and later?"):
            self.keep({*allowed, wanted})
            return
        raise NotAllowed(
            f"The site's page asks {ASKED_FOR[wanted]}.",
            "That was never allowed on this machine, and a site alone does not decide it.",
            f"Nothing was changed. Run “convoy allow {wanted}” there, and ask again; or run the command itself.",
            allowance=wanted.value,
        )
