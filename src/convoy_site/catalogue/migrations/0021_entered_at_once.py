"""What was just read of a source is entered in the finder's indexes at once, not looked through by every search."""

from django.contrib.postgres.indexes import GinIndex
from django.db import migrations

INDEXES = (
    GinIndex(fields=["fits"], name="mod_fits", fastupdate=False),
    GinIndex(fields=["needs"], name="mod_needs", fastupdate=False),
    GinIndex(fields=["words"], name="mod_words", fastupdate=False),
    GinIndex(fields=["name"], name="mod_name_trigram", opclasses=["gin_trgm_ops"], fastupdate=False),
    GinIndex(fields=["summary"], name="mod_summary_alike", opclasses=["gin_trgm_ops"], fastupdate=False),
)


class Migration(migrations.Migration):

    dependencies = [("catalogue", "0020_sayings_noted")]

    operations = [
        one
        for index in INDEXES
        for one in (migrations.RemoveIndex("mod", index.name), migrations.AddIndex("mod", index))
    ]
