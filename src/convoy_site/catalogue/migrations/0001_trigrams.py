"""Search that forgives typing needs PostgreSQL's trigrams, before any index over them is made."""

from django.contrib.postgres.operations import TrigramExtension
from django.db import migrations


class Migration(migrations.Migration):
    dependencies = []
    operations = [TrigramExtension()]
