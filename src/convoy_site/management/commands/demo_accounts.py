"""Prints the demo's sign-ins."""

from django.core.management.base import BaseCommand

from convoy_site.people.demo import DEMO_ACCOUNTS


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: object, **options: object) -> None:
        for account in DEMO_ACCOUNTS:
            self.stdout.write(f"    {account.username:10} {account.password:15} {account.who}")
