"""Reduced curves and how somebody wanted them reduced, files as they came, and judgements of comparability."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.db.models import F, Q

from programmes.models import Programme
from stand.models import Pull

if TYPE_CHECKING:
    from django.db.models.fields.related_descriptors import RelatedManager


class Reduced(models.Model):
    """The curve of one pull, or why there is none. Derived: it can be made again from the raw samples."""

    pull = models.OneToOneField(Pull, on_delete=models.CASCADE, related_name="reduced")
    core_version = models.CharField(max_length=20)
    options = models.JSONField()
    refused = models.CharField(max_length=300, blank=True, help_text="why the pull gave no curve")
    speed_rpm = ArrayField(models.FloatField(), default=list)
    torque = ArrayField(
        models.FloatField(), default=list, help_text="N·m, observed, inertia added where it was missing"
    )
    torque_scatter = ArrayField(models.FloatField(), default=list, help_text="N·m; empty where only figures are known")
    samples = ArrayField(models.IntegerField(), default=list, help_text="in each bin; 0 where it was interpolated")
    means = models.JSONField(default=dict, help_text="mean of every other channel in each bin, SI")
    cut = models.JSONField(default=dict)
    findings = models.JSONField(default=list)
    anomalies = models.JSONField(default=list)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(torque__len=models.F("speed_rpm__len")) | (Q(torque=[]) & Q(speed_rpm=[])),
                name="reduced_arrays_of_one_length",
            ),
        ]


class ReductionOverride(models.Model):
    """How somebody wants a pull reduced, in place of the defaults. The newest holds; the older ones stay."""

    pull = models.ForeignKey(Pull, on_delete=models.CASCADE, related_name="reduction_overrides")
    options = models.JSONField(default=dict, help_text="only what differs from the defaults; {} goes back to them")
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


class Import(models.Model):
    """Files brought in together, and what was said about all of them."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="imports")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    job = models.PositiveBigIntegerField(null=True, blank=True)

    if TYPE_CHECKING:
        files: RelatedManager[SourceFile]

    class Meta:
        ordering = ["-pk"]


class FileState(models.TextChoices):
    WAITING = "waiting", "Not read yet"
    READ = "read", "Read"
    REFUSED = "refused", "Not read"
    DUPLICATE = "duplicate", "Known already"


class SourceFile(models.Model):
    """A file as it came, byte for byte, and what became of it."""

    batch = models.ForeignKey(Import, on_delete=models.CASCADE, related_name="files")
    name = models.CharField(max_length=200)
    sha256 = models.CharField(max_length=64)
    size = models.PositiveIntegerField()
    content = models.BinaryField()
    layout = models.JSONField(default=dict, help_text="what was found in it: columns, units, rows")
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
    mapping = models.JSONField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
