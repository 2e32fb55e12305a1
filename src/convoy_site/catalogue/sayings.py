"""What a crew says of builds beyond what they say themselves: verdicts, and additions to their claims.

Nothing here changes a build as its source lists it: the crew's word is laid over it when it is looked at.
"""

from collections.abc import Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from convoy_core.outside.claims import NO_CLAIMS, Claims, read_claims
from convoy_core.outside.fields import Fields
from convoy_core.words.model import Base
from convoy_core.words.model import Build as CoreBuild
from convoy_core.words.model import Verdict as CoreVerdict
from convoy_core.words.versions import parse_version

from ..remembered import Remembered
from . import changes
from .drawing import Drawing
from .models import Addition, Build, Verdict


@dataclass(frozen=True)
class Sayings:
    """`verdicts`: by mod and version; `additions`: by mod; `told`: everything that is said, those verdicts among it
    whose archive is another one by now, as plain data: for keeping what an edit changed.
    """

    verdicts: Mapping[tuple[str, str], tuple[CoreVerdict, ...]]
    additions: Mapping[str, Addition]
    told: Mapping[str, dict[str, Any]]

    @cached_property
    def judged(self) -> frozenset[str]:
        """Mods with a build of which there is a verdict."""
        return frozenset(mod for mod, _ in self.verdicts)

    def heard(self, build: CoreBuild) -> CoreBuild:
        """The build with what the crew says of it."""
        if build.mod not in self.judged:
            return build
        said = self.verdicts.get((build.mod, build.version.text), ())
        return replace(build, verdicts=said) if said else build

    def works_on(self, base: Base) -> set[str]:
        """Mods with a build of which a verdict says that it works on a base."""
        return {
            mod for (mod, _), said in self.verdicts.items() if any(one.works and one.is_about(base) for one in said)
        }

    def all_heard(self, builds: Iterable[CoreBuild]) -> list[CoreBuild]:
        return [self.heard(one) for one in builds] if self.verdicts else list(builds)

    def claims_of(self, mod: str, own: Claims) -> Claims:
        """What a build claims together with what the crew adds; of one part both name, the build's goes before."""
        added = self.additions.get(mod)
        if added is None:
            return own
        more = read_claims(Fields(added.claims))
        ids = {part.id for part in own.parts}
        return Claims(
            (*own.parts, *(part for part in more.parts if part.id not in ids)),
            tuple(dict.fromkeys((*own.touches, *more.touches))),
            tuple(dict.fromkeys((*own.rebuilds, *more.rebuilds))),
            tuple(dict.fromkeys((*own.partners, *more.partners))),
            own.schema,
        )


_kept: Remembered[tuple[Hashable, str], Sayings] = Remembered(100)
"""By crew and game."""


def sayings_of(pack: Drawing, mark: str = "") -> Sayings:
    """What a pack's crew says of the builds of its game. `mark`: taken before (`changes.mark`). No query where that is
    as it was; else two, three where there are verdicts.
    """
    return _kept.get((pack.crew_id, pack.game_id), mark or changes.mark(), lambda: _read(pack))


def _read(pack: Drawing) -> Sayings:
    verdicts: dict[tuple[str, str], tuple[CoreVerdict, ...]] = {}
    said = list(Verdict.objects.filter(crew=pack.crew_id, game=pack.game_id).select_related("by"))
    # A verdict is about an archive: of a build that has another one by now it says nothing.
    hashes = {one.archive_sha256 for one in said}
    still = set(
        Build.objects.filter(archive_sha256__in=hashes, mod__game=pack.game_id).values_list(
            "mod__slug", "version", "archive_sha256"
        )
        if said
        else ()
    )
    for one in said:
        if (one.mod, one.version, one.archive_sha256) in still:
            key = (one.mod, one.version)
            verdicts[key] = (*verdicts.get(key, ()), core_verdict(one))
    added = list(Addition.objects.filter(crew=pack.crew_id, game=pack.game_id).select_related("by"))
    told = {_verdict_key(one): _plain(one, SAID_BY_VERDICT) for one in said}
    told |= {f"addition\t{one.mod}": _plain(one, SAID_BY_ADDITION) for one in added}
    return Sayings(verdicts, {one.mod: one for one in added}, told)


def core_verdict(row: Verdict) -> CoreVerdict:
    return CoreVerdict(
        parse_version(row.game_version), row.loader, row.works, row.by.shown, row.on.isoformat(), row.note
    )


def own_claims(row: Build) -> Claims:
    """What a build itself claims."""
    return read_claims(Fields(row.claims)) if row.claims else NO_CLAIMS


SAID_BY_VERDICT = ("archive_sha256", "works", "note", "by_id", "on")
SAID_BY_ADDITION = ("claims", "side", "reach", "note", "by_id", "on")


def _verdict_key(one: Verdict) -> str:
    return "\t".join(("verdict", one.mod, one.version, one.game_version, one.loader))


def _plain(one: Verdict | Addition, fields: Sequence[str]) -> dict[str, Any]:
    return {name: getattr(one, name) for name in fields} | {"on": one.on.isoformat()}


def say_again(pack: Drawing, key: str, told: dict[str, Any] | None) -> None:
    """Puts back what `Sayings.told` has of one thing; None: nothing was said of it."""
    about: dict[str, Any] = {"crew_id": pack.crew_id, "game_id": pack.game_id}
    what, *rest = key.split("\t")
    if what == "verdict":
        about |= dict(zip(("mod", "version", "game_version", "loader"), rest, strict=True))
        rows: Any = Verdict.objects
    else:
        about["mod"] = rest[0]
        rows = Addition.objects
    if told is None:
        rows.filter(**about).delete()
    else:
        rows.update_or_create(**about, defaults=told)
