"""Who decided what, when and why, with the verdict as it stood."""

from __future__ import annotations

from datetime import datetime

from programmes.models import Programme, Setup
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Invalid, Refusal
from shop.texts import optional
from verdicts.judging import answers
from verdicts.judging.choice import Choice
from verdicts.models import Decision


def decide(
    person: Person, programme: Programme, choice: Choice, setup: Setup | None, reason: str, at: datetime
) -> Decision:
    """Write a decision down. Without a setup: it stays undecided, or as it is; that is a decision, too."""
    require_operator(person)
    plain = optional(reason, "reason", 1000)
    if not plain:
        raise Invalid("Say why it was decided so.", fields={"reason": "what spoke for it, also where it is a wash"})
    if setup is not None and setup.programme_id != programme.pk:
        raise Invalid("This setup belongs to another test.", fields={"setup_id": "choose one of this test"})
    try:
        evidence = answers.headline(person, answers.answer(person, programme, choice))
    except Refusal as refusal:
        evidence = [str(refusal)]  # decided without a verdict: that, too, is kept
    return Decision.objects.create(
        programme=programme, setup=setup, reason=plain, evidence=evidence, by=person, at=at
    )  # fmt: skip
