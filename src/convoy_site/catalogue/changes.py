"""Whether the catalogue, and what a crew says of it, is as it was: one small query, whoever changed it, by what door
and on which machine.
"""

from datetime import timedelta
from typing import NamedTuple

from django.db import transaction
from django.db.models.expressions import RawSQL
from django.utils import timezone

from .drawing import Drawing
from .models import CatalogueChange

KEPT = timedelta(hours=1)

_TOGETHER = RawSQL("md5(coalesce(string_agg(id::text, ',' ORDER BY id), ''))", ())


def row_version(*tables: str) -> RawSQL:
    """Of the rows of a query: no change of one leaves its version as it is."""
    return RawSQL(" || ' ' || ".join(f'"{table}".xmin::text || "{table}".ctid::text' for table in tables), ())  # noqa: S611


def all_versions(version: RawSQL, table: str) -> RawSQL:
    """The versions of all rows that a query finds, as one text."""
    key = f'"{table}"."id"'
    return RawSQL(f"md5(coalesce(string_agg({key} || ' ' || {version.sql}, ',' ORDER BY {key}), ''))", ())  # noqa: S611


_BY = "(SELECT people_user.xmin::text || people_user.ctid::text FROM people_user WHERE people_user.id = by_id)"
"""Whoever said it goes by a name that may change."""

_SAID = [
    f"(SELECT {all_versions(RawSQL(f'{row_version(table).sql} || {_BY}', ()), table).sql} FROM {table}"  # noqa: S608, S611
    " WHERE crew_id = %s AND game_id = %s)"
    for table in ("catalogue_verdict", "catalogue_addition")
]


class Standing(NamedTuple):
    """Two that are equal: nothing changed between them, in the catalogue, or in what a crew says of a game's builds."""

    catalogue: str
    said: str


def standing(pack: Drawing) -> Standing:
    """As this transaction sees it. Take it before what it is to stand for is read: what changes meanwhile is then seen
    the next time. One query.
    """
    said = [RawSQL(sql, (pack.crew_id, pack.game_id)) for sql in _SAID]  # noqa: S611
    mark, *told = CatalogueChange.objects.order_by().values_list(_TOGETHER, *said)[0]
    return Standing(mark, " ".join(told))


@transaction.atomic
def forget_old() -> None:
    """Leaves the newest notes alone. Makes one first: a note that is taken away unseen would never be missed."""
    CatalogueChange.objects.create()
    CatalogueChange.objects.filter(at__lt=timezone.now() - KEPT).delete()
