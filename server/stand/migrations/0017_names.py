"""Fields and tables get the names of the field. Nothing but names and one spelling changes."""

from django.db import migrations

SLOTS = "UPDATE stand_listitem SET slots = array_replace(slots, '{0}', '{1}');"


class Migration(migrations.Migration):
    dependencies = [("stand", "0016_notes_put_aside")]
    operations = [
        migrations.RenameField("pull", "set_to", "settings_in_force"),
        migrations.RenameField("pull", "began_with", "start_values"),
        migrations.RenameField("pull", "guarded_by", "active_limits"),
        migrations.RenameField("pull", "holds", "held_speeds"),
        migrations.RunSQL(SLOTS.format("carburettor", "carburetor"), SLOTS.format("carburetor", "carburettor")),
    ]
