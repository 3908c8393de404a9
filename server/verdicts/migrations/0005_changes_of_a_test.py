"""Every change of what a comparison rests on leaves a mark at the tests that it is of, whoever made it."""

from django.db import migrations, models

OF_PULLS = "JOIN stand_pull pull ON pull.id = changed.pull_id JOIN stand_session day ON day.id = pull.session_id"
OF_REDUCED = (
    "JOIN curves_reduced reduced ON reduced.id = changed.reduced_id "
    "JOIN stand_pull pull ON pull.id = reduced.pull_id JOIN stand_session day ON day.id = pull.session_id"
)
OF_SETUP = "SELECT setup.programme_id FROM changed JOIN programmes_setup setup ON setup.id = changed.setup_id"
# A test without boost names the tests of its engine that had it.
OF_ENGINE = (
    "JOIN engines_build own ON own.id = test.build_id JOIN engines_build other ON other.engine_id = own.engine_id "
    "JOIN programmes_programme beside ON beside.build_id = other.id"
)


def of_build(key):
    return (
        f"SELECT test.id FROM changed JOIN programmes_programme test ON test.build_id = changed.{key} "
        f"UNION SELECT day.programme_id FROM changed JOIN stand_pull pull ON pull.build_id = changed.{key} "
        "JOIN stand_session day ON day.id = pull.session_id"
    )


# By table: which tests its rows are of.
TESTS_OF = {
    "programmes_programme": f"SELECT id FROM changed UNION SELECT beside.id FROM changed test {OF_ENGINE}",
    "programmes_setup": "SELECT programme_id FROM changed",
    "programmes_setup_parts": OF_SETUP,
    "programmes_setupsetting": OF_SETUP,
    "programmes_window": "SELECT programme_id FROM changed",
    "engines_part": (
        "SELECT setup.programme_id FROM changed JOIN programmes_setup_parts held ON held.part_id = changed.id "
        "JOIN programmes_setup setup ON setup.id = held.setup_id"
    ),
    "engines_build": of_build("id"),
    "engines_buildreading": of_build("build_id"),
    "engines_installation": of_build("build_id"),
    "stand_session": (
        "SELECT programme_id FROM changed UNION SELECT beside.id FROM changed "
        f"JOIN programmes_programme test ON test.id = changed.programme_id {OF_ENGINE}"
    ),
    "stand_pull": "SELECT day.programme_id FROM changed JOIN stand_session day ON day.id = changed.session_id",
    "stand_pullsetting": f"SELECT day.programme_id FROM changed {OF_PULLS}",
    "stand_weatherreading": "SELECT day.programme_id FROM changed JOIN stand_session day ON day.id = changed.session_id",
    "stand_instrumentcheck": "SELECT day.programme_id FROM changed JOIN stand_session day ON day.stand_id = changed.stand_id",
    "curves_reduced": f"SELECT day.programme_id FROM changed {OF_PULLS}",
    "curves_channelmean": f"SELECT day.programme_id FROM changed {OF_REDUCED}",
    "curves_curveanomaly": f"SELECT day.programme_id FROM changed {OF_REDUCED}",
    "curves_comparabilityoverride": f"SELECT day.programme_id FROM changed {OF_PULLS}",
    "curves_comparisonwindow": "SELECT programme_id FROM changed",
    "curves_standingtune": OF_SETUP,
    "verdicts_knownscatter": "SELECT programme_id FROM changed",
}

# A row a transaction and test, and no lock that another transaction could wait for: a pull that ends never waits for an
# import into its test. Within one transaction a second change takes a new number for the same row.
MARK = """
CREATE FUNCTION verdicts_mark_{table}() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO verdicts_programmechange (programme, transaction, at)
    SELECT DISTINCT found.programme, txid_current(), statement_timestamp()
    FROM ({tests}) AS found (programme) WHERE found.programme IS NOT NULL
    ON CONFLICT (programme, transaction) DO UPDATE
        SET id = nextval(pg_get_serial_sequence('verdicts_programmechange', 'id')), at = excluded.at;
    RETURN NULL;
END $$;
CREATE TRIGGER marks_a_change_by_insert AFTER INSERT ON {table} REFERENCING NEW TABLE AS changed
    FOR EACH STATEMENT EXECUTE FUNCTION verdicts_mark_{table}();
CREATE TRIGGER marks_a_change_by_update AFTER UPDATE ON {table} REFERENCING NEW TABLE AS changed
    FOR EACH STATEMENT EXECUTE FUNCTION verdicts_mark_{table}();
CREATE TRIGGER marks_a_change_by_delete AFTER DELETE ON {table} REFERENCING OLD TABLE AS changed
    FOR EACH STATEMENT EXECUTE FUNCTION verdicts_mark_{table}();
"""
UNMARK = """
DROP TRIGGER marks_a_change_by_insert ON {table};
DROP TRIGGER marks_a_change_by_update ON {table};
DROP TRIGGER marks_a_change_by_delete ON {table};
DROP FUNCTION verdicts_mark_{table}();
"""
# Persons are written at every sign-in; a comparison names them and knows whether two pulls are of one operator.
MARK_NAMES = """
CREATE FUNCTION verdicts_mark_shop_person() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO verdicts_programmechange (programme, transaction, at)
    SELECT DISTINCT day.programme_id, txid_current(), statement_timestamp()
    FROM stand_pull pull JOIN stand_session day ON day.id = pull.session_id
    WHERE pull.operator_id = NEW.id OR pull.judged_by_id = NEW.id
    ON CONFLICT (programme, transaction) DO UPDATE
        SET id = nextval(pg_get_serial_sequence('verdicts_programmechange', 'id')), at = excluded.at;
    RETURN NULL;
END $$;
CREATE TRIGGER marks_a_change_of_name AFTER UPDATE ON shop_person FOR EACH ROW
    WHEN (OLD.username <> NEW.username OR OLD.first_name <> NEW.first_name OR OLD.last_name <> NEW.last_name)
    EXECUTE FUNCTION verdicts_mark_shop_person();
"""
UNMARK_NAMES = """
DROP TRIGGER marks_a_change_of_name ON shop_person;
DROP FUNCTION verdicts_mark_shop_person();
"""


class Migration(migrations.Migration):

    dependencies = [
        ('curves', '0011_spark_rule_and_decision'),
        ('engines', '0008_trade_words_of_origins'),
        ('programmes', '0020_practice_tests'),
        ('shop', '0004_a_shop_of_its_own'),
        ('stand', '0031_removal_readings'),
        ('verdicts', '0004_estimates'),
    ]

    operations = [
        migrations.CreateModel(
            name='ProgrammeChange',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('programme', models.BigIntegerField(help_text='no foreign key: a mark never waits for its test')),
                ('transaction', models.BigIntegerField()),
                ('at', models.DateTimeField()),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('programme', 'transaction'), name='programme_change_once')],
            },
        ),
        *(
            migrations.RunSQL(MARK.format(table=table, tests=tests), UNMARK.format(table=table))
            for table, tests in TESTS_OF.items()
        ),
        migrations.RunSQL(MARK_NAMES, UNMARK_NAMES),
    ]
