"""Edits of a draft as data: what may be asked."""

from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import Field

from convoy_core.draft.parts import MAX_CHOSEN, MAX_PARTS_NAMED
from convoy_core.lock.terms import MAX_STEPS, MAX_TWEAKS, How
from convoy_core.outside.patterns import MAX_PATTERN_LENGTH
from convoy_core.words.model import Reach, Side

from ...shapes import Name, Schema, Sha256, Short

MAX_LINES = 2_000
"""Chosen lines of one draft: five times the largest pack that people keep."""


MAX_LIST = 1_100_000
"""Characters of a list of what is set aside: MAX_LINES of `conflicts.set_aside` at their longest, with comments."""

MAX_OWN = 500
"""Own files of one pack."""

Pattern = Annotated[str, Field(min_length=1, max_length=MAX_PATTERN_LENGTH)]


class AddMod(Schema):
    """Adds a mod as a chosen line. On one that was brought in: makes it chosen."""

    do: Literal["add"]
    mod: Name
    version: Short = ""
    """The build that was promised; where another one comes, it is said before it is kept."""


class RemoveMod(Schema):
    do: Literal["remove"]
    mod: Name


class AddMods(Schema):
    """Adds many mods at once, in this order; those that are chosen lines already are passed by."""

    do: Literal["add many"]
    mods: list[Name] = Field(min_length=1, max_length=MAX_LINES)
    versions: dict[Name, Short] = Field(default={}, max_length=MAX_LINES)
    """The builds that were promised, by mod."""


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


class TakeBuild(Schema):
    """Takes one build of a mod, older or newer, without holding it: the next update may move it."""

    do: Literal["take"]
    mod: Name
    version: Name


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
    tweaks: bool = True
    steps: bool = True
    """Whether the settings go along that the other pack sets; whether its steps by hand do."""


class BuildIn(Schema):
    mod: Name
    version: Short


class TakeOver(Schema):
    """Adds mods in the very builds that somebody's folder has, or that a list names. Lines that are here already stay
    as they are.
    """

    do: Literal["take over"]
    builds: list[BuildIn] = Field(min_length=1, max_length=MAX_LINES)
    hold: bool = False
    out_of: Literal["folder", "list"] = "folder"


class KeyIn(Schema):
    """One key of one file, by its names; the value as it is, or as it was typed (`text`)."""

    path: Annotated[str, Field(min_length=1, max_length=220)]
    key: list[Annotated[str, Field(min_length=1, max_length=300)]] = Field(min_length=1, max_length=40)
    value: bool | int | float | str | list[Any] | None = None
    text: Annotated[str, Field(max_length=20_000)] | None = None


class SetSettings(Schema):
    """Sets keys of settings files, beside those that the pack sets already. What is not said of a key that the pack
    sets (how, side, reason, set) stays as it was. A key may be in several sets, and in none; `out_of`: it leaves that
    one (empty: those of no set).
    """

    do: Literal["set"]
    settings: list[KeyIn] = Field(min_length=1, max_length=MAX_TWEAKS)
    how: How | None = None
    side: Side | None = None
    because: Annotated[str, Field(max_length=300)] | None = None
    set: Short | None = None
    out_of: Short | None = None


class ResetSettings(Schema):
    """Sets them no more: some keys, all of some files, or all there are. `set`: in that set alone; by itself
    everywhere but in sets that members choose.
    """

    do: Literal["reset"]
    settings: list[KeyIn] = Field(default=[], max_length=MAX_TWEAKS)
    paths: list[Annotated[str, Field(max_length=220)]] = Field(default=[], max_length=MAX_TWEAKS)
    everything: bool = False
    set: Short | None = None


class KeepSet(Schema):
    """Makes a set of settings, names it anew, switches it on and off as one, or leaves it to members (`offered`)."""

    do: Literal["keep set"]
    id: Annotated[str, Field(pattern=r"^[a-z0-9-]{1,40}$")]
    name: Annotated[str, Field(min_length=1, max_length=60)] | None = None
    on: bool | None = None
    offered: bool | None = None


class DropSet(Schema):
    """Drops a set; its settings go with it, or stay set on their own."""

    do: Literal["drop set"]
    id: Short
    keep_settings: bool = False


class CopySet(Schema):
    """Takes a set over from another pack's draft, beside what is set here; it comes switched on."""

    do: Literal["copy set"]
    pack: UUID
    id: Short


class SetSteps(Schema):
    """All steps by hand, in the place of those that there were."""

    do: Literal["steps"]
    steps: list[dict[str, Any]] = Field(max_length=MAX_STEPS)


class SetParts(Schema):
    """Which of a build's files are laid down: its named parts, these folders and patterns alone, all but those. Nothing
    said: all that it lays down by itself.
    """

    do: Literal["parts"]
    mod: Name
    named: dict[Annotated[str, Field(max_length=60)], bool] = Field(default={}, max_length=MAX_PARTS_NAMED)
    only: list[Pattern] = Field(default=[], max_length=MAX_CHOSEN)
    leave_out: list[Pattern] = Field(default=[], max_length=MAX_CHOSEN)


class SetWinner(Schema):
    """Whose file lies at some paths, or below some folders, whatever the order; an empty mod: the last in order."""

    do: Literal["winner"]
    places: list[Annotated[str, Field(min_length=1, max_length=220)]] = Field(min_length=1, max_length=200)
    mod: Short = ""


class SetAside(Schema):
    """The whole list of what is not placed: a pattern a line, `#` comments."""

    do: Literal["set aside"]
    text: Annotated[str, Field(max_length=MAX_LIST)]


class SetAsideAlso(Schema):
    """Further patterns for that list."""

    do: Literal["set aside also"]
    patterns: list[Pattern] = Field(min_length=1, max_length=200)


class PlaceOwn(Schema):
    """The pack's own files: contents that were sent before, each at a path; paths that are to go."""

    do: Literal["own files"]
    add: dict[Annotated[str, Field(min_length=1, max_length=220)], Sha256] = Field(default={}, max_length=MAX_OWN)
    remove: list[Annotated[str, Field(max_length=220)]] = Field(default=[], max_length=MAX_OWN)


class LayDown(Schema):
    """Sets a finding apart with a reason, until its evidence changes; without a reason takes it up again."""

    do: Literal["lay down"]
    finding: Annotated[str, Field(min_length=1, max_length=600)]
    because: Short = ""
    evidence: Annotated[str, Field(max_length=64)] = ""
    """The mark of the evidence that was seen."""


class SayVerdict(Schema):
    """A curator's word on a build and the draft's base; without `works` it is taken back. Holds for the whole crew."""

    do: Literal["verdict"]
    mod: Name
    version: Name
    works: bool | None = None
    note: Short = ""


class SayMore(Schema):
    """What the crew adds to what builds of a mod say of themselves; nothing said takes the addition away."""

    do: Literal["say"]
    mod: Name
    touches: list[Short] = Field(default=[], max_length=200)
    rebuilds: list[Short] = Field(default=[], max_length=200)
    partners: list[Short] = Field(default=[], max_length=20)
    parts: list[dict[str, Any]] = Field(default=[], max_length=200)
    side: Side | Literal[""] = ""
    reach: Reach | Literal[""] = ""
    note: Short = ""


class TakeUp(Schema):
    """Lays a collection under the pack, or moves it to another release: the newest that suits the base, or the one that
    is named. `hold`: it stays there, whatever comes.
    """

    do: Literal["take up"]
    collection: UUID
    release: Short = ""
    hold: bool = False


class DropCollection(Schema):
    do: Literal["drop collection"]
    collection: Short


class MoveCollection(Schema):
    """Moves it before another one, or over all others. Of two, the later goes before."""

    do: Literal["move collection"]
    collection: Short
    before: Short = ""


class Detach(Schema):
    """Makes what a collection lays down the pack's own, and follows it no more."""

    do: Literal["detach"]
    collection: Short


Place = Annotated[str, Field(min_length=1, max_length=600)]


class TakeFromLead(Schema):
    """Takes some of what is new at the lead; at other places it stays as it is here (`mine`), and is not asked again
    until the lead changes it once more.
    """

    do: Literal["take from lead"]
    take: list[Place] = Field(default=[], max_length=10_000)
    mine: list[Place] = Field(default=[], max_length=10_000)


class TakeProposal(Schema):
    """Takes some of what another pack's curators propose."""

    do: Literal["take proposal"]
    proposal: UUID
    take: list[Place] = Field(min_length=1, max_length=10_000)


class LeaveLead(Schema):
    """Follows no lead any more. What was taken stays."""

    do: Literal["leave lead"]


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
    | TakeBuild
    | UpdateMods
    | ChangeBase
    | DescribeLine
    | MoveLines
    | CopyLines
    | TakeOver
    | SetSettings
    | ResetSettings
    | KeepSet
    | DropSet
    | CopySet
    | SetSteps
    | SetParts
    | SetWinner
    | SetAside
    | SetAsideAlso
    | PlaceOwn
    | LayDown
    | SayVerdict
    | SayMore
    | TakeUp
    | DropCollection
    | MoveCollection
    | Detach
    | TakeFromLead
    | TakeProposal
    | LeaveLead
    | TakeBack
)


def added_by(edit: AddMod | AddMods | TakeOver) -> list[str]:
    if isinstance(edit, AddMod):
        return [edit.mod]
    return edit.mods if isinstance(edit, AddMods) else [one.mod for one in edit.builds]


def promised_by(edit: EditIn) -> dict[str, str]:
    """The builds that whoever asked was promised, by mod; empty where just the newest is expected."""
    if isinstance(edit, AddMod | TakeBuild):
        return {edit.mod: edit.version}
    if isinstance(edit, AddMods):
        return {mod: edit.versions.get(mod, "") for mod in edit.mods}
    if isinstance(edit, TakeOver):
        return {one.mod: one.version for one in edit.builds}
    return {}


def named_by(edit: EditIn) -> set[str]:
    """The mods that an edit speaks of."""
    if isinstance(edit, TakeOver | AddMod | AddMods):
        return set(added_by(edit))
    if isinstance(edit, UpdateMods | MoveLines):
        return set(edit.mods)
    if isinstance(edit, RemoveMod | SwitchLine | HoldLine | DescribeLine | TakeBuild | SetParts | SayVerdict | SayMore):
        return {edit.mod}
    return set()


def subjects_below(edit: EditIn) -> list[str]:
    """What the subjects begin with that an edit of many things touches without naming each."""
    if not isinstance(edit, ResetSettings):
        return []
    return ["setting "] if edit.everything else [f"setting {path} " for path in edit.paths]


def subjects_of(edit: EditIn) -> set[str]:
    """What an edit touches, known before it is applied. Taking back checks for itself what was changed since, and
    copying touches no line that is there.
    """
    if isinstance(edit, ChangeBase):
        return {"base"}
    if isinstance(edit, SetSteps):
        return {edit.do}
    if isinstance(edit, SetSettings | ResetSettings):
        return {f"setting {one.path} {'.'.join(one.key)}"[:600] for one in edit.settings} or {"settings"}
    if isinstance(edit, KeepSet | DropSet | CopySet):
        return {f"set {edit.id}"}
    if isinstance(edit, SetAside | SetAsideAlso):
        return {"set aside"}
    if isinstance(edit, SetWinner):
        return {f"winner for {place}" for place in edit.places}
    if isinstance(edit, PlaceOwn):
        return {f"own {path}" for path in (*edit.add, *edit.remove)}
    if isinstance(edit, LayDown):
        return {f"finding {edit.finding}"}
    if isinstance(edit, TakeFromLead | LeaveLead):
        return {"lead"}
    if isinstance(edit, TakeProposal):
        return {f"proposal {edit.proposal}"}
    if isinstance(edit, TakeUp | DropCollection | MoveCollection | Detach):
        return {f"collection {edit.collection}"}
    if isinstance(edit, TakeBack | CopyLines | TakeOver):
        return set()
    return named_by(edit)
