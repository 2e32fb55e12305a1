from django.apps import AppConfig


class PacksConfig(AppConfig):
    name = "convoy_site.packs"
    label = "packs"
