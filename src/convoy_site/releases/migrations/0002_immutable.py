"""A release never changes afterwards: the database itself refuses it, whoever asks."""

from django.db import migrations

REFUSE = """
create function refuse_change_of_release() returns trigger language plpgsql as $$
begin
    raise exception 'release % never changes', old.number using errcode = 'restrict_violation';
end
$$;
create trigger release_never_changes before update or delete on releases_release
    for each row execute function refuse_change_of_release();
"""
ALLOW = "drop trigger release_never_changes on releases_release; drop function refuse_change_of_release;"


class Migration(migrations.Migration):
    dependencies = [("releases", "0001_initial")]
    operations = [migrations.RunSQL(REFUSE, ALLOW)]
