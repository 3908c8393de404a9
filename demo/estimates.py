"""Parts of the scenario that were slotted in between tested ones, kept before they were run."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from torvix_core.air.standards import Standard

from engines.models import Part
from programmes.models import Programme
from shop.models import Person
from verdicts.access import programme_with_parts
from verdicts.judging.choice import Choice
from verdicts.slot_in.keeping import keep_between
from verdicts.slot_in.service import Asked


def keep(
    programme: Programme, given: Sequence[Mapping[str, Any]], parts: Mapping[str, Part], people: Mapping[str, Person],
    at: datetime,
) -> None:  # fmt: skip
    """Lines of the scenario: a part by its name, beside the family that a setup by its place is of."""
    setups = list(programme.setups.all())
    for line in given:
        person, family = people[line["by"]], setups[line["family"]].pk
        asked = Asked(family_id=family, part_id=parts[line["part"]].pk)
        seen = programme_with_parts(person, programme.pk)
        as_asked = {"family": family, "part_id": asked.part_id}
        keep_between(person, seen, Choice(Standard(programme.standard)), asked, as_asked, at)
