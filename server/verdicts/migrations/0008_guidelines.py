"""Guidelines and their explanations; and by which marks recordings that were read in twice are recognized."""

import django.contrib.postgres.fields
import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('programmes', '0020_practice_tests'),
        ('verdicts', '0007_stored_results'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddField(
            model_name='storedresult',
            name='fingerprint',
            field=django.contrib.postgres.fields.ArrayField(base_field=models.BigIntegerField(), default=list, help_text='of the bins of its pulls', size=None),
        ),
        migrations.AddField(
            model_name='storedresult',
            name='ran_at',
            field=models.DateTimeField(help_text='first of its accepted pulls', null=True),
        ),
        migrations.CreateModel(
            name='Guideline',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('statement', models.CharField(max_length=300)),
                ('slot', models.CharField(choices=[('intake_manifold', 'Intake manifold'), ('upper_intake', 'Upper intake'), ('lower_intake', 'Lower intake'), ('carburetor', 'Carburetor'), ('throttle_body', 'Throttle body'), ('spacer', 'Spacer'), ('adapter', 'Adapter'), ('gasket', 'Gasket'), ('cylinder_head', 'Cylinder head'), ('camshaft', 'Camshaft'), ('header', 'Header'), ('boost_control', 'Boost control'), ('pulley', 'Pulley'), ('air_cleaner', 'Air cleaner'), ('other', 'Other')], max_length=30)),
                ('variable', models.CharField(help_text='dimension of the part that decides', max_length=40)),
                ('step', models.FloatField(help_text='SI; the change of the variable that effects are given for')),
                ('step_text', models.CharField(help_text='as it was typed', max_length=40)),
                ('measure', models.CharField(choices=[('torque', 'Average torque'), ('peak_speed', 'Speed of the torque peak')], max_length=10)),
                ('claimed', models.CharField(choices=[('more', 'more'), ('less', 'less'), ('nothing', 'nothing')], max_length=7)),
                ('smallest', models.FloatField(help_text="effect of a step that matters: share, or rpm of a peak's speed")),
                ('low_rpm', models.FloatField(blank=True, help_text='null: as far as each test was judged', null=True)),
                ('high_rpm', models.FloatField(blank=True, null=True)),
                ('engine_words', models.CharField(blank=True, help_text='in the names of the engines it is of', max_length=80)),
                ('written_at', models.DateTimeField()),
                ('archived_at', models.DateTimeField(blank=True, help_text='since when it is out of the lists', null=True)),
                ('written_by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['slot', 'variable', 'pk'],
            },
        ),
        migrations.CreateModel(
            name='Explanation',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('text', models.CharField(max_length=500)),
                ('grade', models.CharField(choices=[('measured', 'Measured'), ('inferred', 'Inferred'), ('opinion', 'Opinion')], max_length=8)),
                ('separated_by', models.CharField(blank=True, help_text='the test that would separate it from the others', max_length=300)),
                ('written_at', models.DateTimeField()),
                ('withdrawn_at', models.DateTimeField(blank=True, null=True)),
                ('programme', models.ForeignKey(blank=True, help_text='that measured it', null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='programmes.programme')),
                ('written_by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('guideline', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='explanations', to='verdicts.guideline')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.AddConstraint(
            model_name='guideline',
            constraint=models.CheckConstraint(condition=models.Q(('statement', ''), _negated=True), name='guideline_says_something'),
        ),
        migrations.AddConstraint(
            model_name='guideline',
            constraint=models.CheckConstraint(condition=models.Q(('smallest__gt', 0), ('step__gt', 0)), name='guideline_step_is_above_zero'),
        ),
        migrations.AddConstraint(
            model_name='guideline',
            constraint=models.CheckConstraint(condition=models.Q(models.Q(('high_rpm__isnull', True), ('low_rpm__isnull', True)), models.Q(('high_rpm__gt', models.F('low_rpm')), ('low_rpm__gt', 0)), _connector='OR'), name='guideline_range_rises'),
        ),
        migrations.AddConstraint(
            model_name='explanation',
            constraint=models.CheckConstraint(condition=models.Q(('text', ''), _negated=True), name='explanation_says_something'),
        ),
    ]
