
import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('programmes', '0015_mixture_as_question'),
    ]

    operations = [
        migrations.CreateModel(
            name='TimedTuning',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('fuel_by', models.CharField(choices=[('carburetor', 'Carburetor'), ('program', 'Program')], max_length=10)),
                ('took_min', models.FloatField()),
                ('at', models.DateTimeField(help_text='of the first pull')),
            ],
            options={
                'ordering': ['at', 'pk'],
            },
        ),
        migrations.RemoveConstraint(
            model_name='dayrules',
            name='day_rules_are_times',
        ),
        migrations.AddField(
            model_name='dayrules',
            name='check_pass_first',
            field=models.BooleanField(default=False, help_text='after every change of parts or tune'),
        ),
        migrations.AddField(
            model_name='dayrules',
            name='tuning_min',
            field=models.FloatField(default=0.0, help_text='of each setup at its first visit'),
        ),
        migrations.AddField(
            model_name='setup',
            name='protected',
            field=models.BooleanField(default=False, help_text='the question is about it: dropped last, and said'),
        ),
        migrations.AddConstraint(
            model_name='dayrules',
            constraint=models.CheckConstraint(condition=models.Q(('cool_down_min__gte', 0), ('pull_min__gt', 0), ('return_every__gte', 1), ('return_pulls__gte', 1), ('tuning_min__gte', 0), ('warm_up_min__gte', 0)), name='day_rules_are_times'),
        ),
        migrations.AddField(
            model_name='timedtuning',
            name='programme',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='timed_tunings', to='programmes.programme'),
        ),
        migrations.AddConstraint(
            model_name='timedtuning',
            constraint=models.UniqueConstraint(fields=('programme', 'at'), name='timed_tuning_once_a_visit'),
        ),
        migrations.AddConstraint(
            model_name='timedtuning',
            constraint=models.CheckConstraint(condition=models.Q(('took_min__gt', 0)), name='timed_tuning_took_time'),
        ),
    ]
