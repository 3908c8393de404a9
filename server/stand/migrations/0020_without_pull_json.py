"""The JSON of a pull that has rows and columns now is gone; whether inertia is in the torque is one of three."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("stand", "0019_fill_pull_columns")]
    operations = [
        migrations.RemoveField("pull", "settings_in_force"),
        migrations.RemoveField("pull", "held_as_json"),
        migrations.RemoveField("pull", "channel_list"),
        migrations.AlterField("pull", "inertia_in_torque", models.CharField(
            choices=[("included", "In the torque already"), ("not_included", "Not in the torque"),
                     ("unknown", "Not known")],
            default="unknown", help_text="as the stand says", max_length=12)),
        migrations.AddConstraint("pull", models.CheckConstraint(
            condition=models.Q(("inertia_in_torque__in", ["included", "not_included", "unknown"])),
            name="pull_inertia_is_in_the_torque_or_not")),
    ]
