"""Session books as they were issued."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models import Q

from shop.checked_json import CheckedJSONField, JsonObject
from stand.models import Session


class SessionBook(models.Model):
    """Everything of a session as it stood: its words and numbers never change. A correction is another version."""

    session = models.ForeignKey(Session, on_delete=models.PROTECT, related_name="books")
    number = models.PositiveSmallIntegerField()
    document = CheckedJSONField(shape=JsonObject, help_text="everything that is printed, in the units it was issued in")
    change = models.CharField(max_length=300, blank=True, help_text="against the version before")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["-number"]
        constraints = [
            models.UniqueConstraint(fields=["session", "number"], name="book_version_once"),
            models.CheckConstraint(condition=Q(number=1) | ~Q(change=""), name="book_version_says_what_changed"),
        ]
