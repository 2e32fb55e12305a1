"""What of a build a draft lays down: its parts with sizes, and its tree of files."""

from typing import Any

from convoy_core.draft.parts import AS_IT_COMES, laid_parts
from convoy_core.outside.patterns import matcher

from ..catalogue.sayings import own_claims, sayings_of
from ..people.rights import NotFound
from . import drafts
from .models import Pack

MOST_FILES = 5_000
"""Files of one build that its tree shows; more are counted."""


def parts_of(pack: Pack, mod: str) -> dict[str, Any]:
    """Raises NotFound."""
    draft = pack.draft
    row = next((one for one in drafts.picked(draft, with_files=True).rows if one.mod.slug == mod), None)
    if row is None:
        raise NotFound("This mod has no build in the draft.", now="Add it first.")
    rule = drafts.rules_of(draft).get(mod, AS_IT_COMES)
    own = own_claims(row)
    claims = sayings_of(pack).claims_of(mod, own)
    locked = next(build for build, _ in drafts.layers(draft, with_files=False) if build.mod == mod)
    layout = pack.game.profile.kinds[locked.kind]
    place = layout.place.format(mod=mod)
    top = len(place) + 1 if place else 0
    whole = drafts.placed_whole(row, locked, pack.game.profile)
    sizes = {file.path[top:]: file.size for file in whole}
    laid = {path for path in sizes if locked.laid.keep(path)}
    on = {part.id for part in laid_parts(claims, rule)}
    parts = []
    for part in claims.parts:
        caught = [path for path in sizes if matcher(part.patterns).fullmatch(path)]
        parts.append(
            {
                "id": part.id,
                "name": part.name,
                "folders": list(part.folders),
                "laid": part.id in on,
                "default": part.default,
                "files": len(caught),
                "size": sum(sizes[path] for path in caught),
                "needs": {mod: asked.in_words() for mod, asked in part.needs.items()},
                "breaks": {mod: asked.in_words() for mod, asked in part.breaks.items()},
                "by_crew": part not in own.parts,
            }
        )
    shown = sorted(sizes)[:MOST_FILES]
    return {
        "mod": mod,
        "version": row.version,
        "parts": parts,
        "only": list(rule.only),
        "leave_out": list(rule.leave_out),
        "files": [{"path": path, "size": sizes[path], "laid": path in laid} for path in shown],
        "more": len(sizes) - len(shown),
        "laid": len(laid),
        "laid_size": sum(sizes[path] for path in laid),
        "in_all": len(sizes),
        "size": sum(sizes.values()),
    }
