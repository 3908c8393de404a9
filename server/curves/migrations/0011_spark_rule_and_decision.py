
import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('curves', '0010_standing_tune'),
        ('programmes', '0017_tune_sizes'),
        ('stand', '0030_swap_record_and_counts'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='SparkDecision',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('held', models.FloatField(help_text='degrees before top dead center')),
                ('left', models.CharField(blank=True, help_text='what the ladder said was left, then', max_length=120)),
                ('reason', models.CharField(max_length=200)),
                ('at', models.DateTimeField()),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('pull', models.ForeignKey(help_text='the last of the ladder then', on_delete=django.db.models.deletion.CASCADE, related_name='+', to='stand.pull')),
                ('setup', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='spark_decisions', to='programmes.setup')),
            ],
            options={
                'ordering': ['at', 'pk'],
                'constraints': [models.CheckConstraint(condition=models.Q(('reason', ''), _negated=True), name='spark_decision_says_why')],
            },
        ),
        migrations.CreateModel(
            name='SparkRule',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('step', models.FloatField(default=2.0, help_text='degrees')),
                ('margin', models.FloatField(default=4.0, help_text='degrees back from a knock')),
                ('limit', models.FloatField(blank=True, help_text='degrees before top dead center, never passed', null=True)),
                ('at', models.DateTimeField()),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('setup', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='spark_rule', to='programmes.setup')),
            ],
            options={
                'constraints': [models.CheckConstraint(condition=models.Q(('margin__gte', 0), ('margin__lte', 20), ('step__gt', 0), ('step__lte', 10)), name='spark_rule_is_in_degrees')],
            },
        ),
    ]
