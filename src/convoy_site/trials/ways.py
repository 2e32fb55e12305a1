"""What can be done about the cause of a trial's end, as edits of the draft. The profile's message says what helps."""

from convoy_core.words.log_shape import Mend
from convoy_io.judging import Cause

from ..catalogue.services import shelf
from ..packs import drafts
from ..packs.models import Pack
from ..packs.shapes.checking import WayOut
from ..packs.shapes.edits import AddMod, RemoveMod


def ways_of(pack: Pack, cause: Cause) -> list[WayOut]:
    """Only what the draft can do now: leave out a line that is one, bring in a mod that is none."""
    lines = {line.mod for line in drafts.lines_of(pack.draft)}
    named = [mod for mod in (cause.mod, cause.other) if mod]
    names = drafts.names_of(pack, set(named))
    # What is needed may be a name that some mod provides, and none that could be brought in.
    is_mod = shelf(pack).filter(slug=cause.other).exists()
    if cause.mend == Mend.BRING_IN and is_mod and cause.other not in lines:
        bring = WayOut(
            text=f"Bring in {names[cause.other]}", edits=[AddMod(do="add", mod=cause.other)], is_choice=False
        )
        return [bring, *_leaving(lines, [cause.mod], names)]
    if cause.mend in (Mend.MORE_MEMORY, Mend.OTHER_RUNTIME):
        return []
    return _leaving(lines, named if cause.mend in (Mend.ONE_OF_TWO, "") else [cause.mod], names)


def ways_without(pack: Pack, mods: list[str]) -> list[WayOut]:
    """Leaving out each of these: where several fail together only, one of them is enough."""
    return _leaving({line.mod for line in drafts.lines_of(pack.draft)}, mods, drafts.names_of(pack, mods))


def _leaving(lines: set[str], mods: list[str], names: dict[str, str]) -> list[WayOut]:
    return [
        WayOut(text=f"Leave out {names.get(mod, mod)}", edits=[RemoveMod(do="remove", mod=mod)], is_choice=True)
        for mod in mods
        if mod in lines
    ]
