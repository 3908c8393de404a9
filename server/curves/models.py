"""Reduced curves and how somebody wanted them reduced, files as they came, and judgements of comparability."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.db.models import F, Q
from pydantic import BaseModel
from torvix_core.pull.anomalies import AnomalyKind
from torvix_core.pull.reduction import Cut, CutBy
from torvix_core.pull.trace import TraceProblem
from torvix_core.units.checked import Array

from jobs.models import Job
from programmes.models import Programme
from shop.checked_json import CheckedJSONField, Finite, JsonObject
from stand.models import Pull

if TYPE_CHECKING:
    from django.db.models.fields.related_descriptors import RelatedManager


CUTS = [one.value for one in CutBy]
CUT_BY = [(one, one) for one in CUTS]


class Reduced(models.Model):
    """The curve of one pull, or why there is none. Derived: it can be made again from the raw samples."""

    pull = models.OneToOneField(Pull, on_delete=models.CASCADE, related_name="reduced")
    core_version = models.CharField(max_length=20)
    options = CheckedJSONField(shape=dict[str, str | int | Finite | None])
    refused = models.CharField(max_length=300, blank=True, help_text="why the pull gave no curve")
    speed_rpm = ArrayField(models.FloatField(), default=list)
    torque = ArrayField(
        models.FloatField(), default=list, help_text="N·m, observed, inertia added where it was missing"
    )
    torque_scatter = ArrayField(models.FloatField(), default=list, help_text="N·m; empty where only figures are known")
    samples = ArrayField(models.IntegerField(), default=list, help_text="in each bin; 0 where it was interpolated")
    cut_start_s = models.FloatField(null=True, blank=True, help_text="of the recording; null where nothing was cut")
    cut_end_s = models.FloatField(null=True, blank=True)
    cut_start_rpm = models.FloatField(null=True, blank=True)
    cut_end_rpm = models.FloatField(null=True, blank=True)
    sweep_rate_rpm_s = models.FloatField(null=True, blank=True, help_text="as found; 0 where speeds were held")
    cut_start_by = models.CharField(max_length=5, blank=True, choices=CUT_BY)
    cut_end_by = models.CharField(max_length=5, blank=True, choices=CUT_BY)

    if TYPE_CHECKING:
        channel_means: RelatedManager[ChannelMean]
        findings: RelatedManager[SampleFinding]
        anomalies: RelatedManager[CurveAnomaly]

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(
                    cut_start_s=None,
                    cut_end_s=None,
                    cut_start_rpm=None,
                    cut_end_rpm=None,
                    sweep_rate_rpm_s=None,
                    cut_start_by="",
                    cut_end_by="",
                )
                | Q(
                    cut_start_s__isnull=False,
                    cut_end_s__gte=F("cut_start_s"),
                    cut_start_rpm__isnull=False,
                    cut_end_rpm__isnull=False,
                    sweep_rate_rpm_s__isnull=False,
                    cut_start_by__in=list(CutBy),
                    cut_end_by__in=list(CutBy),
                ),
                name="reduced_cut_is_whole",
            ),
            models.CheckConstraint(
                condition=Q(torque__len=models.F("speed_rpm__len")) | (Q(torque=[]) & Q(speed_rpm=[])),
                name="reduced_arrays_of_one_length",
            ),
        ]

    @cached_property
    def means(self) -> dict[str, Array]:
        """The channel means by name, each (bins,); read once, in one query or in none where they were prefetched."""
        return {row.channel: np.array(row.values, dtype=np.float64) for row in self.channel_means.all()}

    @property
    def cut(self) -> Cut | None:
        """What was cut off and why; None for printed figures and where there is no curve."""
        if self.cut_start_s is None or self.cut_end_s is None or self.sweep_rate_rpm_s is None:
            return None
        assert self.cut_start_rpm is not None
        assert self.cut_end_rpm is not None
        return Cut(
            self.cut_start_s, self.cut_end_s, self.cut_start_rpm, self.cut_end_rpm, self.sweep_rate_rpm_s,
            CutBy(self.cut_start_by), CutBy(self.cut_end_by),
        )  # fmt: skip


class ChannelMean(models.Model):
    """Means of one channel beside speed and torque, one for each bin of the curve; SI."""

    reduced = models.ForeignKey(Reduced, on_delete=models.CASCADE, related_name="channel_means")
    channel = models.CharField(max_length=40)
    values = ArrayField(models.FloatField())

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["reduced", "channel"], name="channel_mean_once")]


class SampleFinding(models.Model):
    """One thing that is wrong with the samples of a curve."""

    reduced = models.ForeignKey(Reduced, on_delete=models.CASCADE, related_name="findings")
    problem = models.CharField(max_length=20, choices=[(one.value, one.value) for one in TraceProblem])
    channel = models.CharField(max_length=40, blank=True, help_text="empty: the time base")
    samples = models.PositiveIntegerField()
    first_s = models.FloatField()

    class Meta:
        ordering = ["pk"]


class CurveAnomaly(models.Model):
    """One oddity of a curve between two speeds. `size` is a share of the torque unless the kind says otherwise."""

    reduced = models.ForeignKey(Reduced, on_delete=models.CASCADE, related_name="anomalies")
    kind = models.CharField(max_length=20, choices=[(one.value, one.value) for one in AnomalyKind])
    low_rpm = models.FloatField()
    high_rpm = models.FloatField()
    size = models.FloatField()
    channel = models.CharField(max_length=40, blank=True)
    evidence = CheckedJSONField(shape=dict[str, Finite], default=dict, help_text="what speaks for it, by name, SI")

    class Meta:
        ordering = ["pk"]
        constraints = [models.CheckConstraint(condition=Q(high_rpm__gte=F("low_rpm")), name="anomaly_has_a_range")]


class ReductionOverride(models.Model):
    """How somebody wants a pull reduced, in place of the defaults. The newest holds; the older ones stay."""

    pull = models.ForeignKey(Pull, on_delete=models.CASCADE, related_name="reduction_overrides")
    options = CheckedJSONField(
        shape=dict[str, str | int | Finite | None],
        default=dict,
        help_text="only what differs from the defaults; {} goes back to them",
    )
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["pk"]


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
    """A pull that is not comparable and counts all the same, because somebody says why."""

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
            models.CheckConstraint(condition=models.Q(step__gt=0, step__lte=10, margin__gte=0, margin__lte=20),
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
            models.CheckConstraint(condition=~models.Q(reason=""), name="spark_decision_says_why"),
        ]


class ManifestLine(BaseModel):
    """Of one file: its setup, its session, its place in the order, when it began; empty where it is not given."""

    file: str
    setup: str = ""
    session: str = ""
    order: float | None = None
    start: str = ""


class Import(models.Model):
    """Files brought in together, and what was said about all of them."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="imports")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    job = models.ForeignKey(
        Job, on_delete=models.SET_NULL, null=True, blank=True, related_name="+", help_text="that reads its files"
    )
    manifest = CheckedJSONField(
        shape=list[ManifestLine], default=list, help_text="what a list that came with the files says of each"
    )

    if TYPE_CHECKING:
        files: RelatedManager[SourceFile]

    class Meta:
        ordering = ["-pk"]


class FileState(models.TextChoices):
    WAITING = "waiting", "Not read yet"
    READ = "read", "Read"
    REFUSED = "refused", "Not read"
    DUPLICATE = "duplicate", "Known already"
    MANIFEST = "manifest", "Says where the files belong"


class SourceFile(models.Model):
    """A file as it came, byte for byte, and what became of it."""

    batch = models.ForeignKey(Import, on_delete=models.CASCADE, related_name="files")
    name = models.CharField(max_length=200)
    sha256 = models.CharField(max_length=64)
    size = models.PositiveIntegerField()
    content = models.BinaryField()
    layout = CheckedJSONField(shape=JsonObject, default=dict, help_text="what was found in it: columns, units, rows")
    layout_key = models.CharField(max_length=64, blank=True, help_text="the same for files of one make")
    state = models.CharField(max_length=9, choices=FileState.choices, default=FileState.WAITING)
    outcome = models.CharField(max_length=500, blank=True)
    pull = models.OneToOneField(Pull, on_delete=models.PROTECT, null=True, blank=True, related_name="source_file")

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.CheckConstraint(
                condition=Q(state=FileState.READ, pull__isnull=False) | ~Q(state=FileState.READ) & Q(pull__isnull=True),
                name="file_that_is_read_has_a_pull",
            )
        ]

    def __str__(self) -> str:
        return self.name


class KnownLayout(models.Model):
    """How files of one make were mapped last, for the next of them."""

    key = models.CharField(max_length=64, unique=True)
    mapping = CheckedJSONField(shape=JsonObject)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
