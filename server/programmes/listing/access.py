"""Programmes as a list, and the standard in force."""

from __future__ import annotations

from django.db.models import QuerySet

from programmes.models import Programme
from shop.models import Person


def readable(person: Person) -> QuerySet[Programme]:
    seen = Programme.objects.visible_to(person).select_related("build__engine", "created_by", "practice")
    return seen.prefetch_related("setups__parts")
