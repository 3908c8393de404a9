"""What a verdict rests on beside its pulls, who decided what, and the sheets that were handed out."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.conf import settings
from django.contrib.postgres.indexes import GinIndex
from django.contrib.postgres.search import SearchVector
from django.db import models
from django.db.models import Q

from programmes.models import Programme, Setup
from shop.checked_json import CheckedJSONField, JsonObject

if TYPE_CHECKING:
    pass


class KnownScatter(models.Model):
    """What was known of the engine before the programme's first session. Kept, so that its verdict stays what it is."""

    programme = models.OneToOneField(Programme, on_delete=models.CASCADE, related_name="known_scatter")
    scatter = models.FloatField(help_text="standard deviation of one pull, share of its score")
    degrees_of_freedom = models.PositiveIntegerField()
    drift_mean = models.FloatField(null=True, blank=True, help_text="usual drift of a pull, share; null: not learned")
    drift_engine_sd = models.FloatField(null=True, blank=True, help_text="how well that is known, share")
    drift_day_sd = models.FloatField(null=True, blank=True, help_text="how far days stray from it, share")
    programmes = models.PositiveSmallIntegerField(help_text="in which it was seen")
    of_stand = models.BooleanField(default=False, help_text="of other engines on the stand, as this one had no history")
    made_at = models.DateTimeField()

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(scatter__gt=0, degrees_of_freedom__gte=1, programmes__gte=1), name="known_scatter_is_known"
            ),
            models.CheckConstraint(
                condition=Q(drift_mean__isnull=True, drift_engine_sd__isnull=True, drift_day_sd__isnull=True)
                | Q(drift_mean__isnull=False, drift_engine_sd__gt=0, drift_day_sd__gt=0),
                name="known_drift_is_whole",
            ),
        ]


class Decision(models.Model):
    """What was decided and why. Nothing is taken back: a later decision stands beside the earlier one."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="decisions")
    setup = models.ForeignKey(
        Setup, on_delete=models.PROTECT, null=True, blank=True, related_name="+", help_text="null: nothing is chosen"
    )
    reason = models.CharField(max_length=1000)
    evidence = CheckedJSONField(shape=list[str], default=list, help_text="the verdict's sentences as they stood")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["-at", "-pk"]
        indexes = [GinIndex(SearchVector("reason", config="english"), name="decision_reason_stems")]
        constraints = [models.CheckConstraint(condition=~Q(reason=""), name="decision_says_why")]


class Sheet(models.Model):
    """A sheet as it was issued: its words and numbers never change. A correction is another version."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="sheets")
    number = models.PositiveSmallIntegerField()
    document = CheckedJSONField(shape=JsonObject, help_text="everything that is printed, in the units it was issued in")
    change = models.CharField(max_length=300, blank=True, help_text="against the version before")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["-number"]
        constraints = [
            models.UniqueConstraint(fields=["programme", "number"], name="sheet_version_once"),
            models.CheckConstraint(condition=Q(number=1) | ~Q(change=""), name="sheet_version_says_what_changed"),
        ]


class SheetLink(models.Model):
    """A way in for somebody without an account, to one sheet, for a while."""

    sheet = models.ForeignKey(Sheet, on_delete=models.CASCADE, related_name="links")
    recipient = models.CharField(max_length=120, blank=True, help_text="whom it was given to")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField()
    expires_at = models.DateTimeField()
    revoked_at = models.DateTimeField(null=True, blank=True)
    opened = models.PositiveIntegerField(default=0)
    last_opened_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-made_at", "-pk"]
        constraints = [models.CheckConstraint(condition=Q(expires_at__gt=models.F("made_at")), name="sheet_link_lasts")]
