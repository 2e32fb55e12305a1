"""`field__any`: is it one of many? As one array, where `__in` writes a parameter for each: with thousands of them that
takes longer than the database takes to answer.
"""

from typing import Any

from django.db.backends.base.base import BaseDatabaseWrapper
from django.db.models import Lookup
from django.db.models.sql.compiler import SQLCompiler


class AnyOf(Lookup):
    lookup_name = "any"

    def get_prep_lookup(self) -> list[Any]:
        return list(self.rhs)

    def as_sql(self, compiler: SQLCompiler, connection: BaseDatabaseWrapper) -> tuple[str, tuple[Any, ...]]:
        left, values = self.process_lhs(compiler, connection)
        return f"{left} = ANY(%s)", (*values, self.rhs)
