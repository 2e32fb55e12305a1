"""Edits of a draft as data: what may be asked, what each touches, and what it does to the lines.

The table `APPLY` is the whole list. Applying changes rows only; settling, rights and the log are in services.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from ninja import Schema
from pydantic import Field

from convoy_core.errors import ConvoyError

from ..catalogue.models import Build, Mod
from ..shapes import Name, Short
from .models import Draft, Line

MAX_LINES = 2_000
"""Chosen lines of one draft: five times the largest pack that people keep."""


class NoSuchLine(ConvoyError):
    code = "no-such-line"


class NoSuchMod(ConvoyError):
    code = "no-such-mod"


class TooManyLines(ConvoyError):
    code = "too-many-lines"


class AlreadyThere(ConvoyError):
    code = "already"


class AddMod(Schema):
    """Adds a mod as a chosen line. On one that was brought in: makes it chosen."""

    do: Literal["add"]
    mod: Name


class RemoveMod(Schema):
    do: Literal["remove"]
    mod: Name


class SwitchLine(Schema):
    do: Literal["switch"]
    mod: Name
    on: bool


class HoldLine(Schema):
    """Fixes a line to one version, with a reason; an empty version lets it go again."""

    do: Literal["hold"]
    mod: Name
    version: Short = ""
    because: Short = ""


class UpdateMods(Schema):
    """Takes the newest builds that fit: of the named mods, or of everything when none is named."""

    do: Literal["update"]
    mods: list[Name] = Field(default=[], max_length=MAX_LINES)


class ChangeBase(Schema):
    do: Literal["base"]
    game_version: Name
    loader: Short = ""
    loader_version: Short = ""


EditIn = AddMod | RemoveMod | SwitchLine | HoldLine | UpdateMods | ChangeBase


@dataclass(frozen=True)
class Applied:
    """What an edit touched (mods, or `base`), what it is called in the log, and which mods it refreshes."""

    subjects: tuple[str, ...]
    sentence: str
    refresh: tuple[str, ...] = ()


def subjects_of(edit: EditIn) -> set[str]:
    """What an edit touches, known before it is applied."""
    if isinstance(edit, ChangeBase):
        return {"base"}
    return set(edit.mods) if isinstance(edit, UpdateMods) else {edit.mod}


def _add(draft: Draft, edit: AddMod) -> Applied:
    name = _name(draft, edit.mod)
    lines = list(draft.lines.all())
    if any(line.mod == edit.mod for line in lines):
        raise AlreadyThere(f"{name} is in the draft already.", mod=edit.mod)
    if len(lines) >= MAX_LINES:
        raise TooManyLines(f"A draft holds at most {MAX_LINES} lines.", now="Split it into two packs.")
    Line.objects.create(draft=draft, mod=edit.mod, order=max((line.order for line in lines), default=0) + 1)
    return Applied((edit.mod,), f"{name} added")


def _remove(draft: Draft, edit: RemoveMod) -> Applied:
    line = _line(draft, edit.mod)
    line.delete()
    return Applied((edit.mod,), f"{_name(draft, edit.mod)} removed")


def _switch(draft: Draft, edit: SwitchLine) -> Applied:
    line = _line(draft, edit.mod)
    line.on = edit.on
    line.save(update_fields=["on"])
    return Applied((edit.mod,), f"{_name(draft, edit.mod)} switched {'on' if edit.on else 'off'}")


def _hold(draft: Draft, edit: HoldLine) -> Applied:
    name = _name(draft, edit.mod)
    line = draft.lines.filter(mod=edit.mod).first()
    if line is None and edit.mod in draft.picks:
        # Holding what was brought in makes it the curator's own line.
        last = draft.lines.order_by("-order").values_list("order", flat=True).first() or 0
        line = Line(draft=draft, mod=edit.mod, order=last + 1)
    if line is None:
        raise _no_line(draft, edit.mod)
    if (
        edit.version
        and not Build.objects.filter(
            mod__game=draft.pack.game_id, mod__slug=edit.mod, version=edit.version, refused=""
        ).exists()
    ):
        raise NoSuchMod(f"{name} has no build {edit.version} that can be installed.", mod=edit.mod)
    line.held_version, line.held_because = edit.version, edit.because if edit.version else ""
    line.save()
    return Applied((edit.mod,), f"{name} held at {edit.version}" if edit.version else f"{name} let go", (edit.mod,))


def _update(draft: Draft, edit: UpdateMods) -> Applied:
    mods = edit.mods or sorted(draft.picks)
    for mod in edit.mods:
        if mod not in draft.picks:
            raise _no_line(draft, mod)
    named = ", ".join(_name(draft, mod) for mod in edit.mods[:3]) + (" and others" if len(edit.mods) > 3 else "")
    return Applied(tuple(mods), f"newest builds taken of {named or 'everything'}", tuple(mods))


def _base(draft: Draft, edit: ChangeBase) -> Applied:
    profile = draft.pack.game.profile
    base = profile.base(edit.game_version, edit.loader, edit.loader_version)
    draft.game_version, draft.loader = str(base.version), base.loader
    draft.loader_version = str(base.loader_version or "")
    return Applied(("base",), f"base changed to {profile.base_in_words(base)}")


APPLY: dict[type, Callable[..., Applied]] = {
    AddMod: _add,
    RemoveMod: _remove,
    SwitchLine: _switch,
    HoldLine: _hold,
    UpdateMods: _update,
    ChangeBase: _base,
}


def _name(draft: Draft, mod: str) -> str:
    name = Mod.objects.filter(game=draft.pack.game_id, slug=mod).values_list("name", flat=True).first()
    if name is None and not draft.lines.filter(mod=mod).exists():
        raise NoSuchMod(f"No source has “{mod}”.", now="Search for it by another name.", mod=mod)
    return name or mod


def _line(draft: Draft, mod: str) -> Line:
    line = draft.lines.filter(mod=mod).first()
    if line is None:
        raise _no_line(draft, mod)
    return line


def _no_line(draft: Draft, mod: str) -> NoSuchLine:
    if mod in draft.picks:
        return NoSuchLine(
            f"{_name(draft, mod)} was brought in by what needs it.",
            "It leaves when nothing needs it any more.",
            "Remove what needs it.",
            mod=mod,
        )
    return NoSuchLine(f"{mod} is not in the draft.", "Somebody may have removed it.", "Look again.", mod=mod)
