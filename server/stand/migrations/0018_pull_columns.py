"""What a pull was set to and which speeds it held get rows and columns of their own; its channels are named once."""

import django.contrib.postgres.fields
import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("stand", "0017_names")]
    operations = [
        migrations.CreateModel(
            name="PullSetting",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("key", models.CharField(max_length=60)),
                ("text", models.CharField(max_length=80)),
                ("pull", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="settings",
                                           to="stand.pull")),
            ],
            options={
                "ordering": ["pk"],
                "constraints": [models.UniqueConstraint(fields=("pull", "key"), name="pull_setting_once")],
            },
        ),
        migrations.AlterField("channel", "codec", models.CharField(blank=True, max_length=24)),
        migrations.RenameField("pull", "held_speeds", "held_as_json"),
        migrations.AddField("pull", "held_speeds", django.contrib.postgres.fields.ArrayField(
            base_field=django.contrib.postgres.fields.ArrayField(base_field=models.FloatField(), size=2),
            default=list, help_text="rpm and s of each speed of a step test", size=None)),
    ]
