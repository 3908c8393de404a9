"""What people do around the pulls: cautions read, lists ticked, jobs begun, parts changed, things seen and heard."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.contrib.postgres.indexes import GinIndex, OpClass
from django.contrib.postgres.search import SearchVector
from django.db import models
from django.db.models import F, Q
from django.db.models.functions import Upper

from engines.models import Build
from programmes.models import Setup
from shop.checked_json import CheckedJSONField, Finite
from stand.models.pull import Pull
from stand.models.session import Session

if TYPE_CHECKING:
    from django.db.models.fields.related_descriptors import RelatedManager


class Acknowledgement(models.Model):
    """Somebody has read the cautions of a session, in the words that were shown."""

    session = models.ForeignKey(Session, on_delete=models.PROTECT, related_name="acknowledgements")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    words = CheckedJSONField(shape=list[str], help_text="the cautions as they were shown")

    class Meta:
        ordering = ["at"]
        constraints = [models.UniqueConstraint(fields=["session", "person"], name="cautions_read_once")]


class Moment(models.TextChoices):
    """When an item of the list is due."""

    SESSION = "session", "Before the first pull of a session"
    CHANGE = "change", "After a change of parts"
    START = "start", "Before every new start"
    BREAK_IN = "break_in", "After the break-in, and after the first heat on another cam or head"


class Asks(models.TextChoices):
    """What a tick has to say beside that it is done."""

    NOTHING = "", "Nothing more"
    WORDS = "words", "A few words"
    CLEARANCE = "clearance", "Piston to valve, intake and exhaust"
    PHASE = "phase", "Intake centerline of each bank"


class ListItem(models.Model):
    """A line of the shop's list of what must be seen to before a pull. One that is taken off stays for the record."""

    text = models.CharField(max_length=200)
    moment = models.CharField(max_length=8, choices=Moment.choices)
    slots = ArrayField(models.CharField(max_length=60), default=list, help_text="due where one of these was changed")
    asks = models.CharField(max_length=9, choices=Asks.choices, blank=True)
    position = models.PositiveSmallIntegerField()
    in_force = models.BooleanField(default=True)
    usual = models.BooleanField(default=False, help_text="came with the application")

    class Meta:
        ordering = ["position", "pk"]
        constraints = [models.CheckConstraint(condition=~Q(text=""), name="list_item_says_something")]

    def __str__(self) -> str:
        return self.text


class Change(models.Model):
    """Parts changed between two setups, by the stopwatch."""

    session = models.ForeignKey(Session, on_delete=models.PROTECT, related_name="changes")
    before = models.ForeignKey(Setup, on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    after = models.ForeignKey(Setup, on_delete=models.PROTECT, related_name="+")
    planned_min = models.FloatField()
    begun_at = models.DateTimeField()
    begun_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    ended_at = models.DateTimeField(null=True, blank=True)
    gasket = models.CharField(max_length=120, blank=True, help_text="which, and whether it is new")
    sealer = models.CharField(max_length=120, blank=True)
    milling = models.CharField(max_length=120, blank=True, help_text="what was taken off, and where")

    if TYPE_CHECKING:
        ticks: RelatedManager[Tick]

    class Meta:
        ordering = ["begun_at", "pk"]
        constraints = [
            models.CheckConstraint(
                condition=Q(ended_at__isnull=True) | Q(ended_at__gte=F("begun_at")), name="change_ends_after_start"
            ),
            models.UniqueConstraint(
                fields=["session"], condition=Q(ended_at__isnull=True), name="change_one_at_a_time_per_session"
            ),
        ]


class RemovalReading(models.Model):
    """A dimension of the build sheet that was measured while it lay open. It stays; a revision takes it in."""

    session = models.ForeignKey(Session, on_delete=models.PROTECT, related_name="removal_readings")
    key = models.CharField(max_length=60, help_text="dimension of the build sheet")
    value = models.FloatField(help_text="SI")
    text = models.CharField(max_length=60, help_text="as it was typed")
    typed = models.CharField(max_length=60, blank=True, help_text="its number")
    unit = models.CharField(max_length=16, blank=True)
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    build = models.ForeignKey(
        Build, on_delete=models.PROTECT, null=True, blank=True, related_name="+", help_text="the revision that took it"
    )

    class Meta:
        ordering = ["at", "pk"]


class Tick(models.Model):
    """An item of the list seen to, by whom, and what it said."""

    session = models.ForeignKey(Session, on_delete=models.PROTECT, related_name="ticks")
    item = models.ForeignKey(ListItem, on_delete=models.PROTECT, related_name="ticks")
    change = models.ForeignKey(Change, on_delete=models.PROTECT, null=True, blank=True, related_name="ticks")
    occasion = models.DateTimeField(
        null=True, blank=True, help_text="what made it due once more: a stop, a retune, the end of a break-in"
    )
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    words = models.CharField(max_length=200, blank=True)
    values = CheckedJSONField(
        shape=dict[str, Finite], default=dict, help_text="what was measured, m or degrees of crank"
    )
    override_reason = models.CharField(max_length=200, blank=True, help_text="why the owner let it stand out of bounds")

    class Meta:
        ordering = ["at", "pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["session", "item", "change", "occasion"], name="ticked_once", nulls_distinct=False
            ),
        ]


class JobKind(models.TextChoices):
    """What must not be left half done on an engine that is about to run."""

    FASTENERS = "fasteners", "Fasteners started, not finished"
    TORQUE = "torque", "Torque sequence, not through all stages"
    WIRE = "wire", "Temporary wire or lock fitted"
    TOOLS = "tools", "Intake open: account for tools, remove swarf"
    LEAKS = "leaks", "Refitted: leaks to be checked"
    CLEARANCE = "clearance", "Cam or head changed: piston to valve to be measured"
    LASH = "lash", "Broken in: valve lash to be set"
    OTHER = "other", "Other"


class OpenJob(models.Model):
    """A job begun on the engine. It has one owner, and nothing is armed until it is closed."""

    session = models.ForeignKey(Session, on_delete=models.PROTECT, related_name="open_jobs")
    kind = models.CharField(max_length=10, choices=JobKind.choices)
    note = models.CharField(max_length=200, blank=True)
    stage = models.PositiveSmallIntegerField(null=True, blank=True, help_text="of the torque sequence, reached")
    stages = models.PositiveSmallIntegerField(null=True, blank=True)
    fastened = models.PositiveSmallIntegerField(null=True, blank=True, help_text="fasteners done")
    fasteners = models.PositiveSmallIntegerField(null=True, blank=True)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    begun_at = models.DateTimeField()
    closed_at = models.DateTimeField(null=True, blank=True)
    closed_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, blank=True, related_name="+"
    )
    closing_note = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["begun_at", "pk"]
        constraints = [
            models.CheckConstraint(
                condition=Q(closed_at__isnull=True, closed_by__isnull=True)
                | Q(closed_at__gte=F("begun_at"), closed_by__isnull=False),
                name="open_job_is_closed_by_somebody",
            ),
            models.CheckConstraint(
                condition=(Q(stage__isnull=True, stages__isnull=True) | Q(stage__lte=F("stages")))
                & (Q(fastened__isnull=True, fasteners__isnull=True) | Q(fastened__lte=F("fasteners"))),
                name="open_job_is_at_most_done",
            ),
        ]

    def __str__(self) -> str:
        label = str(self.get_kind_display())
        return ": ".join(part for part in (label, self.reached, self.note) if part)

    @property
    def reached(self) -> str:
        """How far it is in numbers; "" where nobody counts."""
        stage = f"stage {self.stage} of {self.stages}" if self.stages else ""
        count = f"{self.fastened} of {self.fasteners} fasteners" if self.fasteners else ""
        return ", ".join(part for part in (stage, count) if part)

    @property
    def is_through(self) -> bool:
        """Every stage and every fastener that is counted."""
        return self.stage == self.stages and self.fastened == self.fasteners


class NoteKind(models.TextChoices):
    HEARD = "heard", "Heard"
    SEEN = "seen", "Seen"
    SMELT = "smelt", "Smell"
    FELT = "felt", "Feel"
    FAILED_START = "failed_start", "Failed start"
    MEASURED = "measured", "Measured on removal"
    STAND = "stand", "Noted by Torvix"
    OTHER = "other", "Note"


class Note(models.Model):
    """Something seen or heard, beside the data. With a photograph or without; never counted."""

    session = models.ForeignKey(Session, on_delete=models.PROTECT, related_name="notes")
    pull = models.ForeignKey(Pull, on_delete=models.PROTECT, null=True, blank=True, related_name="notes")
    kind = models.CharField(max_length=12, choices=NoteKind.choices, default=NoteKind.OTHER)
    text = models.CharField(max_length=500, blank=True)
    at = models.DateTimeField()
    rpm = models.FloatField(null=True, blank=True, help_text="engine speed when it was marked in a pull")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+")
    photo = models.BinaryField(null=True, blank=True, help_text="JPEG, made anew from the pixels of what was sent")
    width = models.PositiveSmallIntegerField(default=0)
    height = models.PositiveSmallIntegerField(default=0)
    archived_at = models.DateTimeField(null=True, blank=True, help_text="put aside by its author")

    class Meta:
        ordering = ["at", "pk"]
        indexes = [
            GinIndex(OpClass(Upper("text"), name="gin_trgm_ops"), name="note_text_words"),
            GinIndex(SearchVector("text", config="english"), name="note_text_stems"),
        ]
        constraints = [
            models.CheckConstraint(condition=~Q(text="") | Q(photo__isnull=False), name="note_says_something"),
            models.CheckConstraint(
                condition=Q(rpm__isnull=True) | Q(rpm__gt=0, rpm__lt=30_000, pull__isnull=False),
                name="note_is_marked_at_a_speed_of_its_pull",
            ),
        ]
