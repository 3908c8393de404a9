from django.db import migrations, models


class Migration(migrations.Migration):
    """What people have to know at once: the stand did not stop."""

    dependencies = [("stand", "0011_simulated_pulls")]

    operations = [
        migrations.AddField(
            model_name="link",
            name="alarm",
            field=models.CharField(blank=True, default="", help_text="the stand did not stop, in words", max_length=300),
            preserve_default=False,
        ),
    ]
