from django.apps import AppConfig


class InstallationsConfig(AppConfig):
    name = "convoy_site.installations"
    label = "installations"
