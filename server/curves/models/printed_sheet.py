"""Pictures of printed tables, what was read off them, and the pull that came of one."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models import Q
from pydantic import BaseModel, Field

from jobs.models import Job
from programmes.models import Programme
from shop.checked_json import CheckedJSONField
from stand.models import Pull


class ReadCell(BaseModel):
    """Where a cell stands on the straightened page, and what can be read in it with which share of the attempts."""

    box: tuple[int, int, int, int]  # left, top, right, bottom, pixels
    readings: dict[str, float]


class ReadTable(BaseModel):
    """What was read off a picture, before anything is held against physics. No rows until it has been read."""

    width: int = 0
    height: int = 0
    heads: list[str] = Field(default_factory=list)
    rows: list[list[ReadCell]] = Field(default_factory=list)
    speed: int | None = None  # which column
    torque: int | None = None
    power: int | None = None
    torque_unit: str = ""
    power_unit: str = ""
    quoted: dict[str, float | None] = Field(default_factory=dict)


class PrintedSheet(models.Model):
    """A picture of a printed table. `picture` is what was sent, made anew from its pixels; `page` it straightened."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="printed_sheets")
    name = models.CharField(max_length=200)
    sha256 = models.CharField(max_length=64, help_text="of the file as it was sent")
    picture = models.BinaryField(help_text="JPEG")
    turned = models.PositiveSmallIntegerField(default=0, help_text="quarters clockwise that bring it upright")
    page = models.BinaryField(null=True, blank=True, help_text="JPEG of what was read, straightened")
    table = CheckedJSONField(shape=ReadTable, default=dict)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    job = models.ForeignKey(
        Job, on_delete=models.SET_NULL, null=True, blank=True, related_name="+", help_text="that reads it"
    )
    pull = models.OneToOneField(
        Pull, on_delete=models.PROTECT, null=True, blank=True, related_name="printed_sheet", help_text="that it became"
    )

    class Meta:
        ordering = ["-pk"]
        constraints = [
            models.CheckConstraint(condition=Q(turned__lte=3), name="sheet_is_turned_by_quarters"),
            models.CheckConstraint(
                condition=Q(pull__isnull=True) | Q(page__isnull=False), name="sheet_of_a_pull_was_read"
            ),
        ]

    def __str__(self) -> str:
        return self.name
