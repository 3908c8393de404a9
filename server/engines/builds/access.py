"""Engines and their revisions: the sheet with all that follows from it, "what if", and two revisions side by side."""

from __future__ import annotations

from django.db.models import Prefetch, QuerySet
from django.shortcuts import get_object_or_404

from engines.models import Build, BuildReading, Engine, FlowTable
from shop.models import Person


def engines(person: Person) -> QuerySet[Engine]:
    revisions = Build.objects.select_related("created_by").prefetch_related("readings", "flow_tables")
    return Engine.objects.visible_to(person).prefetch_related(Prefetch("builds", queryset=revisions)).order_by("name")


def readable_builds(person: Person) -> QuerySet[Build]:
    """Builds with all that their sheet needs, in a bounded number of queries."""
    readings = BuildReading.objects.select_related("written_by")
    tables = FlowTable.objects.select_related("written_by")
    return (
        Build.objects.filter(engine__in=Engine.objects.visible_to(person))
        .select_related("engine", "created_by")
        .prefetch_related(
            Prefetch("readings", queryset=readings), Prefetch("flow_tables", queryset=tables), "installation",
            "engine__builds__created_by", "engine__builds__readings", "engine__builds__flow_tables",
        )
    )  # fmt: skip


def one_build(person: Person, build_id: int) -> Build:
    return get_object_or_404(readable_builds(person), pk=build_id)
