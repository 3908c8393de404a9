"""What is asked of a curve by itself gets rows and columns of its own: channel means, findings, anomalies, the cut."""

import django.contrib.postgres.fields
import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("curves", "0004_names"), ("stand", "0017_names")]
    operations = [
        migrations.CreateModel(
            name='ChannelMean',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('channel', models.CharField(max_length=40)),
                ('values', django.contrib.postgres.fields.ArrayField(base_field=models.FloatField(), size=None)),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='CurveAnomaly',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(choices=[('stumble', 'stumble'), ('misfire', 'misfire'), ('boost_lost', 'boost_lost'), ('stuck', 'stuck'), ('stepped', 'stepped'), ('rpm_jump', 'rpm_jump'), ('knock', 'knock'), ('load_in_peak', 'load_in_peak'), ('climbing', 'climbing')], max_length=20)),
                ('low_rpm', models.FloatField()),
                ('high_rpm', models.FloatField()),
                ('size', models.FloatField()),
                ('channel', models.CharField(blank=True, max_length=40)),
                ('evidence', models.JSONField(default=dict, help_text='what speaks for it, by name, SI')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='SampleFinding',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('problem', models.CharField(choices=[('time_backwards', 'time_backwards'), ('gap', 'gap'), ('rpm_jump', 'rpm_jump'), ('stuck', 'stuck'), ('missing', 'missing'), ('implausible', 'implausible')], max_length=20)),
                ('channel', models.CharField(blank=True, help_text='empty: the time base', max_length=40)),
                ('samples', models.PositiveIntegerField()),
                ('first_s', models.FloatField()),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.AddField(
            model_name='reduced',
            name='cut_end_by',
            field=models.CharField(blank=True, choices=[('whole', 'whole'), ('rate', 'rate'), ('spike', 'spike'), ('hand', 'hand')], max_length=5),
        ),
        migrations.AddField(
            model_name='reduced',
            name='cut_end_rpm',
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='reduced',
            name='cut_end_s',
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='reduced',
            name='cut_start_by',
            field=models.CharField(blank=True, choices=[('whole', 'whole'), ('rate', 'rate'), ('spike', 'spike'), ('hand', 'hand')], max_length=5),
        ),
        migrations.AddField(
            model_name='reduced',
            name='cut_start_rpm',
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='reduced',
            name='cut_start_s',
            field=models.FloatField(blank=True, help_text='of the recording; null where nothing was cut', null=True),
        ),
        migrations.AddField(
            model_name='reduced',
            name='sweep_rate_rpm_s',
            field=models.FloatField(blank=True, help_text='as found; 0 where speeds were held', null=True),
        ),
        migrations.AddField(
            model_name='channelmean',
            name='reduced',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='channel_means', to='curves.reduced'),
        ),
        migrations.AddField(
            model_name='curveanomaly',
            name='reduced',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='anomalies', to='curves.reduced'),
        ),
        migrations.AddField(
            model_name='samplefinding',
            name='reduced',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='findings', to='curves.reduced'),
        ),
    ]
