from django.db import migrations, models


class Migration(migrations.Migration):
    """What the owner wants where a limit cannot be watched: as it was for everybody, the pull is stopped."""

    dependencies = [("stand", "0012_alarm")]

    operations = [
        migrations.AddField(
            model_name="standlimit",
            name="stops_unseen",
            field=models.BooleanField(default=True, help_text="the pull is stopped when the channel cannot be read"),
        ),
    ]
