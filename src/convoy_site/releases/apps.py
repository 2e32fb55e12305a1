from django.apps import AppConfig


class ReleasesConfig(AppConfig):
    name = "convoy_site.releases"
    label = "releases"

    def ready(self) -> None:
        from ..packs import checking
        from .lookup import lock_before
        from .playing import playing

        checking.ASKED.last_release = lock_before
        checking.ASKED.playing = playing
