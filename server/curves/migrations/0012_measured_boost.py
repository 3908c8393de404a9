"""An index for the boost that pulls reached."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('curves', '0011_spark_rule_and_decision'),
    ]

    operations = [
        migrations.AddIndex(
            model_name='channelmean',
            index=models.Index(condition=models.Q(('channel', 'boost')), fields=['reduced'], name='channel_mean_of_boost'),
        ),
    ]
