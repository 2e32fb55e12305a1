"""How patient fetching is. By itself, so that commands which fetch nothing do not load what fetches."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Limits:
    """How patient fetching is. Seconds and bytes."""

    at_once: int = 6
    """Archives fetched at a time, from all sources together: enough to fill a line."""
    per_source: int = 4
    """Of those, from one source: few enough to be polite."""
    attempts: int = 4
    wait_seconds: float = 0.5
    """Before the second attempt; doubles each time, with jitter."""
    longest_wait: float = 600
    """What a source's Retry-After may ask for at most. Who asks for more is told of, and not asked any more today."""
    patience: float = 900
    """How long a source may put us off altogether without giving a single file."""
    progress_bytes: int = 64 * 1024
    """A try that brought this much is not counted: a line that breaks again and again still gets there."""
    timeout_seconds: float = 15
    slow_after: float = 15
    slow_bytes_per_second: int = 2048
    """Slower than this over `slow_after` seconds counts as away."""
    line: int = 0
    """Bytes a second that all fetching together may take; 0: whatever comes."""
