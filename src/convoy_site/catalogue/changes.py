"""Whether the catalogue, and what crews say of it, is as it was: one small query, whoever changed it, by what door and
on which machine.
"""

from datetime import timedelta

from django.db import transaction
from django.db.models.expressions import RawSQL
from django.utils import timezone

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


def mark() -> str:
    """Stands for the catalogue and what crews say as this transaction sees them. Two that are equal: nothing changed
    between them. Take it before what it is to stand for is read: what changes meanwhile is then seen the next time.
    """
    return str(CatalogueChange.objects.order_by().values_list(_TOGETHER, flat=True)[0])


@transaction.atomic
def forget_old() -> None:
    """Leaves the newest notes alone. Makes one first: a note that is taken away unseen would never be missed."""
    CatalogueChange.objects.create()
    CatalogueChange.objects.filter(at__lt=timezone.now() - KEPT).delete()
