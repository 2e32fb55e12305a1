"""Edits that are somebody's word: verdicts on builds and additions to their claims, which hold for all of a crew's
packs, and findings that are laid down with a reason.
"""

from collections.abc import Callable
from typing import Any

from django.utils import timezone

from convoy_core.log.fates import Fate
from convoy_core.outside.claims import read_claims
from convoy_core.outside.fields import Fields
from convoy_core.words.wording import listed

from ..catalogue.models import Addition, Build, Verdict
from ..catalogue.services import shelf
from ..people.models import User
from . import checking
from .applied import AlreadyThere, Applied, NoSuchLine, NoSuchMod, name_in
from .models import Draft
from .shapes.edits import LayDown, SayMore, SayVerdict

MOST_LAID_DOWN = 500


def _verdict(draft: Draft, edit: SayVerdict, user: User) -> Applied:
    name = name_in(draft, edit.mod)
    build = (
        Build.objects.filter(mod__in=shelf(draft.pack), mod__slug=edit.mod, version=edit.version, refused="")
        .defer("files")
        .first()
    )
    if build is None:
        raise NoSuchMod(f"{name} has no build {edit.version} that can be installed.", mod=edit.mod)
    base = draft.pack.game.profile.base(draft.game_version, draft.loader, draft.loader_version)
    about: dict[str, Any] = {
        "crew": draft.pack.crew,
        "game": draft.pack.game,
        "mod": edit.mod,
        "version": edit.version,
        "game_version": str(base.version),
        "loader": base.loader,
    }
    label = draft.pack.game.profile.game_version(draft.game_version).label
    if edit.works is None:
        Verdict.objects.filter(**about).delete()
        verb = f"{edit.version}: no verdict on {label} any more"
    else:
        told = {
            "archive_sha256": build.archive_sha256,
            "works": edit.works,
            "note": _with_evidence(draft, edit),
            "by": user,
        }
        Verdict.objects.update_or_create(**about, defaults={**told, "on": timezone.localdate()})
        verb = f"{edit.version} {'works' if edit.works else 'does not work'} on {label}"
    # What stood there may have to go, or what was kept away may come: its mod settles anew.
    return Applied((edit.mod,), verb, (name,), refresh=(edit.mod,) if edit.works is not None else ())


def _with_evidence(draft: Draft, edit: SayVerdict) -> str:
    """What was said, with what the bench saw of this very build in the draft as it is, where that says the same."""
    tried = checking.ASKED.tried(draft.pack)
    if tried is None or draft.picks.get(edit.mod) != edit.version:
        return edit.note
    fate = tried.fates.get(edit.mod)
    seen = ""
    if edit.works and tried.came_up and fate == Fate.LOADED:
        seen = f"bench, {tried.on}: it came up"
    elif not edit.works and not tried.came_up and (fate == Fate.FAILED or edit.mod in tried.named):
        seen = f"bench, {tried.on}: it failed"
    return "; ".join(filter(None, (edit.note, seen)))[:200]


def _more(draft: Draft, edit: SayMore, user: User) -> Applied:
    name = name_in(draft, edit.mod)
    claims = read_claims(
        Fields({"parts": edit.parts, "touches": edit.touches, "rebuilds": edit.rebuilds, "partners": edit.partners})
    ).as_data()
    about: dict[str, Any] = {"crew": draft.pack.crew, "game": draft.pack.game, "mod": edit.mod}
    if not claims and not edit.side and not edit.reach:
        Addition.objects.filter(**about).delete()
        return Applied((edit.mod,), "is as its builds say", (name,))
    told = {"claims": claims, "side": edit.side, "reach": edit.reach, "note": edit.note, "by": user}
    Addition.objects.update_or_create(**about, defaults={**told, "on": timezone.localdate()})
    said = [*sorted(claims), *(["side"] if edit.side else []), *(["reach"] if edit.reach else [])]
    return Applied((edit.mod,), f"said more of: {listed(said)}", (name,))


def _lay_down(draft: Draft, edit: LayDown, user: User) -> Applied:
    kept = {one: told for one, told in draft.laid_down.items() if one != edit.finding}
    if edit.because:
        if len(kept) >= MOST_LAID_DOWN:
            raise AlreadyThere(f"{MOST_LAID_DOWN} findings are laid down already.", now="Take some of them up again.")
        kept[edit.finding] = {"because": edit.because, "evidence": edit.evidence}
        kept[edit.finding] |= {"by": user.shown, "at": timezone.now().isoformat(timespec="seconds")}
    elif len(kept) == len(draft.laid_down):
        raise NoSuchLine("This finding is not laid down.", now="Look again.")
    draft.laid_down = kept
    verb = f"a finding laid down: {edit.because}" if edit.because else "a finding taken up again"
    return Applied((f"finding {edit.finding}",), verb)


SAYING: dict[type, Callable[..., Applied]] = {SayVerdict: _verdict, SayMore: _more, LayDown: _lay_down}
