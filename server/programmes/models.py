"""The question, its setups and what is held constant, and the order in which they are to be pulled."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models import F, Q
from torvix_core.standards import Standard

from engines.models import Build, Engine, Part
from shop.models import Person

# ISO 1585 for diesels needs the fuel delivery of the engine, which a build does not hold yet.
STANDARDS = [standard for standard in Standard if standard is not Standard.ISO_1585_CI]


class ProgrammeQuerySet(models.QuerySet["Programme"]):
    def visible_to(self, person: Person) -> ProgrammeQuerySet:
        """Programmes of engines that the person may see."""
        return self.filter(build__engine__in=Engine.objects.visible_to(person))


class Programme(models.Model):
    question = models.CharField(max_length=200)
    build = models.ForeignKey(Build, on_delete=models.PROTECT, related_name="programmes")
    standard = models.CharField(max_length=20, default=Standard.ISO_1585_SI)
    smallest_difference = models.FloatField(default=0.003, help_text="share of the score that matters")
    low_rpm = models.FloatField(help_text="lower end of the range compared")
    high_rpm = models.FloatField()
    sweep_start_rpm = models.FloatField()
    sweep_end_rpm = models.FloatField()
    sweep_rate_rpm_s = models.FloatField()
    held_constant = models.TextField(blank=True)
    created_at = models.DateTimeField()
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")

    objects = ProgrammeQuerySet.as_manager()

    class Meta:
        ordering = ["-created_at"]
        constraints = [
            models.CheckConstraint(
                condition=Q(standard__in=[str(standard) for standard in STANDARDS]), name="programme_standard_is_known"
            ),
            models.CheckConstraint(condition=Q(low_rpm__lt=F("high_rpm")), name="programme_range_rises"),
            models.CheckConstraint(
                condition=Q(sweep_start_rpm__gt=0, sweep_start_rpm__lt=F("sweep_end_rpm"), sweep_rate_rpm_s__gt=0),
                name="programme_sweep_rises",
            ),
            models.CheckConstraint(
                condition=Q(smallest_difference__gte=0, smallest_difference__lt=0.5),
                name="programme_smallest_difference_is_small",
            ),
        ]

    def __str__(self) -> str:
        return self.question


class Setup(models.Model):
    """One part for each slot, known by its letter in the programme. Letter A is position 0."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="setups")
    position = models.PositiveSmallIntegerField()
    name = models.CharField(max_length=80)
    is_baseline = models.BooleanField(default=False)
    pulled = models.BooleanField(default=False, help_text="it has been armed, so what is expected of it is sealed")
    parts = models.ManyToManyField(Part, related_name="setups")

    class Meta:
        ordering = ["position"]
        constraints = [
            models.UniqueConstraint(fields=["programme", "position"], name="setup_letter_once_per_programme"),
            models.UniqueConstraint(
                fields=["programme"], condition=Q(is_baseline=True), name="setup_one_baseline_per_programme"
            ),
            models.CheckConstraint(condition=Q(position__lt=26), name="setup_has_a_letter"),
        ]

    def __str__(self) -> str:
        return f"{self.letter} {self.name}"

    @property
    def letter(self) -> str:
        return chr(ord("A") + self.position)


class Step(models.Model):
    """A stretch of the running order: this setup, so many counted pulls."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="steps")
    position = models.PositiveSmallIntegerField()
    setup = models.ForeignKey(Setup, on_delete=models.CASCADE, related_name="steps")
    pulls = models.PositiveSmallIntegerField()

    class Meta:
        ordering = ["position"]
        constraints = [
            models.UniqueConstraint(fields=["programme", "position"], name="step_position_once_per_programme"),
            models.CheckConstraint(condition=Q(pulls__gte=1), name="step_has_a_pull"),
        ]


class Measure(models.TextChoices):
    """What an expectation is about; all against the baseline."""

    AVERAGE_TORQUE = "average_torque", "Average torque over the range"
    AVERAGE_POWER = "average_power", "Average power over the range"
    PEAK_TORQUE = "peak_torque", "Peak torque"
    PEAK_POWER = "peak_power", "Peak power"


class Expectation(models.Model):
    """What somebody expects of a setup before it is pulled: a share of the baseline's figure, and a sentence."""

    setup = models.ForeignKey(Setup, on_delete=models.CASCADE, related_name="expectations")
    measure = models.CharField(max_length=16, choices=Measure.choices)
    low = models.FloatField(help_text="share of the baseline's figure gained; below zero is lost")
    high = models.FloatField()
    sentence = models.CharField(max_length=300, blank=True)
    written_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    written_at = models.DateTimeField()
    sealed_at = models.DateTimeField(null=True, blank=True, help_text="when the setup was first armed")

    class Meta:
        ordering = ["setup__position", "pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["setup", "measure", "written_by"], name="expectation_once_per_person_and_measure"
            ),
            models.CheckConstraint(condition=Q(low__lte=F("high")), name="expectation_rises"),
            models.CheckConstraint(condition=Q(low__gte=-1, high__lte=5), name="expectation_is_a_share"),
        ]


class Window(models.Model):
    """Where a channel must lie before a pull may start. SI."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="windows")
    channel = models.CharField(max_length=40)
    low = models.FloatField()
    high = models.FloatField()

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(fields=["programme", "channel"], name="window_channel_once_per_programme"),
            models.CheckConstraint(condition=Q(low__lt=F("high")), name="window_rises"),
        ]
