"""Writes the API's OpenAPI description, from which the web's typed client is made."""

import json

from django.core.management.base import BaseCommand

from convoy_site.api import api


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: object, **options: object) -> None:
        self.stdout.write(json.dumps(api.get_openapi_schema(), indent=1, sort_keys=True, default=str))
