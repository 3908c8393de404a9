"""Means, findings, anomalies and cuts go over from JSON, to the last digit."""

from django.db import migrations

OVER = """
INSERT INTO curves_channelmean (reduced_id, channel, "values")
    SELECT curve.id, mean.key, ARRAY(
        SELECT one.value::text::float8 FROM jsonb_array_elements(mean.value) WITH ORDINALITY AS one(value, n) ORDER BY n
    )
    FROM curves_reduced AS curve, jsonb_each(curve.means) AS mean ORDER BY curve.id;
INSERT INTO curves_samplefinding (reduced_id, problem, channel, samples, first_s)
    SELECT curve.id, one.value->>'problem', one.value->>'channel', (one.value->>'samples')::int,
        (one.value->>'first_s')::float8
    FROM curves_reduced AS curve, jsonb_array_elements(curve.findings) WITH ORDINALITY AS one(value, n) ORDER BY curve.id, n;
INSERT INTO curves_curveanomaly (reduced_id, kind, low_rpm, high_rpm, size, channel, evidence)
    SELECT curve.id, one.value->>'kind', (one.value->>'low_rpm')::float8, (one.value->>'high_rpm')::float8,
        (one.value->>'size')::float8, coalesce(one.value->>'channel', ''), coalesce(one.value->'evidence', '{}')
    FROM curves_reduced AS curve, jsonb_array_elements(curve.anomalies) WITH ORDINALITY AS one(value, n) ORDER BY curve.id, n;
UPDATE curves_reduced SET
    cut_start_s = (cut->>'start_s')::float8, cut_end_s = (cut->>'end_s')::float8,
    cut_start_rpm = (cut->>'start_rpm')::float8, cut_end_rpm = (cut->>'end_rpm')::float8,
    sweep_rate_rpm_s = (cut->>'sweep_rate_rpm_s')::float8,
    cut_start_by = coalesce(cut->>'start_by', 'rate'), cut_end_by = coalesce(cut->>'end_by', 'rate')
WHERE cut ? 'start_s';
"""
BACK = """
UPDATE curves_reduced AS curve SET
    means = coalesce((SELECT jsonb_object_agg(channel, to_jsonb("values")) FROM curves_channelmean
        WHERE reduced_id = curve.id), '{}'),
    findings = coalesce((SELECT jsonb_agg(to_jsonb(one) - 'id' - 'reduced_id' ORDER BY one.id)
        FROM curves_samplefinding AS one WHERE reduced_id = curve.id), '[]'),
    anomalies = coalesce((SELECT jsonb_agg(to_jsonb(one) - 'id' - 'reduced_id' ORDER BY one.id)
        FROM curves_curveanomaly AS one WHERE reduced_id = curve.id), '[]'),
    cut = CASE WHEN cut_start_s IS NULL THEN '{}'::jsonb ELSE jsonb_build_object(
        'start_s', cut_start_s, 'end_s', cut_end_s, 'start_rpm', cut_start_rpm, 'end_rpm', cut_end_rpm,
        'sweep_rate_rpm_s', sweep_rate_rpm_s, 'start_by', cut_start_by, 'end_by', cut_end_by) END;
DELETE FROM curves_channelmean;
DELETE FROM curves_samplefinding;
DELETE FROM curves_curveanomaly;
"""


class Migration(migrations.Migration):
    dependencies = [("curves", "0005_curve_columns")]
    operations = [migrations.RunSQL(OVER, BACK)]
