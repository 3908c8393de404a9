
import django.contrib.postgres.fields
import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('engines', '0008_trade_words_of_origins'),
        ('programmes', '0019_predictions_by_case'),
        ('verdicts', '0003_learned_drift'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Estimate',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('nature', models.CharField(choices=[('inferred', 'inferred'), ('transferred', 'transferred')], max_length=11)),
                ('standard', models.CharField(max_length=30)),
                ('sentence', models.CharField(max_length=500)),
                ('made_from', models.JSONField(help_text='what was asked, and what it rested on, in words')),
                ('speed_rpm', django.contrib.postgres.fields.ArrayField(base_field=models.FloatField(), size=None)),
                ('at', models.DateTimeField()),
                ('build', models.ForeignKey(blank=True, help_text='the engine it went to', null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='engines.build')),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('part', models.ForeignKey(blank=True, help_text='inferred: what lies between', null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='engines.part')),
                ('programme', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='estimates', to='programmes.programme')),
                ('setup', models.ForeignKey(blank=True, help_text='transferred: whose gain', null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='programmes.setup')),
            ],
            options={
                'ordering': ['-at', '-pk'],
            },
        ),
        migrations.CreateModel(
            name='EstimatedGain',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('change', django.contrib.postgres.fields.ArrayField(base_field=models.FloatField(), size=None)),
                ('low', django.contrib.postgres.fields.ArrayField(base_field=models.FloatField(), size=None)),
                ('high', django.contrib.postgres.fields.ArrayField(base_field=models.FloatField(), size=None)),
                ('against', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='programmes.setup')),
                ('estimate', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='curves', to='verdicts.estimate')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.AddConstraint(
            model_name='estimate',
            constraint=models.CheckConstraint(condition=models.Q(models.Q(('nature', 'inferred'), ('part__isnull', False), ('setup__isnull', True)), models.Q(('nature', 'transferred'), ('part__isnull', True), ('setup__isnull', False)), _connector='OR'), name='estimate_is_of_a_part_or_a_setup'),
        ),
        migrations.AddConstraint(
            model_name='estimatedgain',
            constraint=models.UniqueConstraint(fields=('estimate', 'against'), name='estimated_gain_once'),
        ),
    ]
