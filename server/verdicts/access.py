"""The programme of a request, as far as the person may see it."""

from __future__ import annotations

from django.db.models import prefetch_related_objects
from django.shortcuts import get_object_or_404

from programmes.models import Programme
from shop.models import Person


def programme_of(person: Person, programme_id: int) -> Programme:
    """With what a comparison asks of it. 404 where there is none, or it is not this person's to see."""
    seen = (
        Programme.objects.visible_to(person)
        .select_related("build__engine")
        .prefetch_related("setups", "build__installation")
    )
    return get_object_or_404(seen, pk=programme_id)


def programme_with_parts(person: Person, programme_id: int) -> Programme:
    """The same with what its parts and settings are."""
    programme = programme_of(person, programme_id)
    prefetch_related_objects([programme], "setups__parts__readings", "setups__settings")
    return programme
