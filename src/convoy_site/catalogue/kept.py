"""What of the catalogue stays in memory between edits, and how it is known that it is still so.

Every use asks the database for the versions of exactly the rows that it rests on (PostgreSQL's `xmin` and `ctid`, which
no change leaves as they are), so that it does not matter who changed one, by what door, and on which machine of the
site. That costs a small part of reading them.
"""

from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterable, Sequence
from hashlib import md5
from threading import Lock

from django.db.models import Q, QuerySet
from django.db.models.expressions import RawSQL

from convoy_core.resolve import Eligible, Shelves
from convoy_core.words.model import Base
from convoy_core.words.model import Build as CoreBuild

from .drawing import Drawing
from .models import Build, Mod
from .sayings import sayings_of
from .services import BUILD_FIELDS, core_build, shelf

MAX_ROUNDS = 40
"""Steps along needs. Real chains are some six long; the bound only guards against nonsense."""

KEPT_ROWS = 20_000
"""Builds as lists show them, with mod and source: some 100 MB at most."""

KEPT_REACHES = 40
"""Drafts whose surroundings are kept: the builds themselves are shared between them."""

KEPT_ELIGIBLE = 4
"""Of one draft: its base, others that were looked at, what its crew says now and said before."""


def _version(*tables: str) -> RawSQL:
    return RawSQL(" || ' ' || ".join(f'"{table}".xmin::text || "{table}".ctid::text' for table in tables), ())  # noqa: S611


_ALL = RawSQL("""md5(coalesce(string_agg(id::text || ' ' || xmin::text || ctid::text, ',' ORDER BY id), ''))""", ())
"""The versions of all rows that a query finds, as one text."""

_VERSIONS = ("catalogue_build", "catalogue_mod", "catalogue_source")
_rows: dict[int, Build] = {}


def rows_with_mods(builds: QuerySet[Build], wanted: Callable[[str, str], bool]) -> list[Build]:
    """Builds with mod and source, without their files, those whose mod and version are `wanted`."""
    asked = builds.annotate(row_version=_version(*_VERSIONS)).order_by()
    # The last one brings the source's table in, whose version is asked for.
    told = asked.values_list("pk", "row_version", "mod__slug", "version", "mod__source__pickup")
    seen = {pk: seen for pk, seen, slug, version, _ in told if wanted(slug, version)}
    # By what is found now: another thread may drop everything that is kept at any time.
    found = {pk: row for pk, version in seen.items() if (row := _rows.get(pk)) and vars(row)["row_version"] == version}
    if unread := seen.keys() - found.keys():
        if len(_rows) + len(unread) > KEPT_ROWS:
            _rows.clear()
        fresh = Build.objects.filter(pk__in=unread).select_related("mod__source").defer("mod__words", "files")
        read = {row.pk: row for row in fresh.annotate(row_version=_version(*_VERSIONS))}
        found.update(read)
        _rows.update(read)
    return [_copy(found[pk]) for pk in seen if pk in found]


def _copy(row: Build) -> Build:
    """What is written to one, as files that are read later, stays out of memory."""
    made = Build.__new__(Build)
    vars(made).update(vars(row))
    return made


class Reach:
    """Every installable build that a resolve for some mods can meet: theirs, and along needs and stand-ins.

    It only grows, until a row of it changes. `called`: what its mods are called.
    """

    def __init__(self) -> None:
        self.called: dict[str, str] = {}
        self.builds: list[CoreBuild] = []
        self._names: set[str] = set()
        # The versions of rows by primary key: mods of these names, mods that stand in for one, and builds of both.
        self._named: dict[int, str] = {}
        self._standing_in: dict[int, str] = {}
        self._versions: dict[int, str] = {}
        self._eligible: OrderedDict[Hashable, tuple[Eligible, Shelves, int]] = OrderedDict()
        self._growing = Lock()

    def is_current(self, pack: Drawing) -> bool:
        rows = (
            (_of_names(pack, self._names), self._named),
            (_standing_in(pack, self._names), self._standing_in),
            (_installable({*self._named, *self._standing_in}), self._versions),
        )
        return all(query.order_by().values_list(_ALL, flat=True)[0] == _together(known) for query, known in rows)

    def grow(self, pack: Drawing, mods: Iterable[str]) -> None:
        """Two queries for mods and one for builds per step along needs that was not taken before."""
        with self._growing:
            frontier = set(mods)
            for _ in range(MAX_ROUNDS):
                frontier -= self._names
                if not frontier:
                    break
                self._names |= frontier
                new: set[int] = set()
                for query, known in (_of_names, self._named), (_standing_in, self._standing_in):
                    found = query(pack, frontier).annotate(row_version=_version("catalogue_mod"))
                    for pk, seen, slug, name in found.values_list("pk", "row_version", "slug", "name"):
                        if pk not in self._named and pk not in self._standing_in:
                            new.add(pk)
                        known[pk] = seen
                        self.called[slug] = name
                rows = _installable(new).annotate(row_version=_version("catalogue_build"))
                met: list[CoreBuild] = []
                for seen, *row in rows.values_list("row_version", *BUILD_FIELDS):
                    self._versions[row[0]] = seen
                    met.append(core_build(*row))
                self.builds += met
                frontier = {mod for build in met for mod in build.needs}

    def eligible(
        self, base: Base, heard: Hashable, hear: Callable[[Sequence[CoreBuild]], Iterable[CoreBuild]]
    ) -> Eligible:
        """What may be taken on a base; `hear`: builds with what is said of them, and `heard`: what that hangs on."""
        with self._growing:
            found = self._eligible.pop((base, heard), None)
            if found is None:
                library = Shelves(())
                found = Eligible(library, base), library, 0
            eligible, library, known = found
            if known < len(self.builds):
                library.add(hear(self.builds[known:]))
            self._eligible[base, heard] = eligible, library, len(self.builds)
            if len(self._eligible) > KEPT_ELIGIBLE:
                self._eligible.popitem(last=False)
            return eligible


_reaches: OrderedDict[Hashable, Reach] = OrderedDict()


def reach(pack: Drawing, mods: Iterable[str], whose: Hashable) -> Reach:
    """What a resolve for these mods can meet; kept for whom it was asked."""
    found = _reaches.pop(whose, None)
    if found is None or not found.is_current(pack):
        found = Reach()
    found.grow(pack, mods)
    _reaches[whose] = found
    while len(_reaches) > KEPT_REACHES:
        _reaches.popitem(last=False)
    return found


def closure(pack: Drawing, mods: Iterable[str]) -> list[CoreBuild]:
    """The same once, with what the pack's crew says of the builds."""
    found = Reach()
    found.grow(pack, mods)
    return sayings_of(pack).all_heard(found.builds)


def _of_names(pack: Drawing, names: Iterable[str]) -> QuerySet[Mod]:
    return shelf(pack).filter(slug__in=list(names))


def _standing_in(pack: Drawing, names: Iterable[str]) -> QuerySet[Mod]:
    return shelf(pack).filter(~Q(provides=[]), provides__overlap=list(names))


def _installable(mods: Iterable[int]) -> QuerySet[Build]:
    return Build.objects.filter(mod__in=list(mods), gone=False, refused="")


def _together(versions: dict[int, str]) -> str:
    return md5(",".join(f"{pk} {versions[pk]}" for pk in sorted(versions)).encode()).hexdigest()  # noqa: S324
