"""Handover sheets as they were issued."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models import Q

from programmes.models import Programme, Setup
from shop.checked_json import CheckedJSONField, JsonObject


class HandoverSheet(models.Model):
    """What an engine left with: its words and numbers never change. A correction is another version."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="handovers")
    setup = models.ForeignKey(Setup, on_delete=models.PROTECT, related_name="+")
    number = models.PositiveSmallIntegerField()
    document = CheckedJSONField(shape=JsonObject, help_text="everything that is printed, in the units it was issued in")
    change = models.CharField(max_length=300, blank=True, help_text="against the version before")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["-number"]
        constraints = [
            models.UniqueConstraint(fields=["programme", "number"], name="handover_version_once"),
            models.CheckConstraint(condition=Q(number=1) | ~Q(change=""), name="handover_version_says_what_changed"),
        ]
