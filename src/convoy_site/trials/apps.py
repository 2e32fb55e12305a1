from django.apps import AppConfig


class TrialsConfig(AppConfig):
    name = "convoy_site.trials"
    label = "trials"
