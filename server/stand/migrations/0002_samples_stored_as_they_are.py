"""The samples are compressed already: PostgreSQL shall not try again, only move them out of the row."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("stand", "0001_initial")]

    operations = [
        migrations.RunSQL(
            "ALTER TABLE stand_channel ALTER COLUMN data SET STORAGE EXTERNAL",
            "ALTER TABLE stand_channel ALTER COLUMN data SET STORAGE EXTENDED",
        ),
        migrations.RunSQL(
            "ALTER TABLE stand_chunk ALTER COLUMN data SET STORAGE EXTERNAL",
            "ALTER TABLE stand_chunk ALTER COLUMN data SET STORAGE EXTENDED",
        ),
    ]
