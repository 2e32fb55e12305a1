"""What a taking back took back in the end, apart from its sentence."""

from django.db import migrations, models


def tell_roots(apps, schema_editor):
    """Older takings back know only the edit right before them: the chain is followed to its first."""
    Edit = apps.get_model("packs", "Edit")
    for edit in Edit.objects.filter(takes_back__isnull=False).order_by("revision"):
        before = Edit.objects.filter(draft=edit.draft_id, revision=edit.takes_back).first()
        if before is None:
            continue
        edit.root = before.root or before.revision
        edit.again = before.takes_back is not None and not before.again
        edit.save(update_fields=["root", "again"])


class Migration(migrations.Migration):
    dependencies = [("packs", "0004_terms")]

    operations = [
        migrations.AddField("edit", "root", models.PositiveIntegerField(null=True)),
        migrations.AddField("edit", "again", models.BooleanField(default=False)),
        migrations.RunPython(tell_roots, migrations.RunPython.noop),
    ]
