"""What of the catalogue stays in memory between edits, and how it is known that it is still so.

While nothing in the catalogue changed (`changes.mark`) all of it is. When something did, the versions of exactly the
rows that are rested on decide (PostgreSQL's `xmin` and `ctid`, which no change leaves as they are), so that a source
that is being read costs nobody what has nothing to do with it. It does not matter who changed one, by what door, and
on which machine of the site.
"""

from collections import OrderedDict
from collections.abc import Callable, Collection, Hashable, Iterable, Sequence
from hashlib import md5
from threading import Lock

from django.db.models import Q, QuerySet
from django.db.models.expressions import RawSQL

from convoy_core.resolve import Eligible, Shelves
from convoy_core.words.model import Base
from convoy_core.words.model import Build as CoreBuild

from . import changes
from .drawing import Drawing
from .models import Build, Mod
from .sayings import Sayings, sayings_of
from .services import MOD_FIELDS, ROW_FIELDS, BuildRow, ModRow, as_rows, heard_rows, newer_among, shelf

MAX_ROUNDS = 40
"""Steps along needs. Real chains are some six long; the bound only guards against nonsense."""

KEPT_ROWS = 20_000
"""Builds as lists show them, with mod and source: some 100 MB at most."""

KEPT_REACHES = 40
"""Drafts whose surroundings are kept: the builds themselves are shared between them."""

KEPT_ELIGIBLE = 4
"""Of one draft: its base, others that were looked at, what its crew says now and said before."""


_PICKUP = "(SELECT pickup FROM catalogue_source WHERE catalogue_source.id = catalogue_mod.source_id)"
_OF_MODS = RawSQL(f"{changes.row_version('catalogue_mod').sql} || {_PICKUP}", ())  # noqa: S611
"""Of a source only the way in which it is fetched from: the rest of its row changes with every reading."""

_OF_BUILDS = changes.row_version("catalogue_build")
_ALL_MODS, _ALL_BUILDS = (
    changes.all_versions(_OF_MODS, "catalogue_mod"),
    changes.all_versions(_OF_BUILDS, "catalogue_build"),
)

_VERSIONS = ("catalogue_build", "catalogue_mod", "catalogue_source")
_rows: dict[int, tuple[str, Build]] = {}
"""With the mark under which each was last known to be so."""


def rows_with_mods(builds: Collection[int], mark: str) -> list[Build]:
    """Builds (primary keys) with mod and source, without their files, in no order. `mark`: taken before they were
    found. One query where the catalogue changed, another where one of them did; else none.
    """
    # By what is found now: another thread may drop everything that is kept at any time.
    found = {pk: known for pk in builds if (known := _rows.get(pk))}
    if unsure := [pk for pk in builds if pk not in found or found[pk][0] != mark]:
        asked = Build.objects.filter(pk__any=unsure).annotate(row_version=changes.row_version(*_VERSIONS)).order_by()
        # The last one brings the source's table in, whose version is asked for.
        told = {pk: seen for pk, seen, _ in asked.values_list("pk", "row_version", "mod__source__pickup")}
        rows = {pk: found[pk][1] for pk in told if pk in found and vars(found[pk][1])["row_version"] == told[pk]}
        if unread := told.keys() - rows.keys():
            if len(_rows) + len(unread) > KEPT_ROWS:
                _rows.clear()
            fresh = Build.objects.filter(pk__any=unread).select_related("mod__source").defer("mod__words", "files")
            rows |= {row.pk: row for row in fresh.annotate(row_version=changes.row_version(*_VERSIONS))}
        sure = {pk: (mark, row) for pk, row in rows.items()}
        _rows.update(sure)
        found = {pk: known for pk, known in found.items() if known[0] == mark} | sure
    return [_copy(row) for _, row in found.values()]


def _copy(row: Build) -> Build:
    """What is written to one, as files that are read later, stays out of memory."""
    made = Build.__new__(Build)
    vars(made).update(vars(row))
    return made


class Reach:
    """Every build that a resolve for some mods can meet: theirs, and along needs and stand-ins; with what lists show.

    It only grows, until a row of it changes. `mark`: of the catalogue as it is known to hold for; `mods` and `rows`: by
    the mod's id, the crew's own in place of a listed one; `installable`: the builds that may come in, without what the
    crew says of them.
    """

    def __init__(self, mark: str) -> None:
        self.mods: dict[str, ModRow] = {}
        self.rows: dict[str, list[BuildRow]] = {}
        self.installable: list[CoreBuild] = []
        self.mark = mark
        self._names: set[str] = set()
        self._ahead: set[str] = set()
        # The versions of rows by primary key: mods of these names, mods that stand in for one, and builds of both.
        self._named: dict[int, str] = {}
        self._standing_in: dict[int, str] = {}
        self._versions: dict[int, str] = {}
        self._eligible: OrderedDict[Hashable, tuple[Eligible, Shelves, int]] = OrderedDict()
        self._newer: dict[tuple[str, str], Sequence[CoreBuild]] = {}
        self._growing = Lock()

    @property
    def called(self) -> dict[str, str]:
        with self._growing:
            return {slug: mod.name for slug, mod in self.mods.items()}

    def heard(self, mod: str, said: Sayings) -> Sequence[BuildRow]:
        """The builds of a mod with what a crew says of them; none of one that is not here."""
        rows = self.rows.get(mod, ())
        return heard_rows(said, rows) if mod in said.judged else rows

    def newer(self, build: CoreBuild, said: Sayings) -> Sequence[CoreBuild]:
        """Stable builds of its mod that may come in and are newer, newest first, with what a crew says of them."""
        if build.mod in said.judged:
            return newer_among(self.heard(build.mod, said), build)
        key = build.mod, build.version.text
        found = self._newer.get(key)
        if found is None:
            found = self._newer[key] = newer_among(self.rows.get(build.mod, ()), build)
        return found

    def is_current(self, pack: Drawing, mark: str) -> bool:
        with self._growing:
            if mark == self.mark:
                return True
            rows = (
                (_of_names(pack, self._names).values_list(_ALL_MODS, flat=True), self._named),
                (_standing_in(pack, self._names).values_list(_ALL_MODS, flat=True), self._standing_in),
                (_builds_of({*self._named, *self._standing_in}).values_list(_ALL_BUILDS, flat=True), self._versions),
            )
            # No answer at all: what nothing is asked of is not sent to the database.
            is_current = all(next(iter(query), NOTHING) == _together(known) for query, known in rows)
            if is_current:
                self.mark = mark
            return is_current

    def grow(self, pack: Drawing, mods: Iterable[str]) -> None:
        """Two queries for mods and one for builds per step along needs that was not taken before. Cut off, it
        goes on where it was the next time.
        """
        with self._growing:
            self._ahead |= set(mods)
            for _ in range(MAX_ROUNDS):
                self._ahead -= self._names
                if not self._ahead:
                    break
                self._step(pack, set(self._ahead))

    def _step(self, pack: Drawing, names: set[str]) -> None:
        """Everything is read first: whatever stops that leaves it as it was."""
        named, standing_in = (
            [(ModRow(*shown), seen) for seen, *shown in query.values_list("row_version", *MOD_FIELDS)]
            for query in (one(pack, names).annotate(row_version=_OF_MODS) for one in (_of_names, _standing_in))
        )
        met = self._named.keys() | self._standing_in
        new = {mod.pk: mod.slug for mod, _ in (*named, *standing_in) if mod.pk not in met}
        builds = _builds_of(new).annotate(row_version=_OF_BUILDS).values_list("row_version", *ROW_FIELDS)
        read = {row[0]: (seen, row) for seen, *row in builds}
        rows: dict[str, list[BuildRow]] = {slug: [] for slug in new.values()}
        for one in as_rows((row for _, row in read.values()), new):
            rows[new[one.mod_pk]].append(one)

        self._named |= {mod.pk: seen for mod, seen in named}
        self._standing_in |= {mod.pk: seen for mod, seen in standing_in}
        self._versions |= {pk: seen for pk, (seen, _) in read.items()}
        self.mods |= {mod.slug: mod for mod, _ in (*named, *standing_in)}
        self.rows |= rows
        fresh = [one.core for many in rows.values() for one in many if not one.gone and not one.refused]
        self.installable += fresh
        self._names |= names
        self._ahead |= {mod for build in fresh for mod in build.needs}

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
            if known < len(self.installable):
                library.add(hear(self.installable[known:]))
            self._eligible[base, heard] = eligible, library, len(self.installable)
            if len(self._eligible) > KEPT_ELIGIBLE:
                self._eligible.popitem(last=False)
            return eligible


_reaches: OrderedDict[Hashable, Reach] = OrderedDict()
_keeping = Lock()


def reach(pack: Drawing, mods: Iterable[str], whose: Hashable, mark: str) -> Reach:
    """What a resolve for these mods can meet; kept for whom it was asked, and shared by all who look at it now.
    `mark`: the catalogue's, taken before.
    """
    found = _reaches.get(whose)
    if found is None or not found.is_current(pack, mark):
        found = Reach(mark)
    found.grow(pack, mods)
    with _keeping:
        _reaches[whose] = found
        _reaches.move_to_end(whose)
        while len(_reaches) > KEPT_REACHES:
            _reaches.popitem(last=False)
    return found


def closure(pack: Drawing, mods: Iterable[str]) -> list[CoreBuild]:
    """The same once, with what the pack's crew says of the builds."""
    found = Reach("")
    found.grow(pack, mods)
    return sayings_of(pack).all_heard(found.installable)


def _of_names(pack: Drawing, names: Iterable[str]) -> QuerySet[Mod]:
    return shelf(pack).filter(slug__any=names).order_by()


def _standing_in(pack: Drawing, names: Iterable[str]) -> QuerySet[Mod]:
    return shelf(pack).filter(~Q(provides=[]), provides__overlap=list(names)).order_by()


def _builds_of(mods: Iterable[int]) -> QuerySet[Build]:
    return Build.objects.filter(mod__pk__any=mods).order_by()


def _together(versions: dict[int, str]) -> str:
    return md5(",".join(f"{pk} {versions[pk]}" for pk in sorted(versions)).encode()).hexdigest()  # noqa: S324


NOTHING = _together({})
