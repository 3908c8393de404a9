"""The programme of a request, as far as the person may see it."""

from __future__ import annotations

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
