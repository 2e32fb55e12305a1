"""What each edit does to a draft's lines. The table `APPLY` is the whole list.

Applying changes rows only; settling, rights and the log are in services.
"""

from collections.abc import Callable
from typing import Any
from uuid import UUID

from django.contrib.postgres.fields import ArrayField
from django.db.models import CharField, F, Func, Value

from convoy_core.lock.lock import Lock
from convoy_core.lock.recipe import read_recipe
from convoy_core.lock.terms import read_step
from convoy_core.outside.fields import Fields
from convoy_core.words.errors import ConvoyError
from convoy_core.words.wording import counted, listed

from ..catalogue.models import Build
from ..catalogue.services import shelf
from . import collections, drafts
from .applied import AlreadyThere, Applied, NoSuchLine, NoSuchMod, name_in, names_in, no_mod
from .collection_edits import TAKING
from .history import restore
from .laying_edits import LAYING
from .models import Draft, Edit, Line, Pack
from .shapes.edits import (
    MAX_LINES,
    AddMod,
    AddMods,
    ChangeBase,
    CopyLines,
    DescribeLine,
    HoldLine,
    MoveLines,
    RemoveMod,
    SetSteps,
    SwitchLine,
    TakeBack,
    TakeBuild,
    TakeOver,
    TakeUp,
    UpdateMods,
)


class TooManyLines(ConvoyError):
    code = "too-many-lines"


class OtherGame(ConvoyError):
    code = "other-game"


COPIED = ("mod", "held_version", "held_because", "on", "rested_version", "optional", "advice", "tags", "note")
"""What of a line goes along when another pack takes it over."""

COPIED_TERMS = ("tweaks", "steps")

HOLDS, SAID = ("held_version", "held_because"), ("advice", "tags", "note")


def _add(draft: Draft, edit: AddMod) -> Applied:
    name = name_in(draft, edit.mod)
    if any(line.mod == edit.mod for line in drafts.lines_of(draft)):
        raise AlreadyThere(f"{name} is in the draft already.", mod=edit.mod)
    _append(draft, [{"mod": edit.mod}])
    return Applied((edit.mod,), "added", (name,))


def _remove(draft: Draft, edit: RemoveMod) -> Applied:
    line = _line(draft, edit.mod)
    line.delete()
    return Applied((edit.mod,), "removed", (name_in(draft, edit.mod),))


def _switch(draft: Draft, edit: SwitchLine) -> Applied:
    is_theirs = edit.mod in drafts.taken_under(draft).lines
    line = _own_line(draft, edit.mod) if is_theirs else _line(draft, edit.mod)
    line.on = edit.on
    if edit.on:
        line.rested_version = ""
    elif not line.rested_version:
        line.rested_version = draft.picks.get(edit.mod, "")
    line.save()
    return Applied((edit.mod,), f"switched {'on' if edit.on else 'off'}", (name_in(draft, edit.mod),))


def _hold(draft: Draft, edit: HoldLine) -> Applied:
    name = name_in(draft, edit.mod)
    line = _own_line(draft, edit.mod)
    if edit.version:
        _refuse_unknown(draft, edit.mod, edit.version, name)
    line.held_version, line.held_because = edit.version, edit.because if edit.version else ""
    line.save()
    verb, detail = ("held", f"at {edit.version}") if edit.version else ("let go", "")
    return Applied((edit.mod,), verb, (name,), detail, refresh=(edit.mod,))


def _take(draft: Draft, edit: TakeBuild) -> Applied:
    name = name_in(draft, edit.mod)
    if edit.mod not in draft.picks and not draft.lines.filter(mod=edit.mod).exists():
        raise _no_line(draft, edit.mod)
    _refuse_unknown(draft, edit.mod, edit.version, name)
    if edit.mod in drafts.taken_under(draft).lines:
        _own_line(draft, edit.mod).save()
    held = draft.lines.filter(mod=edit.mod).exclude(held_version="").first()
    if held:
        held.held_version = held.held_because = ""
        held.save(update_fields=["held_version", "held_because"])
    draft.picks = {**draft.picks, edit.mod: edit.version}
    return Applied((edit.mod,), "taken", (name,), f"at {edit.version}")


def _refuse_unknown(draft: Draft, mod: str, version: str, name: str) -> None:
    there = Build.objects.filter(mod__in=shelf(draft.pack), mod__slug=mod, version=version, refused="")
    if not there.exists():
        raise NoSuchMod(f"{name} has no build {version} that can be installed.", mod=mod)


def _update(draft: Draft, edit: UpdateMods) -> Applied:
    """Of everything: collections that are not held move to their newest release, too."""
    if not edit.mods:
        for one in collections.taken(draft):
            if one.newer is not None and not one.held:
                TAKING[TakeUp](draft, TakeUp(do="take up", collection=UUID(one.collection.id)))
    mods = edit.mods or sorted(draft.picks)
    for mod in edit.mods:
        if mod not in draft.picks:
            raise _no_line(draft, mod)
    names = names_in(draft, edit.mods) if edit.mods else ("everything",)
    return Applied(tuple(mods), "updated", names, refresh=tuple(mods))


def _base(draft: Draft, edit: ChangeBase) -> Applied:
    profile = draft.pack.game.profile
    base = profile.base(edit.game_version, edit.loader, edit.loader_version)
    draft.game_version, draft.loader = str(base.version), base.loader
    draft.loader_version = str(base.loader_version or "")
    return Applied(("base",), f"base changed to {profile.base_in_words(base)}")


def _add_many(draft: Draft, edit: AddMods) -> Applied:
    there = {line.mod for line in drafts.lines_of(draft)}
    wanted = [mod for mod in dict.fromkeys(edit.mods) if mod not in there]
    names = dict(shelf(draft.pack).filter(slug__in=wanted).values_list("slug", "name"))
    for mod in wanted:
        if mod not in names:
            raise no_mod(mod)
    if not wanted:
        raise AlreadyThere("All of them are in the draft already.", mods=edit.mods)
    _append(draft, [{"mod": mod} for mod in wanted])
    return Applied(tuple(wanted), "added", tuple(names[mod] for mod in wanted))


def _describe(draft: Draft, edit: DescribeLine) -> Applied:
    name, line = name_in(draft, edit.mod), _own_line(draft, edit.mod)
    said = edit.dict(exclude={"do", "mod"}, exclude_none=True)
    if "tags" in said:
        said["tags"] = sorted({tag.strip() for tag in said["tags"]} - {""})
    for field, value in said.items():
        setattr(line, field, value)
    line.save()
    if set(said) == {"optional"}:
        return Applied((edit.mod,), f"made {'optional' if edit.optional else 'part of the pack for everyone'}", (name,))
    return Applied((edit.mod,), f"described anew ({listed(sorted(said)) or 'nothing'})", (name,))


def _move(draft: Draft, edit: MoveLines) -> Applied:
    moving = set(edit.mods)
    lines = drafts.lines_of(draft)
    known = {line.mod for line in lines}
    for mod in edit.mods:
        if mod not in known:
            raise _no_line(draft, mod)
    staying = [line for line in lines if line.mod not in moving]
    at = next((place for place, line in enumerate(staying) if line.mod == edit.before), len(staying))
    ordered = [*staying[:at], *(line for line in lines if line.mod in moving), *staying[at:]]
    moved = [line.mod for place, line in enumerate(ordered, 1) if line.order != place]
    order = Value([line.mod for line in ordered], ArrayField(CharField()))
    draft.lines.filter(mod__in=moved).update(order=Func(order, F("mod"), function="array_position"))
    where = f"before {name_in(draft, edit.before)}" if at < len(staying) else "to the end"
    return Applied(tuple(edit.mods), f"moved {where}", names_in(draft, edit.mods))


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
    terms = _take_terms(draft, other, edit)
    if not fresh and not terms:
        raise AlreadyThere(f"Everything of {other.name} is in the draft already.")
    _append(draft, fresh)
    draft.picks = {**picks, **draft.picks}
    if not edit.release:
        draft.parts = {**{mod: rule for mod, rule in other.draft.parts.items() if mod not in there}, **draft.parts}
    source = f"{other.name} {edit.release}".strip()
    what = [*([counted(len(fresh), "line")] if fresh else []), *terms]
    touched = (*(line["mod"] for line in fresh), *(COPIED_TERMS if terms else ()))
    return Applied(touched, f"{listed(what)} taken over from {source}")


def _take_terms(draft: Draft, other: Pack, edit: CopyLines) -> list[str]:
    """Settings and steps of the other pack beside the draft's own, which go before; says what came, in words."""
    if edit.release:
        of_release = _lock_of_release(other, edit.release).terms
        theirs = {
            "tweaks": [one.as_data() for one in of_release.tweaks],
            "steps": [one.as_data() for one in of_release.steps],
        }
    else:
        theirs = {"tweaks": other.draft.tweaks, "steps": other.draft.steps}
    came = []
    for name, word, same in (("tweaks", "setting", ("path", "key", "set")), ("steps", "step by hand", ("id",))):
        there = [[one.get(part, "") for part in same] for one in getattr(draft, name)]
        fresh = [one for one in theirs[name] if [one.get(part, "") for part in same] not in there]
        if fresh and getattr(edit, name):
            setattr(draft, name, [*getattr(draft, name), *fresh])
            came.append(counted(len(fresh), word, "steps by hand" if name == "steps" else ""))
    named = {one["set"] for one in draft.tweaks if "set" in one} - draft.tweak_sets.keys()
    draft.tweak_sets |= {one: other.draft.tweak_sets[one] for one in named}
    return came


def _lock_of_release(pack: Pack, number: str) -> Lock:
    release = pack.releases.filter(number=number).first()
    if release is None:
        raise NoSuchLine(f"{pack.name} has no release {number}.", now="Choose one of those listed.")
    return read_recipe(bytes(release.document)).lock


def _of_release(pack: Pack, number: str) -> tuple[list[dict[str, Any]], dict[str, str]]:
    builds = _lock_of_release(pack, number).builds
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
            raise NoSuchMod(f"No source has {mod} {version}.", now="Give it again, as it is now.", mod=mod)
    if not fresh:
        raise AlreadyThere("All of them are in the draft already.", mods=sorted(wanted))
    held = f"as the {edit.out_of} had it" if edit.hold else ""
    _append(
        draft,
        [{"mod": mod, "held_version": version if held else "", "held_because": held} for mod, version in fresh.items()],
    )
    draft.picks = {**draft.picks, **fresh}
    return Applied(tuple(fresh), f"{counted(len(fresh), 'mod')} taken over from a {edit.out_of}")


def _take_back(draft: Draft, edit: TakeBack) -> Applied:
    done = Edit.objects.filter(draft=draft, revision=edit.revision).first()
    if done is None or not done.did:
        raise NoSuchLine("There is no such edit to take back.", now="Look at the list of edits again.")
    restore(draft, done)
    root = done if done.root is None else Edit.objects.get(draft=draft, revision=done.root)
    again = done.takes_back is not None and not done.again
    verb = f"{'done again' if again else 'taken back'}: {root.sentence}"
    return Applied(tuple(done.subjects), verb, takes_back=done.revision, root=root.revision, again=again)


APPLY: dict[type, Callable[..., Applied]] = {
    AddMod: _add,
    AddMods: _add_many,
    RemoveMod: _remove,
    SwitchLine: _switch,
    HoldLine: _hold,
    TakeBuild: _take,
    UpdateMods: _update,
    ChangeBase: _base,
    DescribeLine: _describe,
    MoveLines: _move,
    CopyLines: _copy,
    TakeOver: _take_over,
    SetSteps: _set_steps,
    **LAYING,
    **TAKING,
    TakeBack: _take_back,
}


def _last_order(draft: Draft) -> int:
    return draft.lines.order_by("-order").values_list("order", flat=True).first() or 0


def _append(draft: Draft, lines: list[dict[str, Any]]) -> None:
    """New chosen lines, after those that are there. Raises TooManyLines."""
    if draft.lines.count() + len(lines) > MAX_LINES:
        raise TooManyLines(f"A draft holds at most {MAX_LINES} lines.", now="Split it into two packs.")
    last = _last_order(draft)
    Line.objects.bulk_create(Line(draft=draft, order=last + at, **line) for at, line in enumerate(lines, 1))


def _own_line(draft: Draft, mod: str) -> Line:
    """The line of a mod. What was brought in, or is of a collection, becomes the curator's own by being held, described
    or switched off.
    """
    line = draft.lines.filter(mod=mod).first()
    theirs = drafts.taken_under(draft).lines.get(mod)
    if line is None and (theirs or mod in draft.picks):
        said = {"optional": theirs.line.optional, "advice": theirs.line.advice[:200]} if theirs else {}
        line = Line(draft=draft, mod=mod, order=_last_order(draft) + 1, **said)
        drafts.read_anew(draft)
    if line is None:
        raise _no_line(draft, mod)
    return line


def _line(draft: Draft, mod: str) -> Line:
    line = draft.lines.filter(mod=mod).first()
    if line is None:
        raise _no_line(draft, mod)
    return line


def _no_line(draft: Draft, mod: str) -> NoSuchLine:
    if theirs := drafts.taken_under(draft).lines.get(mod):
        return NoSuchLine(
            f"{name_in(draft, mod)} is a line of {theirs.collection.name}.",
            "It leaves when that is dropped.",
            "Switch it off to leave it out here.",
            mod=mod,
        )
    if mod in draft.picks:
        return NoSuchLine(
            f"{name_in(draft, mod)} was brought in by what needs it.",
            "It leaves when nothing needs it any more.",
            "Remove what needs it.",
            mod=mod,
        )
    return NoSuchLine(f"{mod} is not in the draft.", "Somebody may have removed it.", "Look again.", mod=mod)
