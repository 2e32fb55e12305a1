from django.apps import AppConfig


class ReleasesConfig(AppConfig):
    name = "convoy_site.releases"
    label = "releases"

    def ready(self) -> None:
        from ..packs import checking
        from .playing import playing
        from .services import lock_before

        checking.ASKED.last_release = lock_before
        checking.ASKED.playing = playing
