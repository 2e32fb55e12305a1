"""Edits of a draft as data: what may be asked, what each touches, and what it does to the lines.

The table `APPLY` is the whole list. Applying changes rows only; settling, rights and the log are in services.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, Any, Literal
from uuid import UUID

from ninja import Schema
from pydantic import Field

from convoy_core.lock.recipe import read_recipe
from convoy_core.lock.terms import MAX_STEPS, MAX_TWEAKS, read_step, read_tweak
from convoy_core.outside.fields import Fields
from convoy_core.words.errors import ConvoyError
from convoy_core.words.wording import counted, listed

from ..catalogue.models import Build
from ..catalogue.services import shelf
from ..shapes import Name, Short
from .history import restore
from .models import Draft, Edit, Line, Pack
from .tweaks import as_meant

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


class OtherGame(ConvoyError):
    code = "other-game"


COPIED = ("mod", "held_version", "held_because", "on", "rested_version", "optional", "advice", "tags", "note")
"""What of a line goes along when another pack takes it over."""

HOLDS, SAID = ("held_version", "held_because"), ("advice", "tags", "note")


class AddMod(Schema):
    """Adds a mod as a chosen line. On one that was brought in: makes it chosen."""

    do: Literal["add"]
    mod: Name


class RemoveMod(Schema):
    do: Literal["remove"]
    mod: Name


class AddMods(Schema):
    """Adds many mods at once, in this order; those that are chosen lines already are passed by."""

    do: Literal["add many"]
    mods: list[Name] = Field(min_length=1, max_length=MAX_LINES)


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


class DescribeLine(Schema):
    """Changes what is said about a line; what is left out stays. On a brought-in one: makes it chosen."""

    do: Literal["describe"]
    mod: Name
    note: Annotated[str, Field(max_length=500)] | None = None
    tags: list[Annotated[str, Field(min_length=1, max_length=30)]] | None = Field(default=None, max_length=8)
    optional: bool | None = None
    advice: Short | None = None


class MoveLines(Schema):
    """Moves chosen lines, in their order, before another one; to the end when `before` is empty. Later lines win."""

    do: Literal["move"]
    mods: list[Name] = Field(min_length=1, max_length=MAX_LINES)
    before: Short = ""


class CopyLines(Schema):
    """Takes over the chosen lines of another pack's draft, or of one of its releases, in the builds that they have
    there as far as those fit. Lines that are here already stay as they are, and another crew's own builds stay behind.
    """

    do: Literal["copy lines"]
    pack: UUID
    release: Short = ""
    holds: bool = True
    notes: bool = True
    """Whether holds go along; whether notes, tags and advice do."""


class BuildIn(Schema):
    mod: Name
    version: Short


class TakeOver(Schema):
    """Adds mods in the very builds that somebody's folder has. Lines that are here already stay as they are."""

    do: Literal["take over"]
    builds: list[BuildIn] = Field(min_length=1, max_length=MAX_LINES)
    hold: bool = False


class SetTweaks(Schema):
    """All settings that the pack sets, in the place of those that it had. A new one may name a mod for its `path`, and
    give its value as it was typed (`text`).
    """

    do: Literal["tweaks"]
    tweaks: list[dict[str, Any]] = Field(max_length=MAX_TWEAKS)


class SetSteps(Schema):
    """All steps by hand, in the place of those that there were."""

    do: Literal["steps"]
    steps: list[dict[str, Any]] = Field(max_length=MAX_STEPS)


class TakeBack(Schema):
    """Undoes one edit, as far as nobody changed the same lines since. Taking back a taking back does it again."""

    do: Literal["take back"]
    revision: Annotated[int, Field(ge=1, lt=2**31)]


EditIn = (
    AddMod
    | AddMods
    | RemoveMod
    | SwitchLine
    | HoldLine
    | UpdateMods
    | ChangeBase
    | DescribeLine
    | MoveLines
    | CopyLines
    | TakeOver
    | SetTweaks
    | SetSteps
    | TakeBack
)


def added_by(edit: AddMods | TakeOver) -> list[str]:
    return edit.mods if isinstance(edit, AddMods) else [one.mod for one in edit.builds]


@dataclass(frozen=True)
class Applied:
    """What an edit touched (mods, or `base`), what it is called in the log, and which mods it refreshes."""

    subjects: tuple[str, ...]
    sentence: str
    refresh: tuple[str, ...] = ()
    takes_back: int | None = None


def subjects_of(edit: EditIn) -> set[str]:
    """What an edit touches, known before it is applied. Taking back checks for itself what was changed since, and
    copying touches no line that is there.
    """
    if isinstance(edit, ChangeBase):
        return {"base"}
    if isinstance(edit, SetTweaks | SetSteps):
        return {edit.do}
    if isinstance(edit, TakeBack | CopyLines | TakeOver):
        return set()
    return set(edit.mods) if isinstance(edit, UpdateMods | AddMods | MoveLines) else {edit.mod}


def _add(draft: Draft, edit: AddMod) -> Applied:
    name = _name(draft, edit.mod)
    lines = list(draft.lines.all())
    if any(line.mod == edit.mod for line in lines):
        raise AlreadyThere(f"{name} is in the draft already.", mod=edit.mod)
    _append(draft, [{"mod": edit.mod}])
    return Applied((edit.mod,), f"{name} added")


def _remove(draft: Draft, edit: RemoveMod) -> Applied:
    line = _line(draft, edit.mod)
    line.delete()
    return Applied((edit.mod,), f"{_name(draft, edit.mod)} removed")


def _switch(draft: Draft, edit: SwitchLine) -> Applied:
    line = _line(draft, edit.mod)
    line.on = edit.on
    line.rested_version = "" if edit.on else draft.picks.get(edit.mod, "")
    line.save(update_fields=["on", "rested_version"])
    return Applied((edit.mod,), f"{_name(draft, edit.mod)} switched {'on' if edit.on else 'off'}")


def _hold(draft: Draft, edit: HoldLine) -> Applied:
    name = _name(draft, edit.mod)
    line = _own_line(draft, edit.mod)
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
    named = _several([_name(draft, mod) for mod in edit.mods[:4]], len(edit.mods)) if edit.mods else "everything"
    return Applied(tuple(mods), f"newest builds taken of {named}", tuple(mods))


def _base(draft: Draft, edit: ChangeBase) -> Applied:
    profile = draft.pack.game.profile
    base = profile.base(edit.game_version, edit.loader, edit.loader_version)
    draft.game_version, draft.loader = str(base.version), base.loader
    draft.loader_version = str(base.loader_version or "")
    return Applied(("base",), f"base changed to {profile.base_in_words(base)}")


def _add_many(draft: Draft, edit: AddMods) -> Applied:
    there = {line.mod for line in draft.lines.all()}
    wanted = [mod for mod in dict.fromkeys(edit.mods) if mod not in there]
    names = dict(shelf(draft.pack).filter(slug__in=wanted).values_list("slug", "name"))
    for mod in wanted:
        if mod not in names:
            raise _no_mod(mod)
    if not wanted:
        raise AlreadyThere("All of them are in the draft already.", mods=edit.mods)
    _append(draft, [{"mod": mod} for mod in wanted])
    return Applied(tuple(wanted), f"{_several([names[mod] for mod in wanted])} added")


def _describe(draft: Draft, edit: DescribeLine) -> Applied:
    name, line = _name(draft, edit.mod), _own_line(draft, edit.mod)
    said = edit.dict(exclude={"do", "mod"}, exclude_none=True)
    if "tags" in said:
        said["tags"] = sorted({tag.strip() for tag in said["tags"]} - {""})
    for field, value in said.items():
        setattr(line, field, value)
    line.save()
    if edit.optional is not None:
        return Applied((edit.mod,), f"{name} made {'optional' if edit.optional else 'part of the pack for everyone'}")
    return Applied((edit.mod,), f"{name}: {listed(sorted(said)) or 'nothing'} changed")


def _move(draft: Draft, edit: MoveLines) -> Applied:
    moving = set(edit.mods)
    lines = list(draft.lines.all())
    for mod in edit.mods:
        _line(draft, mod)
    staying = [line for line in lines if line.mod not in moving]
    at = next((place for place, line in enumerate(staying) if line.mod == edit.before), len(staying))
    ordered = [*staying[:at], *(line for line in lines if line.mod in moving), *staying[at:]]
    for place, line in enumerate(ordered, 1):
        line.order = place
    Line.objects.bulk_update(ordered, ["order"])
    where = f"before {_name(draft, edit.before)}" if at < len(staying) else "to the end"
    return Applied(
        tuple(edit.mods), f"{_several([_name(draft, mod) for mod in edit.mods[:4]], len(moving))} moved {where}"
    )


def _set_tweaks(draft: Draft, edit: SetTweaks) -> Applied:
    read = [read_tweak(Fields(as_meant(draft, one), f"tweaks[{at}]")) for at, one in enumerate(edit.tweaks)]
    # One key is set once: what was said last counts.
    draft.tweaks = [one.as_data() for one in {(one.path, one.key): one for one in read}.values()]
    return Applied(("tweaks",), f"the pack sets {counted(len(draft.tweaks), 'setting')}")


def _set_steps(draft: Draft, edit: SetSteps) -> Applied:
    draft.steps = [read_step(Fields(one, f"steps[{at}]")).as_data() for at, one in enumerate(edit.steps)]
    if len({one["id"] for one in draft.steps}) != len(draft.steps):
        raise AlreadyThere("Two steps have the same name.", field="steps")
    return Applied(("steps",), f"{counted(len(draft.steps), 'step')} by hand")


def _copy(draft: Draft, edit: CopyLines) -> Applied:
    """Whether the other pack may be seen was asked by `services.edit_draft`."""
    other = Pack.objects.select_related("draft").get(pk=edit.pack)
    if other.game_id != draft.pack.game_id:
        raise OtherGame(f"{other.name} is a pack for another game.", now="Choose one for the same game.")
    if edit.release:
        lines, picks = _of_release(other, edit.release)
    else:
        lines = [{name: getattr(one, name) for name in COPIED} for one in other.draft.lines.all()]
        picks = other.draft.picks
    there = set(draft.lines.values_list("mod", flat=True))
    shown = set(shelf(draft.pack).filter(slug__in=[line["mod"] for line in lines]).values_list("slug", flat=True))
    dropped = {*(() if edit.holds else HOLDS), *(() if edit.notes else SAID)}
    fresh = [
        {name: value for name, value in line.items() if name not in dropped}
        for line in lines
        if line["mod"] not in there and line["mod"] in shown
    ]
    if not fresh:
        raise AlreadyThere(f"Every line of {other.name} is in the draft already.")
    _append(draft, fresh)
    draft.picks = {**picks, **draft.picks}
    source = f"{other.name} {edit.release}".strip()
    return Applied(tuple(line["mod"] for line in fresh), f"{counted(len(fresh), 'line')} taken over from {source}")


def _of_release(pack: Pack, number: str) -> tuple[list[dict[str, Any]], dict[str, str]]:
    release = pack.releases.filter(number=number).first()
    if release is None:
        raise NoSuchLine(f"{pack.name} has no release {number}.", now="Choose one of those listed.")
    builds = read_recipe(bytes(release.document)).lock.builds
    return [{"mod": one.mod} for one in builds if one.chosen], {one.mod: one.version for one in builds}


def _take_over(draft: Draft, edit: TakeOver) -> Applied:
    wanted = {one.mod: one.version for one in edit.builds}
    there = set(draft.lines.values_list("mod", flat=True))
    fresh = {mod: version for mod, version in wanted.items() if mod not in there}
    known = set(
        Build.objects.filter(
            mod__in=shelf(draft.pack), mod__slug__in=fresh, version__in=set(fresh.values())
        ).values_list("mod__slug", "version")
    )
    for mod, version in fresh.items():
        if (mod, version) not in known:
            raise NoSuchMod(f"No source has {mod} {version}.", now="List the folder again.", mod=mod)
    if not fresh:
        raise AlreadyThere("All of them are in the draft already.", mods=sorted(wanted))
    held = "as the folder had it" if edit.hold else ""
    _append(
        draft,
        [{"mod": mod, "held_version": version if held else "", "held_because": held} for mod, version in fresh.items()],
    )
    draft.picks = {**draft.picks, **fresh}
    return Applied(tuple(fresh), f"{counted(len(fresh), 'mod')} taken over from a folder")


def _take_back(draft: Draft, edit: TakeBack) -> Applied:
    done = Edit.objects.filter(draft=draft, revision=edit.revision).first()
    if done is None or not done.did:
        raise NoSuchLine("There is no such edit to take back.", now="Look at the list of edits again.")
    restore(draft, done)
    sentence = f"taken back: {done.sentence}" if done.takes_back is None else f"done again: {done.sentence[12:]}"
    return Applied(tuple(done.subjects), sentence, takes_back=done.revision)


APPLY: dict[type, Callable[..., Applied]] = {
    AddMod: _add,
    AddMods: _add_many,
    RemoveMod: _remove,
    SwitchLine: _switch,
    HoldLine: _hold,
    UpdateMods: _update,
    ChangeBase: _base,
    DescribeLine: _describe,
    MoveLines: _move,
    CopyLines: _copy,
    TakeOver: _take_over,
    SetTweaks: _set_tweaks,
    SetSteps: _set_steps,
    TakeBack: _take_back,
}


def _name(draft: Draft, mod: str) -> str:
    name = shelf(draft.pack).filter(slug=mod).values_list("name", flat=True).first()
    if name is None and not draft.lines.filter(mod=mod).exists():
        raise _no_mod(mod)
    return name or mod


def _no_mod(mod: str) -> NoSuchMod:
    return NoSuchMod(f"No source has “{mod}”.", now="Search for it by another name.", mod=mod)


def _several(names: list[str], count: int = 0) -> str:
    """`A, B, C and 4 others`."""
    more = (count or len(names)) - 3
    return listed([*names[:3], f"{counted(more, 'other')}"] if more > 0 else names)


def _last_order(draft: Draft) -> int:
    return draft.lines.order_by("-order").values_list("order", flat=True).first() or 0


def _append(draft: Draft, lines: list[dict[str, Any]]) -> None:
    """New chosen lines, after those that are there. Raises TooManyLines."""
    if draft.lines.count() + len(lines) > MAX_LINES:
        raise TooManyLines(f"A draft holds at most {MAX_LINES} lines.", now="Split it into two packs.")
    last = _last_order(draft)
    Line.objects.bulk_create(Line(draft=draft, order=last + at, **line) for at, line in enumerate(lines, 1))


def _own_line(draft: Draft, mod: str) -> Line:
    """The line of a mod. What was brought in becomes the curator's own by being held or described."""
    line = draft.lines.filter(mod=mod).first()
    if line is None and mod in draft.picks:
        line = Line(draft=draft, mod=mod, order=_last_order(draft) + 1)
    if line is None:
        raise _no_line(draft, mod)
    return line


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
