"""Gains that nobody measured, kept to be held against a later test."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.db.models import Q

from curves.reduction.nature import Nature
from engines.models import Build, Part
from programmes.models import Programme, Setup
from shop.checked_json import CheckedJSONField, JsonObject

if TYPE_CHECKING:
    from django.db.models.fields.related_descriptors import RelatedManager

ESTIMATED = (Nature.INFERRED.value, Nature.TRANSFERRED.value)


class Estimate(models.Model):
    """A gain that nobody measured, kept as it stood with what it was made from, to be held against a later test."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="estimates")
    nature = models.CharField(max_length=11, choices=[(one, one) for one in ESTIMATED])
    part = models.ForeignKey(
        Part, on_delete=models.PROTECT, null=True, blank=True, related_name="+", help_text="inferred: what lies between"
    )
    setup = models.ForeignKey(
        Setup, on_delete=models.PROTECT, null=True, blank=True, related_name="+", help_text="transferred: whose gain"
    )
    build = models.ForeignKey(
        Build, on_delete=models.SET_NULL, null=True, blank=True, related_name="+", help_text="the engine it went to"
    )
    standard = models.CharField(max_length=30)
    sentence = models.CharField(max_length=500)
    made_from = CheckedJSONField(shape=JsonObject, help_text="what was asked, and what it rested on, in words")
    speed_rpm = ArrayField(models.FloatField())
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    if TYPE_CHECKING:
        curves: RelatedManager[EstimatedGain]

    class Meta:
        ordering = ["-at", "-pk"]
        constraints = [
            models.CheckConstraint(
                condition=Q(nature=Nature.INFERRED.value, part__isnull=False, setup__isnull=True)
                | Q(nature=Nature.TRANSFERRED.value, part__isnull=True, setup__isnull=False),
                name="estimate_is_of_a_part_or_a_setup",
            )
        ]


class EstimatedGain(models.Model):
    """What it would gain over one setup that was run: shares of torque, by the speeds of the estimate."""

    estimate = models.ForeignKey(Estimate, on_delete=models.CASCADE, related_name="curves")
    against = models.ForeignKey(Setup, on_delete=models.PROTECT, related_name="+")
    change = ArrayField(models.FloatField())
    low = ArrayField(models.FloatField())
    high = ArrayField(models.FloatField())

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["estimate", "against"], name="estimated_gain_once")]
