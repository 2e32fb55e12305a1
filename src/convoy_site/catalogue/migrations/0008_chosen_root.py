from django.contrib.postgres.indexes import GinIndex
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("catalogue", "0007_mirrors")]

    operations = [
        migrations.AddField("build", "root", models.CharField(max_length=300, null=True)),
        migrations.RemoveIndex("build", "build_marks"),
        migrations.RenameField("build", "marks", "short_hashes"),
        migrations.AddIndex("build", GinIndex(fields=["short_hashes"], name="build_short_hashes")),
        migrations.AddIndex(
            "mod", GinIndex(fields=["summary"], name="mod_summary_alike", opclasses=["gin_trgm_ops"])
        ),
    ]
