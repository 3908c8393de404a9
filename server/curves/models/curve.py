"""Reduced curves, and how somebody wanted them reduced."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.db.models import F, Q
from torvix_core.pull.anomalies import AnomalyKind
from torvix_core.pull.reduction import Cut, CutBy
from torvix_core.pull.trace import TraceProblem
from torvix_core.units.checked import Array

from shop.checked_json import CheckedJSONField, Finite
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
        # A shop's boosted pulls are few among its channels, and are searched by what they reached.
        indexes = [models.Index(fields=["reduced"], name="channel_mean_of_boost", condition=Q(channel="boost"))]


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
