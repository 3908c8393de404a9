"""Engines and their revisions, what is written down of them, and the parts that compete on them. Values in SI.

What can be written down stands in the core (`torvix_core.engine.dimensions`); a reading is one value of one dimension
with where it comes from. Texts are kept as typed, so that showing a value in the unit it was typed in changes no digit.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.contrib.postgres.indexes import GinIndex, OpClass
from django.db import models
from django.db.models import Q
from django.db.models.functions import Upper
from torvix_core.engine.dimensions import Slot
from torvix_core.engine.evidence import Origin
from typing_extensions import TypedDict

from shop.checked_json import CheckedJSONField
from shop.models import Person, Role

if TYPE_CHECKING:
    from django.db.models.fields.related_descriptors import RelatedManager

SLOTS = [(slot.value, slot.label) for slot in Slot]
ORIGINS = [(origin.value, origin.value.capitalize()) for origin in Origin]
# Further than any dimension of an engine; also refuses NaN, which PostgreSQL sorts above everything.
FINITE = Q(value__gt=-1e12, value__lt=1e12)


class EngineQuerySet(models.QuerySet["Engine"]):
    def visible_to(self, person: Person) -> EngineQuerySet:
        """A confidential engine is for those who run it, and for the customer to whom a test of it was given."""
        if person.role == Role.CUSTOMER:
            return self.filter(builds__programmes__given_to=person).distinct()
        return self.filter(confidential=False) if person.role == Role.VIEWER else self

    def listed(self) -> EngineQuerySet:
        return self.filter(archived_at=None)


class Engine(models.Model):
    name = models.CharField(max_length=120, unique=True)
    owner = models.CharField(max_length=120, blank=True, help_text="whose engine it is")
    confidential = models.BooleanField(default=False, help_text="viewers do not see it nor its programmes")
    archived_at = models.DateTimeField(null=True, blank=True, help_text="since when it is out of the lists")

    objects = EngineQuerySet.as_manager()

    if TYPE_CHECKING:
        builds: RelatedManager[Build]

    def __str__(self) -> str:
        return self.name


class Build(models.Model):
    """One revision of an engine. A pull belongs to the build it was made with; from then on it is closed."""

    engine = models.ForeignKey(Engine, on_delete=models.PROTECT, related_name="builds")
    revision = models.PositiveIntegerField(default=1)
    reason = models.CharField(max_length=200, blank=True, help_text="why it succeeds the one before")
    notes = models.TextField(blank=True)
    created_at = models.DateTimeField(null=True)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+")
    used_at = models.DateTimeField(null=True, blank=True, help_text="when the first pull was armed with it")

    if TYPE_CHECKING:
        readings: RelatedManager[BuildReading]
        flow_tables: RelatedManager[FlowTable]
        installation: RelatedManager[Installation]

    class Meta:
        ordering = ["engine", "revision"]
        constraints = [
            models.UniqueConstraint(fields=["engine", "revision"], name="build_revision_once_per_engine"),
        ]

    def __str__(self) -> str:
        return f"{self.engine}, rev {self.revision}"


class Reading(models.Model):
    """One value of one dimension, and where it comes from. A number in SI, or words."""

    dimension = models.CharField(max_length=40)
    origin = models.CharField(max_length=12, choices=ORIGINS)
    value = models.FloatField(null=True, blank=True)
    words = models.CharField(max_length=200, blank=True)
    typed = models.CharField(max_length=60, blank=True, help_text="the number as it was typed, without its unit")
    unit = models.CharField(max_length=16, blank=True, help_text="the unit it was typed in")
    how = models.CharField(max_length=200, blank=True, help_text="instrument, page, person")
    written_at = models.DateTimeField()
    written_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    chosen = models.BooleanField(default=False, help_text="used although another contradicts it")

    class Meta:
        abstract = True

    @property
    def content(self) -> float | str:
        return self.words if self.value is None else self.value


def _reading_promises(of: str) -> list[models.BaseConstraint]:
    return [
        models.UniqueConstraint(fields=[of, "dimension", "origin"], name=f"{of}_reading_once_per_origin"),
        models.UniqueConstraint(fields=[of, "dimension"], condition=Q(chosen=True), name=f"{of}_reading_one_is_chosen"),
        models.CheckConstraint(
            condition=Q(value__isnull=False, words="") & FINITE | Q(value__isnull=True) & ~Q(words=""),
            name=f"{of}_reading_is_a_number_or_words",
        ),
        models.CheckConstraint(condition=Q(origin__in=[o.value for o in Origin]), name=f"{of}_reading_origin_is_known"),
    ]


class BuildReading(Reading):
    build = models.ForeignKey(Build, on_delete=models.CASCADE, related_name="readings")

    class Meta:
        ordering = ["pk"]
        constraints = _reading_promises("build")


class TypedFlow(TypedDict, total=False):
    """A flow table as it was typed; `units` of depression, lift and flow."""

    depression: str
    rows: list[list[str]]
    units: list[str]


class FlowTable(models.Model):
    """Flow bench table of one port: lifts in m, flows in m³/s at `depression` in Pa, and as they were typed."""

    build = models.ForeignKey(Build, on_delete=models.CASCADE, related_name="flow_tables")
    side = models.CharField(max_length=8, choices=[("intake", "Intake"), ("exhaust", "Exhaust")])
    depression = models.FloatField()
    lifts = ArrayField(models.FloatField())
    flows = ArrayField(models.FloatField())
    typed = CheckedJSONField(shape=TypedFlow, default=dict, help_text="depression, lifts and flows as they were typed")
    origin = models.CharField(max_length=12, choices=ORIGINS)
    how = models.CharField(max_length=200, blank=True)
    written_at = models.DateTimeField()
    written_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")

    class Meta:
        ordering = ["-side"]
        constraints = [
            models.UniqueConstraint(fields=["build", "side"], name="flow_table_once_per_side"),
            models.CheckConstraint(condition=Q(depression__gt=0, depression__lt=1e6), name="flow_table_has_depression"),
            models.CheckConstraint(
                condition=Q(lifts__len__gt=0, lifts__len=models.F("flows__len")), name="flow_table_rows_are_whole"
            ),
        ]


class Item(models.TextChoices):
    """What may differ between the stand and the car."""

    WATER_PUMP = "water_pump", "Water pump"
    EXHAUST = "exhaust", "Exhaust"
    AIR_INTAKE = "air_intake", "Air cleaner and ducting"
    CONTROLLER = "controller", "Engine controller"
    IDLE_VALVE = "idle_valve", "Idle valve"
    THROTTLE = "throttle", "Throttle opening"
    BOOST = "boost", "Boost"
    ACCESSORIES = "accessories", "Other accessories"


class Installation(models.Model):
    """One item as tested and as it will be installed, and what that is allowed to cost. Never in the measured curve."""

    build = models.ForeignKey(Build, on_delete=models.CASCADE, related_name="installation")
    item = models.CharField(max_length=14, choices=Item.choices)
    tested = models.CharField(max_length=120, blank=True)
    installed = models.CharField(max_length=120, blank=True)
    allowance = models.FloatField(null=True, blank=True, help_text="W that the installed item takes at peak power")
    basis = models.CharField(max_length=200, blank=True, help_text="where the allowance comes from")
    applied = models.BooleanField(default=False)

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(fields=["build", "item"], name="installation_once_per_item"),
            models.CheckConstraint(
                condition=Q(allowance__isnull=True) | Q(allowance__gte=0, allowance__lt=1e7),
                name="installation_allowance_is_power",
            ),
            models.CheckConstraint(
                condition=Q(applied=False) | Q(allowance__isnull=False), name="installation_applies_an_allowance"
            ),
        ]


class PartQuerySet(models.QuerySet["Part"]):
    def visible_to(self, person: Person) -> PartQuerySet:
        """Viewers do not see what was bolted on confidential engines alone, customers only what was on theirs."""
        if person.role == Role.CUSTOMER:
            return self.filter(setups__programme__given_to=person).distinct()
        if person.role != Role.VIEWER:
            return self
        kept_back = Part.objects.filter(setups__programme__build__engine__confidential=True)
        elsewhere = Part.objects.filter(setups__programme__build__engine__confidential=False)
        return self.exclude(pk__in=kept_back.exclude(pk__in=elsewhere.values("pk")).values("pk"))

    def listed(self) -> PartQuerySet:
        return self.filter(archived_at=None)


class Part(models.Model):
    """A part. A modification makes a child; the parent stays as it was."""

    name = models.CharField(max_length=120, unique=True)
    slot = models.CharField(max_length=30, choices=SLOTS)
    notes = models.TextField(blank=True)
    belongs_to = models.CharField(max_length=120, blank=True)
    price = models.DecimalField(max_digits=10, decimal_places=2, null=True, blank=True, help_text="null: unknown")
    price_is_private = models.BooleanField(default=False, help_text="viewers do not see it")
    parent = models.ForeignKey("self", on_delete=models.PROTECT, null=True, blank=True, related_name="children")
    archived_at = models.DateTimeField(null=True, blank=True, help_text="since when it is out of the lists")
    modification = models.CharField(max_length=120, blank=True, help_text="what was done to the parent")
    amount = models.CharField(max_length=80, blank=True, help_text="how much was taken off or added")
    reason = models.CharField(max_length=200, blank=True, help_text="why it was done")
    matched_to = models.ForeignKey("self", on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    same_as = models.ForeignKey("self", on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    created_at = models.DateTimeField(null=True)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+")

    objects = PartQuerySet.as_manager()

    if TYPE_CHECKING:
        readings: RelatedManager[PartReading]
        aliases: RelatedManager[Alias]
        photos: RelatedManager[Photo]
        children: RelatedManager[Part]

    class Meta:
        ordering = ["slot", "name"]
        indexes = [GinIndex(OpClass(Upper("name"), name="gin_trgm_ops"), name="part_name_words")]
        constraints = [
            models.CheckConstraint(condition=Q(slot__in=[slot.value for slot in Slot]), name="part_slot_is_known"),
            models.CheckConstraint(
                condition=Q(price__isnull=True) | Q(price__gte=0), name="part_price_is_not_negative"
            ),
            models.CheckConstraint(
                condition=Q(parent__isnull=True) | (~Q(modification="") & ~Q(reason="")),
                name="part_modification_says_what_and_why",
            ),
            models.CheckConstraint(
                condition=(Q(parent__isnull=True) | ~Q(parent=models.F("id")))
                & (Q(same_as__isnull=True) | ~Q(same_as=models.F("id"))),
                name="part_is_not_its_own_relative",
            ),
        ]

    def __str__(self) -> str:
        return self.name


class PartReading(Reading):
    part = models.ForeignKey(Part, on_delete=models.CASCADE, related_name="readings")

    class Meta:
        ordering = ["pk"]
        constraints = _reading_promises("part")


class Alias(models.Model):
    """Another name under which a part is sold or called."""

    part = models.ForeignKey(Part, on_delete=models.CASCADE, related_name="aliases")
    name = models.CharField(max_length=120)

    class Meta:
        ordering = ["name"]
        indexes = [GinIndex(OpClass(Upper("name"), name="gin_trgm_ops"), name="alias_name_words")]
        constraints = [models.UniqueConstraint(fields=["part", "name"], name="alias_once_per_part")]


class DistinctParts(models.Model):
    """That two parts which look like one are two. `one` is the older."""

    one = models.ForeignKey(Part, on_delete=models.CASCADE, related_name="+")
    other = models.ForeignKey(Part, on_delete=models.CASCADE, related_name="+")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["one", "other"], name="distinct_parts_once"),
            models.CheckConstraint(condition=Q(other__gt=models.F("one")), name="distinct_parts_in_order"),
        ]


class Photo(models.Model):
    """A picture of a part, made anew from what was uploaded: JPEG, turned upright, without hidden data."""

    part = models.ForeignKey(Part, on_delete=models.CASCADE, related_name="photos")
    caption = models.CharField(max_length=160, blank=True)
    data = models.BinaryField()
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    sha256 = models.CharField(max_length=64, help_text="of the upload as it came")
    added_at = models.DateTimeField()
    added_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["part", "sha256"], name="photo_once_per_part")]
