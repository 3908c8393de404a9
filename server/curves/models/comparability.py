"""What passes as comparable in a test, the exceptions somebody made, and whose tune stands for a setup."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models import F, Q

from programmes.models import Programme
from stand.models import Pull


class ComparisonWindow(models.Model):
    """A window of comparability as a programme has it; the usual one holds where there is no row."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="comparison_windows")
    key = models.CharField(max_length=24)
    note = models.FloatField(help_text="SI; differences up to it pass")
    block = models.FloatField(help_text="SI; beyond it two pulls are not comparable")

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["programme", "key"], name="comparison_window_once"),
            models.CheckConstraint(condition=Q(note__gte=0, block__gte=F("note")), name="comparison_window_opens"),
        ]


class ComparabilityOverride(models.Model):
    """A pull that is not comparable and counts, because somebody says why."""

    pull = models.OneToOneField(Pull, on_delete=models.CASCADE, related_name="comparability_override")
    reason = models.CharField(max_length=300)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        constraints = [models.CheckConstraint(condition=~Q(reason=""), name="let_in_says_why")]


class StandingTune(models.Model):
    """The pull whose tune stands for its setup, where the rule of the test is a chosen one."""

    setup = models.OneToOneField("programmes.Setup", on_delete=models.CASCADE, related_name="standing_tune")
    pull = models.ForeignKey(Pull, on_delete=models.CASCADE, related_name="+")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    def __str__(self) -> str:
        return f"{self.setup_id}: tune of {self.pull}"


class SparkRule(models.Model):
    """How the ignition timing of a setup is climbed: the step, how far back from a knock, what is never passed."""

    setup = models.OneToOneField("programmes.Setup", on_delete=models.CASCADE, related_name="spark_rule")
    step = models.FloatField(default=2.0, help_text="degrees")
    margin = models.FloatField(default=4.0, help_text="degrees back from a knock")
    limit = models.FloatField(null=True, blank=True, help_text="degrees before top dead center, never passed")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        constraints = [
            models.CheckConstraint(condition=Q(step__gt=0, step__lte=10, margin__gte=0, margin__lte=20),
                                   name="spark_rule_is_in_degrees"),
        ]  # fmt: skip


class SparkDecision(models.Model):
    """The timing somebody decided to hold, and why: what is left on the table for safety is a decision, no fault."""

    setup = models.ForeignKey("programmes.Setup", on_delete=models.CASCADE, related_name="spark_decisions")
    pull = models.ForeignKey(Pull, on_delete=models.CASCADE, related_name="+", help_text="the last of the ladder then")
    held = models.FloatField(help_text="degrees before top dead center")
    left = models.CharField(max_length=120, blank=True, help_text="what the ladder said was left, then")
    reason = models.CharField(max_length=200)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["at", "pk"]
        constraints = [
            models.CheckConstraint(condition=~Q(reason=""), name="spark_decision_says_why"),
        ]
