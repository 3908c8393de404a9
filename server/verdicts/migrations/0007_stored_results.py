"""What each test came to, stored for its revision; and marks that tell a test from another one of its engine."""

import django.contrib.postgres.fields
import django.db.models.deletion
from django.db import migrations, models

OF_ENGINE = (
    "JOIN engines_build own ON own.id = test.build_id JOIN engines_build other ON other.engine_id = own.engine_id "
    "JOIN programmes_programme beside ON beside.build_id = other.id"
)
# By table: the tests that its rows are of, and where the tests of the same engine are found from.
WRITERS = (
    ("programmes_programme", "SELECT id FROM changed", "changed test"),
    (
        "stand_session", "SELECT programme_id FROM changed",
        "changed JOIN programmes_programme test ON test.id = changed.programme_id",
    ),
)
# What is of another test of the engine has rows of its own, so that neither hides the other within one transaction.
MARK_TWICE = """
CREATE OR REPLACE FUNCTION verdicts_mark_{table}() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO verdicts_programmechange (programme, transaction, at)
    SELECT DISTINCT found.programme, found.transaction, statement_timestamp()
    FROM (
        SELECT mine.programme, txid_current() FROM ({own}) AS mine (programme)
        UNION SELECT beside.id, -txid_current() FROM {test} {of_engine}
    ) AS found (programme, transaction) WHERE found.programme IS NOT NULL
    ON CONFLICT (programme, transaction) DO UPDATE
        SET id = nextval(pg_get_serial_sequence('verdicts_programmechange', 'id')), at = excluded.at;
    RETURN NULL;
END $$;
"""
MARK_ALIKE = """
CREATE OR REPLACE FUNCTION verdicts_mark_{table}() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO verdicts_programmechange (programme, transaction, at)
    SELECT DISTINCT found.programme, txid_current(), statement_timestamp()
    FROM ({own} UNION SELECT beside.id FROM {test} {of_engine}) AS found (programme) WHERE found.programme IS NOT NULL
    ON CONFLICT (programme, transaction) DO UPDATE
        SET id = nextval(pg_get_serial_sequence('verdicts_programmechange', 'id')), at = excluded.at;
    RETURN NULL;
END $$;
"""


class Migration(migrations.Migration):

    dependencies = [
        ('programmes', '0020_practice_tests'),
        ('verdicts', '0006_decisions_that_are_searched'),
    ]

    operations = [
        migrations.AlterField(
            model_name='programmechange',
            name='transaction',
            field=models.BigIntegerField(help_text='below zero: it wrote another test of the engine, and not this one'),
        ),
        *(
            migrations.RunSQL(
                MARK_TWICE.format(table=table, own=own, test=test, of_engine=OF_ENGINE),
                MARK_ALIKE.format(table=table, own=own, test=test, of_engine=OF_ENGINE),
            )
            for table, own, test in WRITERS
        ),
        migrations.CreateModel(
            name='StoredResult',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('revision', models.CharField(help_text='of the test, and of how results are made', max_length=80)),
                ('made_at', models.DateTimeField()),
                ('why_not', models.CharField(blank=True, help_text='why there is no comparison', max_length=500)),
                ('low_rpm', models.FloatField(null=True)),
                ('high_rpm', models.FloatField(null=True)),
                ('simulated', models.BooleanField(default=False, help_text='some of its pulls were run by no engine')),
                ('own_scatter', models.FloatField(help_text='of one pull, share; null: nothing was repeated', null=True)),
                ('own_degrees', models.PositiveIntegerField(default=0)),
                ('slopes', django.contrib.postgres.fields.ArrayField(base_field=models.FloatField(), default=list, help_text='drift of one pull by session, share', size=None)),
                ('slope_errors', django.contrib.postgres.fields.ArrayField(base_field=models.FloatField(), default=list, size=None)),
                ('speed_rpm', django.contrib.postgres.fields.ArrayField(base_field=models.FloatField(), default=list, size=None)),
                ('figures', models.JSONField(default=dict)),
                ('programme', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='stored_result', to='programmes.programme')),
            ],
        ),
        migrations.CreateModel(
            name='SetupResult',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('pulls', models.PositiveIntegerField()),
                ('torque', models.FloatField()),
                ('nature', models.CharField(max_length=11)),
                ('made_of', models.CharField(blank=True, max_length=80)),
                ('curve', django.contrib.postgres.fields.ArrayField(base_field=models.FloatField(), help_text='N·m', size=None)),
                ('peak_rpm', models.FloatField(help_text='where torque peaks; null: not inside the range', null=True)),
                ('setup', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='programmes.setup')),
                ('result', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='setups', to='verdicts.storedresult')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='PairGain',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('change', models.FloatField()),
                ('low', models.FloatField()),
                ('high', models.FloatField()),
                ('across_days', models.BooleanField(help_text='they share no session: others link them')),
                ('nature', models.CharField(max_length=11)),
                ('change_by_speed', django.contrib.postgres.fields.ArrayField(base_field=models.FloatField(), default=list, size=None)),
                ('half_width_by_speed', django.contrib.postgres.fields.ArrayField(base_field=models.FloatField(), default=list, help_text='of the logarithm', size=None)),
                ('peak_shift_rpm', models.FloatField(null=True)),
                ('peak_shift_half_width_rpm', models.FloatField(help_text='null: no pull of the two was repeated', null=True)),
                ('against', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='programmes.setup')),
                ('setup', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='programmes.setup')),
                ('result', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='gains', to='verdicts.storedresult')),
            ],
            options={
                'ordering': ['pk'],
                'constraints': [models.UniqueConstraint(fields=('setup', 'against'), name='pair_gain_once')],
            },
        ),
    ]
