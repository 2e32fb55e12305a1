"""A release still never changes; it goes with its crew, where that says so for this transaction and this pack."""

from django.db import migrations

ENDS = """
create or replace function refuse_change_of_release() returns trigger language plpgsql as $$
begin
    if tg_op = 'DELETE' and current_setting('convoy.ends', true) = old.pack_id::text then
        return old;
    end if;
    raise exception 'release % never changes', old.number using errcode = 'restrict_violation';
end
$$;
"""
NEVER = """
create or replace function refuse_change_of_release() returns trigger language plpgsql as $$
begin
    raise exception 'release % never changes', old.number using errcode = 'restrict_violation';
end
$$;
"""


class Migration(migrations.Migration):
    dependencies = [("releases", "0005_announcement")]
    operations = [migrations.RunSQL(ENDS, NEVER)]
