"""What a verdict cannot decide is stored with the result; and what a part measures may rule a setup out of it."""

from importlib import import_module

from django.db import migrations, models

CHANGES = import_module("verdicts.migrations.0005_changes_of_a_test")
OF_PART = (
    "SELECT setup.programme_id FROM changed JOIN programmes_setup_parts held ON held.part_id = changed.part_id "
    "JOIN programmes_setup setup ON setup.id = held.setup_id"
)


class Migration(migrations.Migration):

    dependencies = [
        ('verdicts', '0008_guidelines'),
    ]

    operations = [
        migrations.RunSQL(
            CHANGES.MARK.format(table="engines_partreading", tests=OF_PART),
            CHANGES.UNMARK.format(table="engines_partreading"),
        ),
        migrations.AddField(
            model_name='storedresult',
            name='undecided',
            field=models.JSONField(help_text="between which two the test's own duty is open", null=True),
        ),
    ]
