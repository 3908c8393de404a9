from django.db import migrations, models


class Migration(migrations.Migration):
    """What was read in from a file says so: nobody here vouches for it."""

    dependencies = [("programmes", "0007_at_the_stand")]

    operations = [
        migrations.AddField(
            model_name="programme",
            name="from_file_at",
            field=models.DateTimeField(blank=True, help_text="read in from a file: all of it is by that file", null=True),
        ),
    ]
