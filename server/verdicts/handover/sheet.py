"""What an engine leaves with: its parts, tune, liquids and limits, what it made, and what must be checked first."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction
from django.template.loader import render_to_string
from torvix_core.air.standards import DEFINITIONS, Standard
from torvix_core.units import quantities

from programmes.models import Programme, Setup
from programmes.plan import on_paper
from programmes.plan.plans import Plan
from programmes.plan.saving import plan_in_force
from programmes.settings import tune_sizes
from programmes.settings.tune_words import tune_words
from shop.models import Person, Shop
from shop.moments import clock, moment
from shop.permissions import require_operator, units_of
from shop.refusals import Invalid, Refusal
from shop.texts import optional
from stand.models import OpenJob, Pull, Standing
from stand.session import cautions
from verdicts.comparison.aligned_pulls import compare
from verdicts.customer_report import rendering
from verdicts.customer_report.report import HANDED_ON, leaves_with
from verdicts.judging import service as judging
from verdicts.models import HandoverSheet
from verdicts.session_book.book import watched_limits

FORMAT = 1
BASELINE = 0  # place of the setup that the build sheet describes


@dataclass(frozen=True)
class HandoverOptions:
    """The owner's name stays in the shop unless it is asked for."""

    show_owner: bool = False
    remark: str = ""


def compose(
    person: Person, programme: Programme, setup: Setup, wanted: HandoverOptions, at: datetime
) -> dict[str, Any]:
    """Everything that is printed, as text, in the person's units. Needs the programme's setups with their parts."""
    plan, units = plan_in_force(programme), units_of(person)
    rows = Pull.objects.filter(setup=setup, standing=Standing.ACCEPTED).select_related("session__stand")
    last = rows.prefetch_related("settings").order_by("-armed_at").first()
    session = None if last is None else last.session
    return {
        "format": FORMAT, "made_at": at.isoformat(), "shop": Shop.here().name, "engine": str(programme.build),
        "owner": programme.build.engine.owner if wanted.show_owner else "", "question": programme.question,
        "setup": f"{setup.letter} {setup.name}", "parts": leaves_with(plan, setup),
        "tune": [] if last is None else tune_words(last.settings_in_force, tune_sizes.tables(units)),
        "liquids": [] if session is None else [
            f"{what} {text}" for what, text in
            (("fuel", session.fuel), ("oil", session.oil), ("coolant", session.coolant)) if text
        ],
        "limits": [] if last is None else watched_limits(last, units),
        "made": _made(person, programme, setup), "ran": "" if last is None else
        f"Last accepted pull {last.number}, {moment(last.armed_at, clock(), year=True)}, {last.session.stand}.",
        "checks": [*_checks(plan, programme, setup, units), *cautions.of_engine(programme), HANDED_ON],
        "remark": optional(wanted.remark, "remark", 600),
    }  # fmt: skip


def _made(person: Person, programme: Programme, setup: Setup) -> list[str]:
    """Peaks of the setup's mean curve as the verdict has them; why there are none."""
    units, standard = units_of(person), Standard(programme.standard)
    try:
        comparison = compare(programme, standard)
    except Refusal as refusal:
        return [str(refusal)]
    place = next((at for at, one in enumerate(comparison.setups) if one.pk == setup.pk), None)
    if place is None:
        return ["No pull of it is accepted: nothing is known of what it makes."]
    effects = comparison.curves()
    torque = (comparison.means(comparison.torque) if effects is None else effects.mean)[place]
    tops = zip(judging.peaks(comparison, place, torque)[:2], (units["torque"], units["power"]), strict=True)
    figures = "; ".join(
        f"{float(quantities.from_si(top.value, unit)):.1f} {unit} at {top.speed_rpm:.0f} rpm" for top, unit in tops
    )
    made_of = comparison.made_of(place)
    return [f"{figures}, {DEFINITIONS[standard].label}{f', {made_of}' if made_of else ''}."]


def _checks(plan: Plan, programme: Programme, setup: Setup, units: dict[str, str]) -> list[str]:
    """What these parts ask for that the build sheet's own do not, and what is begun and not closed on the engine."""
    place = next((at for at, one in enumerate(plan.setups) if one.pk == setup.pk), BASELINE)
    found: list[str] = []
    if place != BASELINE:
        paper = next(one for one in on_paper.on_paper(plan, programme.build, units).setups if one.place == place)
        found += paper.cautions
        found += [f"To be measured anew: {what}." for what in paper.unknown]
    jobs = OpenJob.objects.filter(session__programme__build__engine=programme.build.engine_id, closed_at=None)
    return found + [f"Begun and not closed: {job.get_kind_display().lower()} {job.note}".strip() + "." for job in jobs]


def html(document: dict[str, Any], number: int, change: str = "", *, page: bool = False) -> str:
    """For the screen and, with `page`, a whole page for the printer."""
    shown = {**document, "made_at": datetime.fromisoformat(document["made_at"])}
    context = {"sheet": shown, "version": number, "change": change, "fonts": rendering.fonts()}
    return render_to_string("verdicts/handover_page.html" if page else "verdicts/handover.html", context)


@transaction.atomic
def issue(
    person: Person, programme: Programme, setup: Setup, wanted: HandoverOptions, change: str, at: datetime
) -> HandoverSheet:  # fmt: skip
    """Freeze the sheet of a setup. The first is version 1; every further one says what changed."""
    require_operator(person)
    Programme.objects.select_for_update().get(pk=programme.pk)
    last, said = programme.handovers.defer("document").first(), optional(change, "change", 300)
    if last is not None and not said:
        raise Invalid(
            "Say what changed against the version before.", fields={"change": "readers of the earlier one see it"}
        )
    return HandoverSheet.objects.create(
        programme=programme, setup=setup, number=last.number + 1 if last else 1,
        document=compose(person, programme, setup, wanted, at), change=said if last else "", by=person, at=at,
    )  # fmt: skip
