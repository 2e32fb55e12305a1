"""The words of names that are there already; from now on each comes with its mod."""

import django.contrib.postgres.indexes
from django.db import migrations, models

WORDS = r"""
INSERT INTO catalogue_nameword (word)
SELECT DISTINCT word FROM catalogue_mod, unnest(tsvector_to_array(to_tsvector('simple', name))) AS word
WHERE word ~ '^\w{3,120}$' AND word ~ '[^\d_]'
ON CONFLICT DO NOTHING
"""


class Migration(migrations.Migration):

    dependencies = [("catalogue", "0018_joins")]

    operations = [
        migrations.CreateModel(
            name="NameWord",
            fields=[("word", models.CharField(max_length=120, primary_key=True, serialize=False))],
            options={
                "indexes": [
                    django.contrib.postgres.indexes.GinIndex(
                        fields=["word"], name="word_alike", opclasses=["gin_trgm_ops"]
                    )
                ],
            },
        ),
        migrations.RunSQL(WORDS, migrations.RunSQL.noop),
    ]
