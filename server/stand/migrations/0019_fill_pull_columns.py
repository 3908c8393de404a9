"""Settings, held speeds and the channels of a pull that runs go over from JSON."""

from django.db import migrations

OVER = """
INSERT INTO stand_pullsetting (pull_id, key, text)
    SELECT pull.id, setting.key, setting.value FROM stand_pull AS pull, jsonb_each_text(pull.settings_in_force) AS setting
    ORDER BY pull.id, setting.key;
UPDATE stand_pull SET held_speeds = (
    SELECT array_agg(ARRAY[(one.value->>0)::float8, (one.value->>1)::float8] ORDER BY n)
    FROM jsonb_array_elements(held_as_json) WITH ORDINALITY AS one(value, n)
) WHERE held_as_json <> '[]';
INSERT INTO stand_channel (pull_id, position, name, unit, codec, samples, data)
    SELECT pull.id, 0, 'time', 's', '', 0, ''::bytea FROM stand_pull AS pull WHERE state = 'running'
    UNION ALL
    SELECT pull.id, one.n, one.value->>0, one.value->>1, '', 0, ''::bytea
    FROM stand_pull AS pull, jsonb_array_elements(pull.channel_list) WITH ORDINALITY AS one(value, n)
    WHERE state = 'running';
UPDATE stand_pull SET inertia_in_torque = 'unknown'
    WHERE inertia_in_torque NOT IN ('included', 'not_included', 'unknown');
"""
BACK = """
UPDATE stand_pull AS pull SET
    settings_in_force = coalesce((SELECT jsonb_object_agg(key, text) FROM stand_pullsetting WHERE pull_id = pull.id), '{}'),
    held_as_json = coalesce(to_jsonb(held_speeds), '[]'),
    channel_list = coalesce((SELECT jsonb_agg(jsonb_build_array(name, unit) ORDER BY position) FROM stand_channel
        WHERE pull_id = pull.id AND name <> 'time'), '[]');
DELETE FROM stand_channel WHERE samples = 0;
DELETE FROM stand_pullsetting;
"""


class Migration(migrations.Migration):
    dependencies = [("stand", "0018_pull_columns")]
    operations = [migrations.RunSQL(OVER, BACK)]
