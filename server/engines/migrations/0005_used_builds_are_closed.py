"""A revision that a pull was made with stays as it was: the database itself refuses to change its sheet."""

from django.db import migrations

CLOSE = """
CREATE FUNCTION engines_refuse_closed_build() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
    build bigint;
BEGIN
    IF TG_OP = 'DELETE' THEN build := OLD.build_id; ELSE build := NEW.build_id; END IF;
    IF EXISTS (SELECT 1 FROM engines_build WHERE id = build AND used_at IS NOT NULL) THEN
        RAISE EXCEPTION 'build_used_is_closed: revision % was used by a pull', build
            USING ERRCODE = 'integrity_constraint_violation';
    END IF;
    IF TG_OP = 'DELETE' THEN RETURN OLD; END IF;
    RETURN NEW;
END $$;
CREATE FUNCTION engines_refuse_reopening() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF OLD.used_at IS NOT NULL AND NEW.used_at IS DISTINCT FROM OLD.used_at THEN
        RAISE EXCEPTION 'build_used_is_closed: revision % was used by a pull', OLD.id
            USING ERRCODE = 'integrity_constraint_violation';
    END IF;
    RETURN NEW;
END $$;
CREATE TRIGGER build_used_is_closed BEFORE INSERT OR UPDATE OR DELETE ON engines_buildreading
    FOR EACH ROW EXECUTE FUNCTION engines_refuse_closed_build();
CREATE TRIGGER build_used_is_closed BEFORE INSERT OR UPDATE OR DELETE ON engines_flowtable
    FOR EACH ROW EXECUTE FUNCTION engines_refuse_closed_build();
CREATE TRIGGER build_used_stays_used BEFORE UPDATE ON engines_build
    FOR EACH ROW EXECUTE FUNCTION engines_refuse_reopening();
"""
OPEN = """
DROP TRIGGER build_used_stays_used ON engines_build;
DROP TRIGGER build_used_is_closed ON engines_flowtable;
DROP TRIGGER build_used_is_closed ON engines_buildreading;
DROP FUNCTION engines_refuse_reopening();
DROP FUNCTION engines_refuse_closed_build();
"""


class Migration(migrations.Migration):

    dependencies = [
        ('engines', '0004_without_old_columns'),
    ]

    operations = [
        migrations.RunSQL(CLOSE, OPEN),
    ]
