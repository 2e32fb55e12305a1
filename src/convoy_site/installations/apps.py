from django.apps import AppConfig


class InstallationsConfig(AppConfig):
    name = "convoy_site.installations"
    label = "installations"

    def ready(self) -> None:
        from ..packs import checking
        from .own_settings import set_otherwise, written
        from .standings import followers_of

        checking.ASKED.followers = followers_of
        checking.ASKED.set_otherwise = set_otherwise
        checking.ASKED.written = written
