from django.apps import AppConfig


class CatalogueConfig(AppConfig):
    name = "convoy_site.catalogue"
    label = "catalogue"
