"""American spelling of a row's key in plans. What a person wrote keeps his spelling."""

from django.db import migrations

SPELL = """
UPDATE programmes_slotwork SET key = '{1}' WHERE key = '{0}';
UPDATE programmes_slotwork SET label = initcap('{1}') WHERE key = '{1}' AND label = initcap('{0}');
UPDATE programmes_slotwork SET under = array_replace(under, '{0}', '{1}');
UPDATE programmes_timedchange SET keys = array_replace(keys, '{0}', '{1}');
UPDATE programmes_setupsetting SET key = '{1}' WHERE key = '{0}';
UPDATE programmes_adjustment SET key = '{1}' WHERE key = '{0}';
UPDATE programmes_planversion SET document = replace(document::text, '"{0}"', '"{1}"')::jsonb
    WHERE document::text LIKE '%"{0}"%';
"""


class Migration(migrations.Migration):
    dependencies = [("programmes", "0009_archive_and_customers"), ("engines", "0007_carburetor")]
    operations = [
        migrations.RunSQL(SPELL.format("carburettor", "carburetor"), SPELL.format("carburetor", "carburettor")),
    ]
