
import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('engines', '0008_trade_words_of_origins'),
        ('programmes', '0018_fixed_slots'),
    ]

    operations = [
        migrations.AlterModelOptions(
            name='prediction',
            options={'ordering': ['pk']},
        ),
        migrations.RemoveConstraint(
            model_name='prediction',
            name='prediction_once_per_setup',
        ),
        migrations.AddField(
            model_name='prediction',
            name='high_rpm',
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='prediction',
            name='low_rpm',
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='prediction',
            name='measure',
            field=models.CharField(default='average_torque', max_length=40),
        ),
        migrations.AddField(
            model_name='prediction',
            name='part',
            field=models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='engines.part'),
        ),
        migrations.AlterField(
            model_name='prediction',
            name='high',
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AlterField(
            model_name='prediction',
            name='low',
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AlterField(
            model_name='prediction',
            name='setup',
            field=models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.CASCADE, related_name='+', to='programmes.setup'),
        ),
        migrations.AddConstraint(
            model_name='prediction',
            constraint=models.UniqueConstraint(fields=('theory', 'setup', 'part', 'measure', 'low_rpm', 'high_rpm'), name='prediction_once_per_case', nulls_distinct=False),
        ),
        migrations.AddConstraint(
            model_name='prediction',
            constraint=models.CheckConstraint(condition=models.Q(('low__isnull', False), ('high__isnull', False), _connector='OR'), name='prediction_has_an_end'),
        ),
        migrations.AddConstraint(
            model_name='prediction',
            constraint=models.CheckConstraint(condition=models.Q(models.Q(('part__isnull', True), ('setup__isnull', False)), models.Q(('part__isnull', False), ('setup__isnull', True)), _connector='OR'), name='prediction_of_a_setup_or_a_part'),
        ),
        migrations.AddConstraint(
            model_name='prediction',
            constraint=models.CheckConstraint(condition=models.Q(('low_rpm__lte', models.F('high_rpm'))), name='prediction_region_rises'),
        ),
    ]
