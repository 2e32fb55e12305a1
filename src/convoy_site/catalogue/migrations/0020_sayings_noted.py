"""What changes what a crew says, and what those are called who said it, is noted by the database, too."""

from django.db import migrations

WATCHED = {
    "catalogue_verdict": "INSERT OR UPDATE OR DELETE",
    "catalogue_addition": "INSERT OR UPDATE OR DELETE",
    "people_user": "UPDATE OF first_name, username",
}


def _trigger(table: str, what: str) -> migrations.RunSQL:
    return migrations.RunSQL(
        f"CREATE TRIGGER note_change AFTER {what} OR TRUNCATE ON {table} "
        "FOR EACH STATEMENT EXECUTE FUNCTION catalogue_note_change()",
        f"DROP TRIGGER note_change ON {table}",
    )


class Migration(migrations.Migration):

    dependencies = [("catalogue", "0019_words_of_names")]

    operations = [_trigger(table, what) for table, what in WATCHED.items()]
