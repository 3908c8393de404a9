"""Fields and tables get the names of the field. Nothing but names changes."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("jobs", "0001_initial")]
    operations = [
        migrations.RenameField("job", "told", "progress_text"),
    ]
