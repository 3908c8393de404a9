from django.db import migrations, models


class Migration(migrations.Migration):
    """Records that could not be saved lay in a file that nobody saw."""

    dependencies = [("stand", "0014_measured_ticks")]

    operations = [
        migrations.AddField(
            model_name="link",
            name="unsaved",
            field=models.CharField(
                blank=True, default="", help_text="records that were set aside, in words", max_length=500
            ),
            preserve_default=False,
        ),
    ]
