from django.apps import AppConfig


class TrialsConfig(AppConfig):
    name = "convoy_site.trials"
    label = "trials"

    def ready(self) -> None:
        from ..packs import checking
        from .evidence import tried

        checking.ASKED.tried = tried
