from django.apps import AppConfig


class PeopleConfig(AppConfig):
    name = "convoy_site.people"
    label = "people"
