"""Pulls, whether they count, and their raw samples."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.db.models import Q

from engines.models import Build
from programmes.models import Setup, Step
from shop.checked_json import CheckedJSONField, Finite
from stand.models.session import Session

if TYPE_CHECKING:
    from django.db.models.fields.related_descriptors import RelatedManager


@dataclass(frozen=True)
class PullAir:
    """The air a pull is corrected for: Pa, K, 0 to 1; `from_log` where the pull had none of its own."""

    barometer: float
    temperature: float
    relative_humidity: float
    from_log: bool = False


class PullState(models.TextChoices):
    ARMED = "armed", "Armed"
    RUNNING = "running", "Running"
    COMPLETE = "complete", "Complete"
    ABORTED = "aborted", "Aborted"
    INCOMPLETE = "incomplete", "Incomplete"


class Purpose(models.TextChoices):
    """What a pull is made for. Only a counted pull is compared unless somebody lets another in."""

    CHECK = "check", "Check pass"
    SWEEP = "sweep", "Counted pull"
    WARM_UP = "warm_up", "Warm-up pull"
    SHAKE_DOWN = "shake_down", "Shake-down"
    BREAK_IN = "break_in", "Break-in"
    STEPS = "steps", "Step test"


class PullOrigin(models.TextChoices):
    """Where the samples or figures of a pull come from."""

    STAND = "stand", "Recorded here"
    SIMULATED = "simulated", "Simulated stand"
    FILE = "file", "Samples from a file"
    TABLE = "table", "Reduced table from a file"
    TYPED = "typed", "Figures typed in"


class Standing(models.TextChoices):
    UNDECIDED = "undecided", "Not judged"
    ACCEPTED = "accepted", "Accepted"
    EXCLUDED = "excluded", "Excluded"


ENDED = (PullState.COMPLETE, PullState.ABORTED, PullState.INCOMPLETE)


class InertiaInTorque(models.TextChoices):
    INCLUDED = "included", "In the torque already"
    NOT_INCLUDED = "not_included", "Not in the torque"
    UNKNOWN = "unknown", "Not known"


SAID_OF_A_PULL = ("excluded_reason", "override_reason", "ended_why", "source")  # that a search looks into
SAYS_SOMETHING = ~Q(**dict.fromkeys(SAID_OF_A_PULL, ""))


class Pull(models.Model):
    """One sweep. Its raw samples are never changed; whether it counts is a judgement beside them."""

    session = models.ForeignKey(Session, on_delete=models.PROTECT, related_name="pulls")
    number = models.PositiveIntegerField()
    setup = models.ForeignKey(Setup, on_delete=models.PROTECT, related_name="pulls")
    build = models.ForeignKey(Build, on_delete=models.PROTECT, related_name="pulls", help_text="what it was made with")
    step = models.ForeignKey(Step, on_delete=models.SET_NULL, null=True, blank=True, related_name="pulls_made")
    plan_version = models.PositiveSmallIntegerField(default=0, help_text="of the plan it was made under; 0: none kept")
    purpose = models.CharField(max_length=10, choices=Purpose.choices, default=Purpose.SWEEP)
    origin = models.CharField(max_length=9, choices=PullOrigin.choices, default=PullOrigin.STAND)
    source = models.CharField(max_length=200, blank=True, help_text="file, sheet or screen it was taken from")
    figures_standard = models.CharField(
        max_length=20, blank=True, help_text="what printed figures are corrected to; observed, or unknown"
    )
    torque_step = models.FloatField(default=0.0, help_text="N·m, the smallest step of printed figures; 0: samples")
    state = models.CharField(max_length=12, choices=PullState.choices, default=PullState.ARMED)
    ended_why = models.CharField(max_length=300, blank=True)
    armed_at = models.DateTimeField()
    started_at = models.DateTimeField(null=True, blank=True)
    ended_at = models.DateTimeField(null=True, blank=True)
    operator = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    first_after_change = models.BooleanField(default=False)
    active_limits = CheckedJSONField(
        shape=list[list[str | Finite]], default=list, help_text="[key, value in SI] of each limit that was watched"
    )
    tripped = models.CharField(max_length=20, blank=True, help_text="key of the limit that stopped it")
    override_reason = models.CharField(max_length=300, blank=True, help_text="why it was started outside a window")

    sweep_start_rpm = models.FloatField()
    sweep_end_rpm = models.FloatField()
    sweep_rate_rpm_s = models.FloatField()
    held_speeds = ArrayField(
        ArrayField(models.FloatField(), size=2), default=list, help_text="rpm and s of each speed of a step test"
    )
    start_values = CheckedJSONField(
        shape=dict[str, Finite], default=dict, help_text="values of the channels when the sweep began, SI"
    )
    rate_hz = models.FloatField(null=True, blank=True, help_text="samples a second, as the stand says")
    inertia_in_torque = models.CharField(
        max_length=12, choices=InertiaInTorque.choices, default=InertiaInTorque.UNKNOWN, help_text="as the stand says"
    )
    inertia = models.FloatField(default=0.0, help_text="kg·m², as the stand says; 0 where it does not")
    samples_lost = models.PositiveIntegerField(default=0)
    barometer = models.FloatField(null=True, blank=True, help_text="Pa, mean over the pull")
    air_temperature = models.FloatField(null=True, blank=True, help_text="K")
    relative_humidity = models.FloatField(null=True, blank=True, help_text="0 to 1")

    standing = models.CharField(max_length=10, choices=Standing.choices, default=Standing.UNDECIDED)
    judged_at = models.DateTimeField(null=True, blank=True)
    judged_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, blank=True, related_name="+"
    )
    excluded_reason = models.CharField(max_length=300, blank=True)

    # The air it is corrected for, once stand.weather.give_air has looked for it.
    air: PullAir | None = None

    if TYPE_CHECKING:
        chunks: RelatedManager[Chunk]
        channels: RelatedManager[Channel]
        settings: RelatedManager[PullSetting]

    class Meta:
        ordering = ["session__opened_at", "number"]
        indexes = [models.Index(fields=["session"], name="pull_says_something", condition=SAYS_SOMETHING)]
        constraints = [
            models.UniqueConstraint(fields=["session", "number"], name="pull_number_once_per_session"),
            models.UniqueConstraint(
                fields=["session"],
                condition=Q(state__in=["armed", "running"]),
                name="pull_one_at_a_time_per_session",
            ),
            models.CheckConstraint(
                condition=~Q(standing="excluded") | ~Q(excluded_reason=""),
                name="pull_exclusion_has_a_reason",
                violation_error_message="Say why the pull is excluded.",
            ),
            models.CheckConstraint(condition=Q(origin__in=PullOrigin.values), name="pull_origin_is_known"),
            models.CheckConstraint(
                condition=Q(inertia_in_torque__in=InertiaInTorque.values), name="pull_inertia_is_in_the_torque_or_not"
            ),
            models.CheckConstraint(
                condition=Q(origin__in=["stand", "simulated", "file"], figures_standard="")
                | Q(origin__in=["table", "typed"]) & ~Q(figures_standard=""),
                name="pull_of_figures_says_what_they_are",
            ),
            models.CheckConstraint(
                condition=~Q(standing="accepted") | Q(state="complete"),
                name="pull_kept_only_if_complete",
                violation_error_message="Only a complete pull can be accepted.",
            ),
        ]

    def __str__(self) -> str:
        return f"Pull {self.number}"

    @property
    def settings_in_force(self) -> dict[str, str]:
        """What the setup was set to when the pull was armed, as typed, by key; no query where it was prefetched."""
        return {row.key: row.text for row in self.settings.all()}


class Chunk(models.Model):
    """Samples as they came while the pull runs: columns of float64, time first. Gone once the pull has ended."""

    pull = models.ForeignKey(Pull, on_delete=models.CASCADE, related_name="chunks")
    sequence = models.PositiveIntegerField()
    samples = models.PositiveIntegerField()
    data = models.BinaryField()

    class Meta:
        ordering = ["sequence"]
        constraints = [models.UniqueConstraint(fields=["pull", "sequence"], name="chunk_sequence_once_per_pull")]


class PullSetting(models.Model):
    """What the setup of a pull was set to beside its parts when the pull was armed, as it was typed."""

    pull = models.ForeignKey(Pull, on_delete=models.CASCADE, related_name="settings")
    key = models.CharField(max_length=60)
    text = models.CharField(max_length=80)

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["pull", "key"], name="pull_setting_once")]


class Channel(models.Model):
    """One channel of a pull in the unit in which the stand sends it: named when the pull begins, losslessly packed
    when it has ended. Until then it has no samples; they are in the chunks, a column for each channel by position."""

    pull = models.ForeignKey(Pull, on_delete=models.PROTECT, related_name="channels")
    position = models.PositiveSmallIntegerField()
    name = models.CharField(max_length=40)
    unit = models.CharField(max_length=16)
    codec = models.CharField(max_length=24, blank=True)
    samples = models.PositiveIntegerField()
    data = models.BinaryField()

    class Meta:
        ordering = ["position"]
        constraints = [models.UniqueConstraint(fields=["pull", "name"], name="channel_name_once_per_pull")]
