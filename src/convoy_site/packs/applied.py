"""What came of an edit, in words, and what every edit needs: names, and the refusals that they share."""

from collections.abc import Sequence
from dataclasses import dataclass

from convoy_core.words.errors import ConvoyError
from convoy_core.words.wording import counted, listed

from ..catalogue.services import shelf
from .models import Draft


class NoSuchLine(ConvoyError):
    code = "no-such-line"


class NoSuchMod(ConvoyError):
    code = "no-such-mod"


class AlreadyThere(ConvoyError):
    code = "already"


@dataclass(frozen=True)
class Applied:
    """What an edit touched (mods, or `base`), and which mods it refreshes. `names`, `verb`, and for one alone `detail`
    tell it in the log. `root`, for a taking back: the edit that the whole chain began with.
    """

    subjects: tuple[str, ...]
    verb: str
    names: tuple[str, ...] = ()
    detail: str = ""
    refresh: tuple[str, ...] = ()
    takes_back: int | None = None
    root: int | None = None
    again: bool = False


def told(applied: Sequence[Applied]) -> str:
    """What edits did, in one line: those that did the same to several mods are told together."""
    together: dict[str, list[Applied]] = {}
    for one in applied:
        together.setdefault(one.verb, []).append(one)
    parts = []
    for verb, same in together.items():
        names = list(dict.fromkeys(name for one in same for name in one.names))
        detail = same[0].detail if len(same) == 1 else ""
        parts.append(" ".join(filter(None, (several(names), verb, detail))))
    return "; ".join(parts)


def name_in(draft: Draft, mod: str) -> str:
    name = shelf(draft.pack).filter(slug=mod).values_list("name", flat=True).first()
    if name is None and not draft.lines.filter(mod=mod).exists():
        raise no_mod(mod)
    return name or mod


def no_mod(mod: str) -> NoSuchMod:
    return NoSuchMod(f"No source has “{mod}”.", now="Search for it by another name.", mod=mod)


def names_in(draft: Draft, mods: Sequence[str]) -> tuple[str, ...]:
    found = dict(shelf(draft.pack).filter(slug__in=mods).values_list("slug", "name"))
    return tuple(found.get(mod, mod) for mod in mods)


def several(names: list[str]) -> str:
    """`A, B, C and 4 others`."""
    more = len(names) - 3
    return listed([*names[:3], f"{counted(more, 'other')}"] if more > 0 else names)
