"""What the crew's own builds claim, and which claims wait for a second curator (`convoy_core.checks.unreviewed`)."""

from collections.abc import Mapping, Sequence

from convoy_core.checks import Unreviewed
from convoy_core.checks.unreviewed import is_reviewed
from convoy_core.lock.lock import LockedBuild

from .drawing import Drawing
from .models import Build, OwnClaim, OwnFile


def waiting(pack: Drawing, builds: Sequence[LockedBuild]) -> dict[str, Unreviewed]:
    """By mod what waits for a second curator; nothing where the crew does not ask for it. Three queries."""
    if pack.crew is None or not pack.crew.reviews:
        return {}
    rows = own_rows(pack, builds)
    markers = _markers(pack, rows)
    return {
        build.mod: Unreviewed(
            said.by.shown if (said := claim_of(row)) and said.by else "",
            markers.get(row.archive_sha256, {}),
            said.refused_by.shown if said and said.refused_by else "",
            said.note if said else "",
        )
        for build in builds
        if (row := rows.get(build.mod)) and is_reviewed(build.side, build.reach) and not is_agreed(row, build)
    }


def claim_of(row: Build) -> OwnClaim | None:
    """None for builds from before anybody asked, and for those that came with a pack."""
    found: OwnClaim | None = getattr(row, "claim", None)
    return found


def is_agreed(row: Build, build: LockedBuild) -> bool:
    said = claim_of(row)
    return said is not None and said.agreed_by_id is not None and (said.side, said.reach) == (build.side, build.reach)


def own_rows(pack: Drawing, builds: Sequence[LockedBuild]) -> dict[str, Build]:
    versions = {build.mod: build.version for build in builds}
    rows = Build.objects.filter(mod__crew=pack.crew_id, mod__source__is_own=True, mod__slug__in=versions)
    rows = rows.filter(version__in=set(versions.values())).select_related(
        "mod", "claim__by", "claim__agreed_by", "claim__refused_by"
    )
    return {row.mod.slug: row for row in rows.defer("files", "mod__words") if versions[row.mod.slug] == row.version}


def _markers(pack: Drawing, rows: Mapping[str, Build]) -> dict[str, dict[str, str]]:
    hashes = [row.archive_sha256 for row in rows.values()]
    found = OwnFile.objects.filter(crew=pack.crew_id, sha256__in=hashes).values_list("sha256", "marker")
    return {
        sha256: {name: value for name in ("side", "reach") if isinstance(value := marker.get(name), str)}
        for sha256, marker in found
    }
