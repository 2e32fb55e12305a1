"""Tells the site of a start, where its crew waits for it: only around a departure, and nobody waits for the answer."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass, field

from convoy_core.sync.starts import StartState
from convoy_core.trust.statement import Named
from convoy_core.words.errors import ConvoyError

from ..site.connecting import connect
from ..site.head import Pairing


@dataclass
class Telling:
    """`wanted`: the site says that a departure is near; else nothing is told. `in_step`: when it was started."""

    pairing: Pairing
    wanted: bool
    began: str
    release: Named
    in_step: bool
    _said: StartState | None = None
    _line: ThreadPoolExecutor = field(default_factory=lambda: ThreadPoolExecutor(1))

    def say(self, state: StartState) -> None:
        """One after the other, and each once. A site that is away is no reason to play less."""
        if self.wanted and state is not self._said:
            self._said = state
            self._line.submit(self._tell, state)

    def __enter__(self) -> Telling:
        return self

    def __exit__(self, *_: object) -> None:
        self._line.shutdown()

    def _tell(self, state: StartState) -> None:
        with suppress(ConvoyError), connect(self.pairing) as site:
            site.started(
                began=self.began,
                release=self.release.number,
                release_sha256=self.release.sha256,
                in_step=self.in_step,
                state=str(state),
            )
