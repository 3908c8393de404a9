"""The name of a setting in the documents of plans: with two names for one thing, a version would seem to differ."""

from django.db import migrations

RENAME = """
UPDATE programmes_planversion SET document = replace(document::text, '"{0}"', '"{1}"')::jsonb
WHERE document::text LIKE '%"{0}"%';
"""


class Migration(migrations.Migration):
    dependencies = [("programmes", "0012_changes_follow_from_documents")]

    operations = [
        migrations.RunSQL(
            RENAME.format("Spark advance", "Ignition timing"), RENAME.format("Ignition timing", "Spark advance")
        )
    ]
