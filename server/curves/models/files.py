"""Files as they came, byte for byte, and what was said about them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.conf import settings
from django.db import models
from django.db.models import Q
from pydantic import BaseModel

from jobs.models import Job
from programmes.models import Programme
from shop.checked_json import CheckedJSONField, JsonObject
from stand.models import Pull, Session

if TYPE_CHECKING:
    from django.db.models.fields.related_descriptors import RelatedManager


class ManifestLine(BaseModel):
    """Of one file: its setup, its session, its place in the order, when it began; empty where it is not given."""

    file: str
    setup: str = ""
    session: str = ""
    order: float | None = None
    start: str = ""


class Import(models.Model):
    """Files brought in together, and what was said about all of them."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="imports")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    job = models.ForeignKey(
        Job, on_delete=models.SET_NULL, null=True, blank=True, related_name="+", help_text="that reads its files"
    )
    session = models.OneToOneField(
        Session,
        on_delete=models.PROTECT,
        null=True,
        blank=True,
        related_name="recorded",
        help_text="whose stand's recorder wrote them: they become pulls of it",
    )
    manifest = CheckedJSONField(
        shape=list[ManifestLine], default=list, help_text="what a list that came with the files says of each"
    )

    if TYPE_CHECKING:
        files: RelatedManager[SourceFile]

    class Meta:
        ordering = ["-pk"]


class FileState(models.TextChoices):
    WAITING = "waiting", "Not read yet"
    READ = "read", "Read"
    REFUSED = "refused", "Not read"
    DUPLICATE = "duplicate", "Known already"
    MANIFEST = "manifest", "Says where the files belong"


class SourceFile(models.Model):
    """A file as it came, byte for byte, and what became of it."""

    batch = models.ForeignKey(Import, on_delete=models.CASCADE, related_name="files")
    name = models.CharField(max_length=200)
    sha256 = models.CharField(max_length=64)
    size = models.PositiveIntegerField()
    content = models.BinaryField()
    layout = CheckedJSONField(shape=JsonObject, default=dict, help_text="what was found in it: columns, units, rows")
    layout_key = models.CharField(max_length=64, blank=True, help_text="the same for files of one make")
    state = models.CharField(max_length=9, choices=FileState.choices, default=FileState.WAITING)
    outcome = models.CharField(max_length=500, blank=True)
    pull = models.OneToOneField(Pull, on_delete=models.PROTECT, null=True, blank=True, related_name="source_file")

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.CheckConstraint(
                condition=Q(state=FileState.READ, pull__isnull=False) | ~Q(state=FileState.READ) & Q(pull__isnull=True),
                name="file_that_is_read_has_a_pull",
            )
        ]

    def __str__(self) -> str:
        return self.name


class KnownLayout(models.Model):
    """How files of one make were mapped last, for the next of them."""

    key = models.CharField(max_length=64, unique=True)
    mapping = CheckedJSONField(shape=JsonObject)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()


class ArchiveUpload(models.Model):
    """A file of tests that somebody brought, until it is read in: the worker that reads it may be another machine."""

    name = models.CharField(max_length=200)
    size = models.PositiveBigIntegerField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    at = models.DateTimeField()
    job = models.ForeignKey(
        Job, on_delete=models.SET_NULL, null=True, blank=True, related_name="+", help_text="that reads it"
    )

    if TYPE_CHECKING:
        pieces: RelatedManager[ArchivePiece]

    class Meta:
        ordering = ["-pk"]

    def __str__(self) -> str:
        return self.name


class ArchivePiece(models.Model):
    """Some megabytes of an upload: the whole would have to be in memory to become one value."""

    upload = models.ForeignKey(ArchiveUpload, on_delete=models.CASCADE, related_name="pieces")
    position = models.PositiveIntegerField()
    data = models.BinaryField()

    class Meta:
        ordering = ["position"]
        constraints = [models.UniqueConstraint(fields=["upload", "position"], name="archive_piece_once")]
