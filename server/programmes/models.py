"""The question, its setups and what is held constant, and the day in which they are to be pulled."""

from __future__ import annotations

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.db.models import F, Q
from torvix_core.air.standards import BoostSchool, Standard
from typing_extensions import TypedDict

from engines.models import Build, Engine, Part
from shop.checked_json import CheckedJSONField, Finite, JsonObject
from shop.models import Person, Role, SimulatedEngine

# ISO 1585 for diesels needs the fuel delivery of the engine, which a build does not hold yet.
STANDARDS = [standard for standard in Standard if standard is not Standard.ISO_1585_CI]


MOST_SETUPS = 52  # A to Z, AA to AZ


class DutyKept(TypedDict, total=False):
    """What the engine is for: a preset, and [rpm, weight] points where it is drawn."""

    preset: str
    points: list[list[Finite]]


class ProgrammeKind(models.TextChoices):
    COMPARISON = "comparison", "Comparison"
    STEPWISE = "stepwise", "Stepwise build"


class MixturePolicy(models.TextChoices):
    MATCHED = "matched", "Every setup brought to the same mixture"
    DELIVERED = "delivered", "Every setup as delivered"
    FACTOR = "factor", "The mixture is part of the question"


class TuneRule(models.TextChoices):
    """Which tune stands for a setup that was pulled with several; values as the core's."""

    LAST_MATCHED = "last_matched", "The last one at the mixture target"
    BEST = "best", "The one that made most"
    DELIVERED = "delivered", "As planned"
    CHOSEN = "chosen", "The one chosen in the log"


class BoostPolicy(models.TextChoices):
    NONE = "", "Not boosted"
    EQUAL_BOOST = "equal_boost", "Equal boost, adjusted after each pull"
    EQUAL_DRIVE = "equal_drive", "Equal drive, boost is what comes"


class ProgrammeQuerySet(models.QuerySet["Programme"]):
    def visible_to(self, person: Person) -> ProgrammeQuerySet:
        """Programmes of engines that the person may see; for a customer those that were given to them."""
        if person.role == Role.CUSTOMER:
            return self.filter(given_to=person)
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
    kind = models.CharField(max_length=10, choices=ProgrammeKind.choices, default=ProgrammeKind.COMPARISON)
    answers_change = models.TextField(blank=True, help_text="what each answer would change")
    boost_school = models.CharField(max_length=16, default=BoostSchool.UNBLOWN)
    mixture_policy = models.CharField(max_length=10, choices=MixturePolicy.choices, default=MixturePolicy.MATCHED)
    tune_rule = models.CharField(max_length=14, choices=TuneRule.choices, default=TuneRule.LAST_MATCHED)
    boost_policy = models.CharField(max_length=12, choices=BoostPolicy.choices, blank=True)
    stand_in = models.CharField(max_length=300, blank=True, help_text="what this engine stands in for, and its limits")
    extension_rpm = models.FloatField(default=0.0, help_text="by how much a sweep is extended that still climbs")
    duty = CheckedJSONField(
        shape=DutyKept, default=dict, help_text="preset, and points [rpm, weight] where it is drawn"
    )
    height_limit = models.FloatField(null=True, blank=True, help_text="m above the manifold face")
    must_look_stock = models.BooleanField(default=False)
    cost_ceiling = models.DecimalField(max_digits=10, decimal_places=2, null=True, blank=True)
    fixed_slots = ArrayField(
        models.CharField(max_length=30), default=list, blank=True, help_text="whose parts the customer keeps"
    )
    created_at = models.DateTimeField()
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    from_file_at = models.DateTimeField(
        null=True, blank=True, help_text="read in from a file: all of it is by that file"
    )
    archived_at = models.DateTimeField(null=True, blank=True, help_text="since when it is out of the lists")
    given_to = models.ManyToManyField(
        settings.AUTH_USER_MODEL, related_name="given", blank=True, help_text="customers who may read it"
    )

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
            models.CheckConstraint(
                condition=Q(boost_school__in=[str(school) for school in BoostSchool]),
                name="programme_boost_school_is_known",
            ),
            models.CheckConstraint(condition=Q(kind__in=ProgrammeKind.values), name="programme_kind_is_known"),
            models.CheckConstraint(condition=Q(extension_rpm__gte=0), name="programme_extension_is_not_negative"),
        ]

    def __str__(self) -> str:
        return self.question


class Place(models.TextChoices):
    """Where a setup must stand in the running order."""

    FREE = "", "Anywhere"
    FIRST = "first", "First after the baseline"
    LAST = "last", "Last of the day"


class Candidate(models.TextChoices):
    """Whether a setup is in the plan; those that are not stay listed with the reason."""

    IN = "in", "In the plan"
    LATE = "late", "Arrives too late"
    INELIGIBLE = "ineligible", "Not eligible"
    SKIPPED = "skipped", "Skipped"


class Setup(models.Model):
    """One part for each slot and one value for each setting, known by its letter in the programme. A is position 0."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="setups")
    position = models.PositiveSmallIntegerField()
    name = models.CharField(max_length=80)
    is_baseline = models.BooleanField(default=False)
    pulled = models.BooleanField(default=False, help_text="it has been armed, so it and what is expected are sealed")
    parts = models.ManyToManyField(Part, related_name="setups")
    based_on = models.ForeignKey("self", on_delete=models.SET_NULL, null=True, blank=True, related_name="steps_from")
    planned_pulls = models.PositiveSmallIntegerField(default=3, help_text="that count, a visit")
    visits = models.PositiveSmallIntegerField(default=1)
    place = models.CharField(max_length=5, choices=Place.choices, blank=True)
    available_at = models.DateTimeField(null=True, blank=True, help_text="when its last part arrives")
    candidate = models.CharField(max_length=10, choices=Candidate.choices, default=Candidate.IN)
    candidate_reason = models.CharField(max_length=200, blank=True)
    protected = models.BooleanField(default=False, help_text="the question is about it: dropped last, and said")

    class Meta:
        ordering = ["position"]
        constraints = [
            models.UniqueConstraint(fields=["programme", "position"], name="setup_letter_once_per_programme"),
            models.UniqueConstraint(
                fields=["programme"], condition=Q(is_baseline=True), name="setup_one_baseline_per_programme"
            ),
            models.CheckConstraint(condition=Q(position__lt=MOST_SETUPS), name="setup_has_a_letter"),
            models.CheckConstraint(condition=Q(planned_pulls__gte=1, visits__gte=1), name="setup_is_pulled_at_all"),
            models.CheckConstraint(
                condition=Q(candidate=Candidate.IN) | ~Q(candidate_reason=""), name="setup_left_out_says_why"
            ),
            models.CheckConstraint(
                condition=Q(is_baseline=False) | Q(candidate=Candidate.IN, place=""), name="setup_baseline_is_in"
            ),
            models.CheckConstraint(
                condition=Q(based_on__isnull=True) | ~Q(based_on=F("id")), name="setup_is_not_its_own_base"
            ),
        ]

    def __str__(self) -> str:
        return f"{self.letter} {self.name}"

    @property
    def letter(self) -> str:
        return letter_of(self.position)


def letter_of(position: int) -> str:
    """A, B… Z, AA, AB…"""
    return ("A" if position >= 26 else "") + chr(ord("A") + position % 26)


class SetupSetting(models.Model):
    """A value that is no part: spark, jets, a boost target, or a slot of somebody's own. As it was typed."""

    setup = models.ForeignKey(Setup, on_delete=models.CASCADE, related_name="settings")
    key = models.CharField(max_length=60)
    text = models.CharField(max_length=80)
    value = models.FloatField(null=True, blank=True, help_text="SI, where it is a quantity")

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(fields=["setup", "key"], name="setting_once_per_setup"),
            models.CheckConstraint(condition=~Q(text=""), name="setting_says_something"),
        ]


class Adjustment(models.Model):
    """A setting that was changed at the stand between two pulls. What was planned, and pulled before, stays."""

    setup = models.ForeignKey(Setup, on_delete=models.CASCADE, related_name="adjustments")
    key = models.CharField(max_length=60)
    text = models.CharField(max_length=80)
    value = models.FloatField(null=True, blank=True, help_text="SI, where it is a quantity")
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")

    class Meta:
        ordering = ["at", "pk"]
        constraints = [models.CheckConstraint(condition=~Q(text=""), name="adjustment_says_something")]


class SlotWork(models.Model):
    """A row of the matrix: what changing it takes, and which rows lie above it and come off first."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="works")
    key = models.CharField(max_length=60)
    label = models.CharField(max_length=60)
    remove_min = models.FloatField()
    install_min = models.FloatField()
    under = ArrayField(models.CharField(max_length=60), default=list)

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(fields=["programme", "key"], name="work_once_per_row"),
            models.CheckConstraint(condition=Q(remove_min__gte=0, install_min__gte=0), name="work_takes_time"),
        ]


class TimedChange(models.Model):
    """A change of parts by the stopwatch: the rows worked at, what is usual for them, what it took."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="timed_changes")
    keys = ArrayField(models.CharField(max_length=60))
    usual_min = models.FloatField()
    took_min = models.FloatField()
    at = models.DateTimeField()

    class Meta:
        ordering = ["at", "pk"]
        constraints = [
            models.CheckConstraint(condition=Q(usual_min__gt=0, took_min__gt=0), name="timed_change_took_time")
        ]


class TuneSize(models.Model):
    """What a stamped number of one kind of tune item is in size, as the shop's own table has it."""

    kind = models.CharField(max_length=20)
    number = models.FloatField()
    area = models.FloatField(help_text="m²")

    class Meta:
        ordering = ["kind", "number"]
        constraints = [
            models.UniqueConstraint(fields=["kind", "number"], name="tune_size_once_per_number"),
            models.CheckConstraint(condition=Q(area__gt=0, number__gt=0), name="tune_size_is_a_size"),
        ]


class FuelBy(models.TextChoices):
    """What sets the mixture of a setup, and so what tuning it means."""

    CARBURETOR = "carburetor", "Carburetor"
    PROGRAM = "program", "Program"


class TimedTuning(models.Model):
    """How long a setup was tuned at one visit: from its first pull to the first with the tune it was left with."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="timed_tunings")
    fuel_by = models.CharField(max_length=10, choices=FuelBy.choices)
    took_min = models.FloatField()
    at = models.DateTimeField(help_text="of the first pull")

    class Meta:
        ordering = ["at", "pk"]
        constraints = [
            models.UniqueConstraint(fields=["programme", "at"], name="timed_tuning_once_a_visit"),
            models.CheckConstraint(condition=Q(took_min__gt=0), name="timed_tuning_took_time"),
        ]


class DayRules(models.Model):
    """What a day on the stand takes and may cost. Volumes in m³; null where it is estimated or there is no limit."""

    programme = models.OneToOneField(Programme, on_delete=models.CASCADE, related_name="day_rules")
    warm_up_min = models.FloatField(default=20.0)
    pull_min = models.FloatField(default=2.0)
    cool_down_min = models.FloatField(default=2.0)
    conditioning_pulls = models.PositiveSmallIntegerField(default=1, help_text="after each change; they do not count")
    return_every = models.PositiveSmallIntegerField(default=3, help_text="setups between two visits to the baseline")
    return_pulls = models.PositiveSmallIntegerField(default=2)
    tuning_min = models.FloatField(default=0.0, help_text="of each setup at its first visit")
    check_pass_first = models.BooleanField(default=False, help_text="after every change of parts or tune")
    fuel_available = models.FloatField(null=True, blank=True)
    fuel_pull = models.FloatField(null=True, blank=True)
    fuel_warm_up = models.FloatField(null=True, blank=True)
    hour_price = models.DecimalField(max_digits=10, decimal_places=2, null=True, blank=True)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(warm_up_min__gte=0, pull_min__gt=0, cool_down_min__gte=0, return_every__gte=1,
                            return_pulls__gte=1, tuning_min__gte=0),
                name="day_rules_are_times",
            ),
        ]  # fmt: skip


class PlannedSession(models.Model):
    """A stretch of time on the stand that is paid for; null means that nobody counts the hours."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="planned_sessions")
    position = models.PositiveSmallIntegerField()
    starts_at = models.DateTimeField()
    paid_min = models.FloatField(null=True, blank=True)

    class Meta:
        ordering = ["position"]
        constraints = [
            models.UniqueConstraint(fields=["programme", "position"], name="planned_session_once"),
            models.CheckConstraint(condition=Q(paid_min__isnull=True) | Q(paid_min__gt=0), name="planned_time_is_time"),
        ]


class PlanVersion(models.Model):
    """A plan as it was in force. One that a pull was armed under is closed: the next change makes another."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveSmallIntegerField()
    made_at = models.DateTimeField()
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    document = CheckedJSONField(shape=JsonObject, help_text="the whole plan in plain words and numbers")
    used_at = models.DateTimeField(null=True, blank=True, help_text="when a pull was first armed under it")

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["programme", "number"], name="plan_version_once")]


class Step(models.Model):
    """A visit of the running order: this setup, so many counted pulls, in which of the planned sessions."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="steps")
    position = models.PositiveSmallIntegerField()
    setup = models.ForeignKey(Setup, on_delete=models.CASCADE, related_name="steps")
    pulls = models.PositiveSmallIntegerField()
    session = models.PositiveSmallIntegerField(default=0)

    class Meta:
        ordering = ["position"]
        constraints = [
            models.UniqueConstraint(fields=["programme", "position"], name="step_position_once_per_programme"),
            models.CheckConstraint(condition=Q(pulls__gte=1), name="step_has_a_pull"),
        ]


class ExpectedMeasure(models.TextChoices):
    """What an expectation is about; all against the baseline."""

    AVERAGE_TORQUE = "average_torque", "Average torque"
    AVERAGE_POWER = "average_power", "Average power"
    PEAK_TORQUE = "peak_torque", "Peak torque"
    PEAK_POWER = "peak_power", "Peak power"


class Expectation(models.Model):
    """What somebody expects of a setup before it is pulled: a share of the baseline's figure, and a sentence.

    One end may be open: less than the baseline, at least 2 % more. An average may name the speeds that it is of; an end
    that is open there is that of the programme's range.
    """

    setup = models.ForeignKey(Setup, on_delete=models.CASCADE, related_name="expectations")
    measure = models.CharField(max_length=16, choices=ExpectedMeasure.choices)
    low = models.FloatField(null=True, blank=True, help_text="share of the baseline's figure gained; below 0 is lost")
    high = models.FloatField(null=True, blank=True)
    low_rpm = models.FloatField(null=True, blank=True)
    high_rpm = models.FloatField(null=True, blank=True)
    sentence = models.CharField(max_length=300, blank=True)
    written_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    written_at = models.DateTimeField()
    sealed_at = models.DateTimeField(null=True, blank=True, help_text="when the setup was first armed")

    class Meta:
        ordering = ["setup__position", "pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["setup", "measure", "low_rpm", "high_rpm", "written_by"],
                nulls_distinct=False,
                name="expectation_once_per_person_measure_and_region",
            ),
            models.CheckConstraint(condition=Q(low__lte=F("high")), name="expectation_rises"),
            models.CheckConstraint(
                condition=Q(low__isnull=False) | Q(high__isnull=False), name="expectation_has_an_end"
            ),
            models.CheckConstraint(condition=Q(low_rpm__lte=F("high_rpm")), name="expectation_region_rises"),
            models.CheckConstraint(condition=Q(low__gte=-1, high__lte=5), name="expectation_is_a_share"),
        ]


class Theory(models.Model):
    """An explanation that competes with others; what it predicts of the setups tells which test separates them."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="theories")
    name = models.CharField(max_length=160)
    written_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    written_at = models.DateTimeField()

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["programme", "name"], name="theory_once_per_programme")]


class Prediction(models.Model):
    """What a theory predicts of a setup, or of a part at hand in the baseline, as a share of the baseline's figure.

    The figure is any measure, over all speeds of the programme or those that are named; one end may be open.
    """

    theory = models.ForeignKey(Theory, on_delete=models.CASCADE, related_name="predictions")
    setup = models.ForeignKey(Setup, on_delete=models.CASCADE, related_name="+", null=True, blank=True)
    part = models.ForeignKey(Part, on_delete=models.PROTECT, related_name="+", null=True, blank=True)
    measure = models.CharField(max_length=40, default=ExpectedMeasure.AVERAGE_TORQUE)
    low_rpm = models.FloatField(null=True, blank=True)
    high_rpm = models.FloatField(null=True, blank=True)
    low = models.FloatField(null=True, blank=True)
    high = models.FloatField(null=True, blank=True)

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["theory", "setup", "part", "measure", "low_rpm", "high_rpm"], nulls_distinct=False,
                name="prediction_once_per_case",
            ),
            models.CheckConstraint(condition=Q(low__lte=F("high")), name="prediction_rises"),
            models.CheckConstraint(
                condition=Q(low__isnull=False) | Q(high__isnull=False), name="prediction_has_an_end"
            ),
            models.CheckConstraint(
                condition=Q(setup__isnull=False, part__isnull=True) | Q(setup__isnull=True, part__isnull=False),
                name="prediction_of_a_setup_or_a_part",
            ),
            models.CheckConstraint(condition=Q(low_rpm__lte=F("high_rpm")), name="prediction_region_rises"),
        ]  # fmt: skip


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


class PracticeTrait(models.TextChoices):
    """What makes a practice test hard. What it hides is drawn by the simulated stand from the seed."""

    DRIFT = "drift", "The engine drifts from pull to pull"
    CURVED_DRIFT = "curved_drift", "It loses much while it warms through, then little"
    COLD_STARTS = "cold_starts", "It cools down with every change of parts"
    WASH = "wash", "Two of the parts are worth the same"
    CONFOUNDED = "confounded", "Two parts are changed at once"
    BOOST_MISS = "boost_miss", "The boost is missed with one of the parts (turbocharged four)"


class PracticeTest(models.Model):
    """A test on the simulated stand whose truth is hidden until it is decided; `outcome` is what it then came to."""

    programme = models.OneToOneField(Programme, on_delete=models.CASCADE, related_name="practice")
    engine = models.CharField(max_length=5, choices=SimulatedEngine.choices, help_text="that stands on the stand")
    seed = models.CharField(max_length=32, help_text="for the simulated stand alone")
    traits = ArrayField(models.CharField(max_length=12, choices=PracticeTrait.choices), default=list)
    is_surprise = models.BooleanField(default=False, help_text="the traits were drawn, and are hidden too")
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField()
    revealed_at = models.DateTimeField(null=True, blank=True)
    revealed_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+", null=True, blank=True
    )
    outcome = CheckedJSONField(shape=JsonObject, default=dict, blank=True)

    class Meta:
        ordering = ["-made_at", "-pk"]
        constraints = [
            models.CheckConstraint(
                condition=Q(revealed_at__isnull=True, revealed_by__isnull=True)
                | Q(revealed_at__isnull=False, revealed_by__isnull=False),
                name="practice_is_revealed_by_somebody",
            )
        ]
