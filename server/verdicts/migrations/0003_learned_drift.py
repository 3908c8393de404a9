from django.db import migrations, models
from django.db.models import Q

OF_ENGINE = 0.6  # of the variance of slopes, as it was assumed when this was written


def spread_out(apps, schema_editor):
    """What a day might hide was twice what was usual; now the usual slope and its spread stand apart."""
    known = apps.get_model("verdicts", "KnownScatter")
    for row in known.objects.filter(drift_per_pull__isnull=False):
        usual = row.drift_per_pull / 2
        row.drift_mean, row.drift_engine_sd = 0.0, usual * OF_ENGINE**0.5
        row.drift_day_sd = usual * (1 - OF_ENGINE) ** 0.5
        row.save()


def drawn_together(apps, schema_editor):
    known = apps.get_model("verdicts", "KnownScatter")
    for row in known.objects.filter(drift_mean__isnull=False):
        row.drift_per_pull = 2 * (row.drift_mean**2 + row.drift_engine_sd**2 + row.drift_day_sd**2) ** 0.5
        row.save()


class Migration(migrations.Migration):
    dependencies = [("verdicts", "0002_names")]

    operations = [
        migrations.RemoveConstraint(model_name="knownscatter", name="known_drift_is_a_size"),
        migrations.AddField("knownscatter", "drift_mean", models.FloatField(
            null=True, blank=True, help_text="usual drift of a pull, share; null: not learned")),
        migrations.AddField("knownscatter", "drift_engine_sd", models.FloatField(
            null=True, blank=True, help_text="how well that is known, share")),
        migrations.AddField("knownscatter", "drift_day_sd", models.FloatField(
            null=True, blank=True, help_text="how far days stray from it, share")),
        migrations.RunPython(spread_out, drawn_together),
        migrations.RemoveField("knownscatter", "drift_per_pull"),
        migrations.AddConstraint("knownscatter", models.CheckConstraint(
            condition=Q(drift_mean__isnull=True, drift_engine_sd__isnull=True, drift_day_sd__isnull=True)
            | Q(drift_mean__isnull=False, drift_engine_sd__gt=0, drift_day_sd__gt=0),
            name="known_drift_is_whole",
        )),
    ]
