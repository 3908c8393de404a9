"""Expectations: written before a setup is pulled, sealed when it is armed for the first time."""

from __future__ import annotations

import re
from datetime import datetime

from django.db import transaction
from torvix_core.units.quantity_parser import NotUnderstood, read_quantity

from programmes.models import Expectation, ExpectedMeasure, Setup
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Invalid, Refusal
from shop.texts import optional

BETWEEN = re.compile(r"\s+to\s+|\s*…\s*|\s*\.\.\s*")
LEAST, MOST = -0.5, 2.0  # shares of the baseline that a change of parts can cost or bring


class Sealed(Refusal):
    """The setup has been armed: what was expected of it stays as it was."""

    code = "sealed"


@transaction.atomic
def expect(person: Person, setup: Setup, measure: str, text: str, sentence: str, at: datetime) -> Expectation | None:
    """Write down, or write anew, what a person expects; an empty text takes it back. Only before the first pull."""
    require_operator(person)
    if measure not in ExpectedMeasure.values:
        raise Invalid("There is no such measure.", fields={"measure": f"one of {', '.join(ExpectedMeasure.labels)}"})
    if setup.is_baseline:
        raise Invalid("The baseline is what the others are held against.", fields={"setup_id": "choose another setup"})
    held = Expectation.objects.select_for_update().filter(setup=setup, measure=measure, written_by=person)
    # Sealing is of the setup, not of one row: nobody expects with hindsight what others wrote down before.
    if Expectation.objects.filter(setup=setup, sealed_at__isnull=False).exists() or setup.pulled:
        raise Sealed(f"{setup.letter} has been armed already: what is expected of it is sealed.")
    held.delete()
    if not text.strip():
        return None
    low, high = read_range(text)
    return Expectation.objects.create(
        setup=setup, measure=measure, low=low, high=high, sentence=optional(sentence, "sentence", 300),
        written_by=person, written_at=at,
    )  # fmt: skip


def read_range(text: str) -> tuple[float, float]:
    """“2 %”, “1 to 3” or “-1 to 2 %” as shares. Invalid says what is wrong."""
    ends = BETWEEN.split(text.strip())
    if len(ends) > 2:
        raise Invalid("This is not a number or a range.", fields={"text": "write 2 % or 1 to 3 %"})
    try:
        values = [read_quantity(end, "fraction", "%", LEAST, MOST).value for end in ends]
    except NotUnderstood as reason:
        raise Invalid("The expectation is not understood.", fields={"text": str(reason)}) from reason
    if values[0] > values[-1]:
        raise Invalid("The range must rise.", fields={"text": "write the lower end first"})
    return values[0], values[-1]


def seal(setup: Setup, at: datetime) -> None:
    """Close what is expected of a setup; the first arming counts."""
    Setup.objects.filter(pk=setup.pk, pulled=False).update(pulled=True)
    Expectation.objects.filter(setup=setup, sealed_at=None).update(sealed_at=at)
