"""The engine on the stand, its builds, and the parts that compete on it. Dimensions in SI."""

from __future__ import annotations

from django.db import models
from django.db.models import Q


class Engine(models.Model):
    name = models.CharField(max_length=120, unique=True)

    def __str__(self) -> str:
        return self.name


class Build(models.Model):
    """One revision of an engine. A pull belongs to the build it was made with."""

    engine = models.ForeignKey(Engine, on_delete=models.PROTECT, related_name="builds")
    revision = models.PositiveIntegerField(default=1)
    bore = models.FloatField(help_text="m")
    stroke = models.FloatField(help_text="m")
    cylinders = models.PositiveSmallIntegerField()
    strokes_per_cycle = models.PositiveSmallIntegerField(default=4)
    redline_rpm = models.FloatField()
    notes = models.TextField(blank=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["engine", "revision"], name="build_revision_once_per_engine"),
            models.CheckConstraint(
                condition=Q(bore__gt=0, stroke__gt=0, cylinders__gt=0, redline_rpm__gt=0),
                name="build_dimensions_above_zero",
            ),
            models.CheckConstraint(condition=Q(strokes_per_cycle__in=(2, 4)), name="build_has_two_or_four_strokes"),
        ]

    def __str__(self) -> str:
        return f"{self.engine}, rev {self.revision}"


class Slot(models.TextChoices):
    """Where parts compete."""

    INTAKE_MANIFOLD = "intake_manifold", "Intake manifold"


class Part(models.Model):
    name = models.CharField(max_length=120, unique=True)
    slot = models.CharField(max_length=30, choices=Slot.choices)
    runner_length = models.FloatField(null=True, blank=True, help_text="m")
    notes = models.TextField(blank=True)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(runner_length__isnull=True) | Q(runner_length__gt=0), name="part_runner_length_above_zero"
            ),
        ]

    def __str__(self) -> str:
        return self.name
