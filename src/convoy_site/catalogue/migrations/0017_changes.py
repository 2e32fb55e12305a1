"""What changes the catalogue is noted by the database itself."""

import django.contrib.postgres.functions
from django.db import migrations, models
from django.db.models.functions import Now

WATCHED = {
    "catalogue_mod": "INSERT OR UPDATE OR DELETE",
    "catalogue_build": "INSERT OR UPDATE OR DELETE",
    "catalogue_source": "UPDATE OF pickup",
}

NOTING = """
CREATE FUNCTION catalogue_note_change() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO catalogue_cataloguechange DEFAULT VALUES;
    RETURN NULL;
END $$;
"""


def _trigger(table: str, what: str) -> migrations.RunSQL:
    return migrations.RunSQL(
        f"CREATE TRIGGER note_change AFTER {what} OR TRUNCATE ON {table} "
        "FOR EACH STATEMENT EXECUTE FUNCTION catalogue_note_change()",
        f"DROP TRIGGER note_change ON {table}",
    )


class Migration(migrations.Migration):

    dependencies = [("catalogue", "0016_stands_in")]

    operations = [
        migrations.CreateModel(
            name="CatalogueChange",
            fields=[
                (
                    "id",
                    models.UUIDField(
                        db_default=django.contrib.postgres.functions.RandomUUID(),
                        editable=False,
                        primary_key=True,
                        serialize=False,
                    ),
                ),
                ("at", models.DateTimeField(db_default=Now())),
            ],
        ),
        migrations.RunSQL(NOTING, "DROP FUNCTION catalogue_note_change"),
        *(_trigger(table, what) for table, what in WATCHED.items()),
    ]
