"""What a curator may send to a member whose machine has something to do. Source: docs/rules.md, "The job" 11."""

from __future__ import annotations

from ..words.wording import counted
from .standing import Standing


def message(person: str, pack: str, found: Standing, address: str) -> str:
    """What a curator may send to whoever has something to do: what is wrong, the exact to-do, and where. Polite."""
    if not found.to_do:
        return ""
    reasons = [one.sentence() for one in found.differences if one.counts][:MESSAGE_LINES] or []
    more = sum(one.counts for one in found.differences) - len(reasons)
    lines = [f"Hello {person}, for {pack} to run together this is still to do on your side:", found.to_do]
    lines += [f"- {one}." for one in (found.withdrawn.rstrip("."), *found.obstacles, *reasons) if one]
    if more > 0:
        lines.append(f"- and {counted(more, 'more difference')}.")
    lines += [f"Your page has the button and every detail: {address}", "Nothing of yours is lost by it. Thank you."]
    return "\n".join(lines)


MESSAGE_LINES = 5
"""Differences that a message names; the page has them all."""
