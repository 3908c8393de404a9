"""What the shop holds to be so over all its tests, and why it may be: the evidence is gathered by query."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.conf import settings
from django.db import models
from django.db.models import F, Q
from torvix_core.engine.dimensions import Slot
from torvix_core.guidelines.standing import Claimed

from programmes.models import Programme

if TYPE_CHECKING:
    from django.db.models.fields.related_descriptors import RelatedManager


class GuidelineMeasure(models.TextChoices):
    TORQUE = "torque", "Average torque"
    PEAK_SPEED = "peak_speed", "Speed of the torque peak"


class Guideline(models.Model):
    """That more of a variable of a kind of part does something: by how much, the tests say whenever it is read."""

    statement = models.CharField(max_length=300)
    slot = models.CharField(max_length=30, choices=[(slot.value, slot.label) for slot in Slot])
    variable = models.CharField(max_length=40, help_text="dimension of the part that decides")
    step = models.FloatField(help_text="SI; the change of the variable that effects are given for")
    step_text = models.CharField(max_length=40, help_text="as it was typed")
    measure = models.CharField(max_length=10, choices=GuidelineMeasure.choices)
    claimed = models.CharField(max_length=7, choices=[(one.value, one.value) for one in Claimed])
    smallest = models.FloatField(help_text="effect of a step that matters: share, or rpm of a peak's speed")
    low_rpm = models.FloatField(null=True, blank=True, help_text="null: as far as each test was judged")
    high_rpm = models.FloatField(null=True, blank=True)
    engine_words = models.CharField(max_length=80, blank=True, help_text="in the names of the engines it is of")
    written_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    written_at = models.DateTimeField()
    archived_at = models.DateTimeField(null=True, blank=True, help_text="since when it is out of the lists")

    if TYPE_CHECKING:
        explanations: RelatedManager[Explanation]

    class Meta:
        ordering = ["slot", "variable", "pk"]
        constraints = [
            models.CheckConstraint(condition=~Q(statement=""), name="guideline_says_something"),
            models.CheckConstraint(condition=Q(step__gt=0, smallest__gt=0), name="guideline_step_is_above_zero"),
            models.CheckConstraint(
                condition=Q(low_rpm__isnull=True, high_rpm__isnull=True) | Q(low_rpm__gt=0, high_rpm__gt=F("low_rpm")),
                name="guideline_range_rises",
            ),
        ]

    def __str__(self) -> str:
        return self.statement


class Grade(models.TextChoices):
    """On what an explanation rests."""

    MEASURED = "measured", "Measured"
    INFERRED = "inferred", "Inferred"
    OPINION = "opinion", "Opinion"


class Explanation(models.Model):
    """Why a guideline may hold. Others may stand beside it; what would separate them is said with it."""

    guideline = models.ForeignKey(Guideline, on_delete=models.CASCADE, related_name="explanations")
    text = models.CharField(max_length=500)
    grade = models.CharField(max_length=8, choices=Grade.choices)
    programme = models.ForeignKey(
        Programme, on_delete=models.SET_NULL, null=True, blank=True, related_name="+", help_text="that measured it"
    )
    separated_by = models.CharField(
        max_length=300, blank=True, help_text="the test that would separate it from the others"
    )
    written_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    written_at = models.DateTimeField()
    withdrawn_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["pk"]
        constraints = [models.CheckConstraint(condition=~Q(text=""), name="explanation_says_something")]
