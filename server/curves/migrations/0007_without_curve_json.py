"""The JSON of a curve that has columns and rows now is gone, and they promise to be whole."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("curves", "0006_fill_curve_columns")]
    operations = [
        migrations.RemoveField(
            model_name='reduced',
            name='anomalies',
        ),
        migrations.RemoveField(
            model_name='reduced',
            name='cut',
        ),
        migrations.RemoveField(
            model_name='reduced',
            name='findings',
        ),
        migrations.RemoveField(
            model_name='reduced',
            name='means',
        ),
        migrations.AddConstraint(
            model_name='reduced',
            constraint=models.CheckConstraint(condition=models.Q(models.Q(('cut_end_by', ''), ('cut_end_rpm', None), ('cut_end_s', None), ('cut_start_by', ''), ('cut_start_rpm', None), ('cut_start_s', None), ('sweep_rate_rpm_s', None)), models.Q(('cut_end_by__in', ['whole', 'rate', 'spike', 'hand']), ('cut_end_rpm__isnull', False), ('cut_end_s__gte', models.F('cut_start_s')), ('cut_start_by__in', ['whole', 'rate', 'spike', 'hand']), ('cut_start_rpm__isnull', False), ('cut_start_s__isnull', False), ('sweep_rate_rpm_s__isnull', False)), _connector='OR'), name='reduced_cut_is_whole'),
        ),
        migrations.AddConstraint(
            model_name='channelmean',
            constraint=models.UniqueConstraint(fields=('reduced', 'channel'), name='channel_mean_once'),
        ),
        migrations.AddConstraint(
            model_name='curveanomaly',
            constraint=models.CheckConstraint(condition=models.Q(('high_rpm__gte', models.F('low_rpm'))), name='anomaly_has_a_range'),
        ),
    ]
