"""A prediction may name speeds, and be a direction alone."""

from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('programmes', '0010_carburetor'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.RemoveConstraint(
            model_name='expectation',
            name='expectation_once_per_person_and_measure',
        ),
        migrations.AddField(
            model_name='expectation',
            name='high_rpm',
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='expectation',
            name='low_rpm',
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AlterField(
            model_name='expectation',
            name='high',
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AlterField(
            model_name='expectation',
            name='low',
            field=models.FloatField(blank=True, help_text="share of the baseline's figure gained; below 0 is lost", null=True),
        ),
        migrations.AlterField(
            model_name='expectation',
            name='measure',
            field=models.CharField(choices=[('average_torque', 'Average torque'), ('average_power', 'Average power'), ('peak_torque', 'Peak torque'), ('peak_power', 'Peak power')], max_length=16),
        ),
        migrations.AddConstraint(
            model_name='expectation',
            constraint=models.UniqueConstraint(fields=('setup', 'measure', 'low_rpm', 'high_rpm', 'written_by'), name='expectation_once_per_person_measure_and_region', nulls_distinct=False),
        ),
        migrations.AddConstraint(
            model_name='expectation',
            constraint=models.CheckConstraint(condition=models.Q(('low__isnull', False), ('high__isnull', False), _connector='OR'), name='expectation_has_an_end'),
        ),
        migrations.AddConstraint(
            model_name='expectation',
            constraint=models.CheckConstraint(condition=models.Q(('low_rpm__lte', models.F('high_rpm'))), name='expectation_region_rises'),
        ),
    ]
