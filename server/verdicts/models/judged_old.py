"""What a verdict rests on beside its pulls, who decided what, and the sheets that were handed out."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.contrib.postgres.indexes import GinIndex
from django.contrib.postgres.search import SearchVector
from django.db import models
from django.db.models import Q

from curves.reduction.nature import Nature
from engines.models import Build, Part
from programmes.models import Programme, Setup
from shop.checked_json import CheckedJSONField, JsonObject

if TYPE_CHECKING:
    from django.db.models.fields.related_descriptors import RelatedManager

ESTIMATED = (Nature.INFERRED.value, Nature.TRANSFERRED.value)


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


class ProgrammeChange(models.Model):
    """That something a comparison of the test rests on was written; left by triggers of the database, for every writer.

    A row for each transaction. `comparison/revisions.py` makes a revision of them.
    """

    programme = models.BigIntegerField(help_text="no foreign key: a mark never waits for its test")
    transaction = models.BigIntegerField(help_text="below zero: it wrote another test of the engine, and not this one")
    at = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["programme", "transaction"], name="programme_change_once")]


class StoredResult(models.Model):
    """What a test came to by its own standard, plain averages over its range. Only ever a copy: `results/` makes it
    anew for another revision of the test.

    What its pulls alone say of scatter and drift, and `figures` that somebody predicted, by what is measured.
    """

    programme = models.OneToOneField(Programme, on_delete=models.CASCADE, related_name="stored_result")
    revision = models.CharField(max_length=80, help_text="of the test, and of how results are made")
    made_at = models.DateTimeField()
    why_not = models.CharField(max_length=500, blank=True, help_text="why there is no comparison")
    low_rpm = models.FloatField(null=True)
    high_rpm = models.FloatField(null=True)
    simulated = models.BooleanField(default=False, help_text="some of its pulls were run by no engine")
    own_scatter = models.FloatField(null=True, help_text="of one pull, share; null: nothing was repeated")
    own_degrees = models.PositiveIntegerField(default=0)
    slopes = ArrayField(models.FloatField(), default=list, help_text="drift of one pull by session, share")
    slope_errors = ArrayField(models.FloatField(), default=list)
    speed_rpm = ArrayField(models.FloatField(), default=list)
    figures = CheckedJSONField(shape=JsonObject, default=dict)

    if TYPE_CHECKING:
        setups: RelatedManager[SetupResult]
        gains: RelatedManager[PairGain]


class SetupResult(models.Model):
    """A setup's average torque over the range in N·m, of how many pulls, and its curve by the speeds of the result."""

    result = models.ForeignKey(StoredResult, on_delete=models.CASCADE, related_name="setups")
    setup = models.OneToOneField(Setup, on_delete=models.CASCADE, related_name="+")
    pulls = models.PositiveIntegerField()
    torque = models.FloatField()
    nature = models.CharField(max_length=11)
    made_of = models.CharField(max_length=80, blank=True)
    curve = ArrayField(models.FloatField(), help_text="N·m")
    peak_rpm = models.FloatField(null=True, help_text="where torque peaks; null: not inside the range")

    class Meta:
        ordering = ["pk"]


class PairGain(models.Model):
    """What a setup gains over one that stands before it in the test: shares of torque, with 95 % intervals, on average
    over the range and by speed, each speed for itself; and how far its torque peak lies higher.

    Only where a session links the two.
    """

    result = models.ForeignKey(StoredResult, on_delete=models.CASCADE, related_name="gains")
    setup = models.ForeignKey(Setup, on_delete=models.CASCADE, related_name="+")
    against = models.ForeignKey(Setup, on_delete=models.CASCADE, related_name="+")
    change = models.FloatField()
    low = models.FloatField()
    high = models.FloatField()
    across_days = models.BooleanField(help_text="they share no session: others link them")
    nature = models.CharField(max_length=11)
    change_by_speed = ArrayField(models.FloatField(), default=list)
    half_width_by_speed = ArrayField(models.FloatField(), default=list, help_text="of the logarithm")
    peak_shift_rpm = models.FloatField(null=True)
    peak_shift_half_width_rpm = models.FloatField(null=True, help_text="null: no pull of the two was repeated")

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["setup", "against"], name="pair_gain_once")]
