from django.apps import AppConfig
from django.db.models import Field

from ..lookups import AnyOf


class CatalogueConfig(AppConfig):
    name = "convoy_site.catalogue"
    label = "catalogue"

    def ready(self) -> None:
        Field.register_lookup(AnyOf)
