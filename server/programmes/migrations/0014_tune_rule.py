"""The rule by which one tune of a setup stands for it; plans that were made before had none but this."""

from django.db import migrations, models


WITHOUT = """
UPDATE programmes_planversion SET document = document || '{"tune_rule": "The last one at the mixture target"}'
WHERE NOT document ? 'tune_rule';
"""


class Migration(migrations.Migration):

    dependencies = [
        ('programmes', '0013_ignition_timing'),
    ]

    operations = [
        migrations.AddField(
            model_name='programme',
            name='tune_rule',
            field=models.CharField(choices=[('last_matched', 'The last one at the mixture target'), ('best', 'The one that made most'), ('delivered', 'As planned'), ('chosen', 'The one chosen in the log')], default='last_matched', max_length=14),
        ),
        migrations.RunSQL(WITHOUT, migrations.RunSQL.noop),
    ]
