from django.apps import AppConfig


class ReleasesConfig(AppConfig):
    name = "convoy_site.releases"
    label = "releases"
