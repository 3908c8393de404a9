"""What each test came to, stored for the state that it was in, and the marks by which that state is known."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.contrib.postgres.fields import ArrayField
from django.db import models
from typing_extensions import TypedDict

from programmes.models import Programme, Setup
from shop.checked_json import CheckedJSONField, JsonObject

if TYPE_CHECKING:
    from django.db.models.fields.related_descriptors import RelatedManager


class UndecidedPair(TypedDict):
    """The best setup of a verdict and the next, and by how much the first is above, as shares; `pulls` more of each, in
    the order of visits, would decide; empty where no day has enough."""

    setups: list[int]
    change: list[float]
    pulls: list[list[int]]


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
    ran_at = models.DateTimeField(null=True, help_text="first of its accepted pulls")
    low_rpm = models.FloatField(null=True)
    high_rpm = models.FloatField(null=True)
    simulated = models.BooleanField(default=False, help_text="some of its pulls were run by no engine")
    own_scatter = models.FloatField(null=True, help_text="of one pull, share; null: nothing was repeated")
    own_degrees = models.PositiveIntegerField(default=0)
    slopes = ArrayField(models.FloatField(), default=list, help_text="drift of one pull by session, share")
    slope_errors = ArrayField(models.FloatField(), default=list)
    speed_rpm = ArrayField(models.FloatField(), default=list)
    fingerprint = ArrayField(models.BigIntegerField(), default=list, help_text="of the bins of its pulls")
    undecided = CheckedJSONField(
        shape=UndecidedPair | None, null=True, help_text="between which two the test's own duty is open"
    )
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
