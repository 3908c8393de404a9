"""Programmes made before plans had days get the usual ones; a setup that was pulled keeps what was on it.

Going back drops the rules of the day with their table, so nothing has to be undone here.
"""

from django.db import migrations

CLOSE = """
CREATE FUNCTION programmes_refuse_pulled_setup() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
    setup bigint;
BEGIN
    IF TG_OP = 'DELETE' THEN setup := OLD.setup_id; ELSE setup := NEW.setup_id; END IF;
    IF EXISTS (SELECT 1 FROM programmes_setup WHERE id = setup AND pulled) THEN
        RAISE EXCEPTION 'setup_pulled_is_closed: setup % has been pulled', setup
            USING ERRCODE = 'integrity_constraint_violation';
    END IF;
    IF TG_OP = 'DELETE' THEN RETURN OLD; END IF;
    RETURN NEW;
END $$;
CREATE TRIGGER setup_pulled_is_closed BEFORE INSERT OR UPDATE OR DELETE ON programmes_setup_parts
    FOR EACH ROW EXECUTE FUNCTION programmes_refuse_pulled_setup();
CREATE TRIGGER setup_pulled_is_closed BEFORE INSERT OR UPDATE OR DELETE ON programmes_setupsetting
    FOR EACH ROW EXECUTE FUNCTION programmes_refuse_pulled_setup();
"""
OPEN = """
DROP TRIGGER setup_pulled_is_closed ON programmes_setupsetting;
DROP TRIGGER setup_pulled_is_closed ON programmes_setup_parts;
DROP FUNCTION programmes_refuse_pulled_setup();
"""


def give_rules(apps, schema_editor):
    rules = apps.get_model("programmes", "DayRules")
    programmes = apps.get_model("programmes", "Programme").objects.filter(day_rules=None)
    rules.objects.bulk_create(rules(programme=programme) for programme in programmes)


class Migration(migrations.Migration):

    dependencies = [
        ('programmes', '0004_plans'),
    ]

    operations = [
        migrations.RunPython(give_rules, migrations.RunPython.noop),
        migrations.RunSQL(CLOSE, OPEN),
    ]
