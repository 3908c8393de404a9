"""Fields and tables get the names of the field. Nothing but names changes."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("verdicts", "0001_what_a_verdict_rests_on")]
    operations = [
        migrations.RenameField("sheetlink", "told", "recipient"),
    ]
