from django.apps import AppConfig


class InstallationsConfig(AppConfig):
    name = "convoy_site.installations"
    label = "installations"

    def ready(self) -> None:
        from django.db.models.signals import pre_delete

        from ..packs import checking
        from .models import Installation
        from .own_settings import forget_told, set_otherwise, written
        from .standings import followers_of

        checking.ASKED.followers = followers_of
        checking.ASKED.set_otherwise = set_otherwise
        checking.ASKED.written = written
        pre_delete.connect(forget_told, sender=Installation)
