"""Keeps a part between tested ones as it stands, with what it was made from."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from curves.reduction.nature import Nature
from programmes.models import Programme
from shop.models import Person
from shop.permissions import require_operator, units_of
from shop.refusals import Invalid
from verdicts.comparison.aligned_pulls import compare
from verdicts.estimates import service as estimates
from verdicts.estimates.service import GainOver
from verdicts.judging.choice import Choice
from verdicts.models import Estimate
from verdicts.slot_in import messages
from verdicts.slot_in.service import Asked, place_between


def keep_between(
    person: Person, programme: Programme, choice: Choice, asked: Asked, as_asked: Mapping[str, Any], at: datetime
) -> Estimate:
    """Over every tested part that it was drawn from. Invalid where nothing is drawn. `as_asked` is kept beside it."""
    require_operator(person)
    compared = compare(programme, choice.standard, choice.counting)
    found = place_between(person, compared, choice, asked)
    if found is None or found.found is None:
        raise Invalid("No curve is drawn: nothing is there to keep.", fields={"part": "choose one between others"})
    drawn = found.found
    return estimates.keep(
        person, programme, Nature.INFERRED, choice.standard, messages.sentence(found, compared.speed_rpm),
        {"asked": dict(as_asked), "basis": [messages.rests_on(found, units_of(person)), *messages.basis(found)]},
        compared.speed_rpm,
        [
            GainOver(one.setup, drawn.change[row], drawn.low[row], drawn.high[row])
            for row, one in enumerate(found.used)
        ],
        at, part=found.part,
    )  # fmt: skip
