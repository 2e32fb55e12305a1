"""What of a build a draft lays down: its parts with sizes, and its tree of files."""

from typing import Any

from convoy_core.draft.parts import AS_IT_COMES, as_patterns, laid_parts
from convoy_core.outside.archive_root import placements
from convoy_core.outside.patterns import matcher
from convoy_core.words.model import Kind

from ..catalogue.models import Build
from ..catalogue.sayings import own_claims, sayings_of
from ..catalogue.services import shelf
from ..people.rights import NotFound
from . import drafts
from .models import Pack

MOST_FILES = 5_000
"""Files of one build that its tree shows; more are counted."""


def parts_of(pack: Pack, mod: str) -> dict[str, Any]:
    """Raises NotFound."""
    draft = pack.draft
    version = draft.picks.get(mod, "")
    shown = Build.objects.filter(mod__in=shelf(pack), mod__slug=mod, version=version).select_related("mod")
    row = shown.first() if version else None
    if row is None:
        raise NotFound("This mod has no build in the draft.", now="Add it first.")
    rule = drafts.rules_of(draft).get(mod, AS_IT_COMES)
    own = own_claims(row)
    claims = sayings_of(pack).claims_of(mod, own)
    laid_down = as_patterns(claims, rule)
    layout = pack.game.profile.kinds[Kind(row.mod.kind)]
    members = {path: size for path, size, _ in row.files}
    placed = placements(members, layout, mod, row.root)
    sizes = {path.removeprefix(layout.top(mod)): members[member] for path, member in placed.items()}
    laid = {path for path in sizes if laid_down.keep(path)}
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
    listed = sorted(sizes)[:MOST_FILES]
    return {
        "mod": mod,
        "version": row.version,
        "parts": parts,
        "only": list(rule.only),
        "leave_out": list(rule.leave_out),
        "files": [{"path": path, "size": sizes[path], "laid": path in laid} for path in listed],
        "more": len(sizes) - len(listed),
        "laid": len(laid),
        "laid_size": sum(sizes[path] for path in laid),
        "in_all": len(sizes),
        "size": sum(sizes.values()),
    }
