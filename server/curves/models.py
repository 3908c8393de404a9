"""Reduced curves: observed, on the 100 rpm grid, with the options and core version that made them."""

from __future__ import annotations

from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.db.models import Q

from stand.models import Pull


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
    torque_scatter = ArrayField(models.FloatField(), default=list, help_text="N·m")
    samples = ArrayField(models.IntegerField(), default=list)
    means = models.JSONField(default=dict, help_text="mean of every other channel in each bin, SI")
    cut = models.JSONField(default=dict)
    findings = models.JSONField(default=list)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(torque__len=models.F("speed_rpm__len")) | (Q(torque=[]) & Q(speed_rpm=[])),
                name="reduced_arrays_of_one_length",
            ),
        ]
