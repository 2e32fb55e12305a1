from django.apps import AppConfig


class KeepingConfig(AppConfig):
    name = "convoy_site.keeping"
    label = "keeping"
