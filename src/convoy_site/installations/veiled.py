"""What pages tell of an installation whose release is sealed for their reader: sizes, counts, errands, steps by hand,
and nothing else of what is in it. What its agent told is kept as it is, and shown when the release has opened.
"""

from collections.abc import Collection, Iterable
from dataclasses import replace

from convoy_core.sync.standing import State
from convoy_core.words.model import Pickup

from .shapes.member import ErrandOut, InstallationPage, PlanOut, ProgressOut
from .shapes.own import BesideOut
from .standings import Stood

TOLD_LATER = "What is in it is told when it opens."


def is_veiled(stood: Stood, hidden: Collection[int]) -> bool:
    """Whether what it has, or is to have, is not for the reader yet. `hidden`: releases, by key."""
    target = stood.target.pk if stood.target else None
    return bool(hidden) and (stood.installation.release_id in hidden or target in hidden)


def veiled(stood: Stood) -> Stood:
    """Where it stands, and not by what."""
    found, verdict = stood.standing, replace(stood.verdict, leave_out=(), remarks=())
    to_do = "It asks for more than this machine has." if found.state is State.CANNOT_RUN else found.to_do
    return replace(stood, standing=replace(found, differences=(), to_do=to_do), verdict=verdict)


def veiled_progress(progress: ProgressOut) -> ProgressOut:
    error = TOLD_LATER if progress.error else ""
    return progress.model_copy(update={"what": "", "under_way": [], "error": error})


def veiled_page(page: InstallationPage, known: Collection[str]) -> InstallationPage:
    """`known`: steps by hand, by their words, of a release that its member knows: they may be told."""
    steps = [one for one in page.steps if one.text in known]
    return page.model_copy(
        update={
            "changes": [],
            "worlds": [],
            "plan": _veiled_plan(page.plan) if page.plan else None,
            "errands": [_veiled_errand(one) for one in page.errands],
            "choices": [],
            "beside": veiled_beside(page.beside),
            "into_worlds": [],
            "steps": steps,
            "steps_later": len(page.steps) - len(steps),
            "saved": [one.model_copy(update={"progress": []}) for one in page.saved],
            "settings": [],
            "offered": [],
            "history": [one.model_copy(update={"mods": [], "notes": [], "moved": []}) for one in page.history],
            "remarks": [],
            "answer": TOLD_LATER if page.refused else "",
        }
    )


def veiled_beside(ones: Iterable[BesideOut]) -> list[BesideOut]:
    """What is left out of a collection, and how much of it remains, tells what the pack has."""
    nothing = {"left_out": [], "mods": 0, "download": 0, "errands": 0}
    return [one.model_copy(update=nothing) for one in ones]


def _veiled_plan(plan: PlanOut) -> PlanOut:
    return plan.model_copy(update={"merged": [], "rewritten": [], "mine": [], "aside": [], "extras": []})


def _veiled_errand(one: ErrandOut) -> ErrandOut:
    """By its file alone where its source gives it by that: for the others one has to know what to ask for."""
    if one.pickup != Pickup.CLICK:
        return one
    told = one.instructions.replace(f"{one.name} {one.version}", one.file)
    return one.model_copy(update={"mod": one.sha256, "name": one.file, "version": "", "instructions": told})
