"""The parts library over the API, and two stacks of parts held against each other."""

from __future__ import annotations

from django.shortcuts import get_object_or_404

from engines.models import Part
from engines.parts import service as parts
from shop.models import Person


def one_part(person: Person, part_id: int) -> Part:
    return get_object_or_404(parts.readable_parts(person), pk=part_id)
