"""Curves of the setups over each other: means, pulls, differences to any of them, overlays, and the 100 rpm table."""

from __future__ import annotations

import numpy as np
from django.http import HttpRequest, HttpResponse
from ninja import Router
from torvix_core.air.standards import DEFINITIONS
from torvix_core.judging import representative_pull, sentences
from torvix_core.judging.effects import without_scatter
from torvix_core.pull.curve import shared_grid
from torvix_core.units import quantities
from torvix_core.units.checked import Array
from torvix_core.units.grammar import listed, plural

from curves.archive import exports
from curves.files.write import sheet_csv, sheet_xlsx
from curves.models import Reduced
from curves.reduction.inspection import derived_curves, engine_of
from curves.reduction.nature import Nature, nature_of
from programmes.plan.saving import plan_in_force
from shop.models import Person
from shop.permissions import is_person, units_of
from shop.refusals import Invalid
from verdicts.access import programme_of
from verdicts.comparison import aligned_pulls as comparisons
from verdicts.comparison import health
from verdicts.curves.schemas import (
    TEMPERATURES,
    CrossoverOut,
    Curves,
    Overlays,
    UnhealthyOut,
    allowance_out,
    lead_out,
    overlay_out,
    setup_curves_out,
    wording_out,
)
from verdicts.curves.service import drawn_curves, setups_table, torque_means
from verdicts.customer_report import chart
from verdicts.customer_report.chart import CHART_TYPES
from verdicts.judging import selection_criteria
from verdicts.judging.schemas import ChoiceIn

router = Router(tags=["curves of setups"])


@router.get("/programmes/{programme_id}/curves", response=Curves, operation_id="curves")
def read_curves(
    request: HttpRequest, programme_id: int, standard: str = "", school: str = "", reference: int = 0,
    counting: str = "",
) -> Curves:  # fmt: skip
    """Every setup's curve, and its difference to one of them: the baseline unless another is asked for."""
    assert is_person(request.user)
    programme = programme_of(request.user, programme_id)
    choice = ChoiceIn(standard=standard, school=school, counting=counting).read(programme)
    units = units_of(request.user)
    comparison = comparisons.compare(programme, choice.standard, choice.counting)
    effects = comparison.curves(choice.school)
    against = comparison.baseline
    if reference:
        places = [place for place, setup in enumerate(comparison.setups) if setup.pk == reference]
        if not places:
            raise Invalid("There is nothing to hold the curves against.", fields={"reference": "has no accepted pull"})
        against = places[0]
    out = _out(request.user, comparison)
    leads, crossovers = comparisons.strip(comparison, effects, out)
    torque, unit = torque_means(comparison, effects), units["torque"]

    def torque_at(speed_rpm: float, setup: int) -> float:
        return float(quantities.from_si(np.interp(speed_rpm, comparison.speed_rpm, torque[setup]), unit))

    notes = list(comparison.notes)
    if effects is None:
        notes.insert(0, f"No intervals: {without_scatter(comparison.layout)}.")
    elif choice.school is not representative_pull.School.MEAN:
        notes.insert(0, f"{representative_pull.LABELS[choice.school]} of each setup.")
    if comparison.counting is comparisons.Counting.FIRST:
        notes.insert(0, "First pulls after a change alone: they read high, and compare only among themselves.")
    if out:
        letters = listed([comparison.setups[place].letter for place in sorted(out)])
        notes.insert(
            0, f"{letters} may not be chosen, so {plural('it', len(out))} {plural('does', len(out))} not lead here."
        )
    return Curves(
        allowance=allowance_out(programme, units["power"]),
        standard=choice.standard,
        standard_label=DEFINITIONS[choice.standard].label,
        school=choice.school,
        counting=comparison.counting,
        torque_unit=unit,
        power_unit=units["power"],
        baseline_id=comparison.setups[comparison.baseline].pk,
        reference_id=comparison.setups[against].pk,
        speed_rpm=comparison.speed_rpm.tolist(),
        setups=[setup_curves_out(comparison, effects, at, against, units) for at in range(len(comparison.setups))],
        leads=[lead_out(comparison, lead, unit) for lead in leads],
        crossovers=[
            CrossoverOut(
                speed_rpm=cross.speed_rpm,
                half_width_rpm=cross.half_width_rpm,
                torque=torque_at(cross.speed_rpm, cross.before),
                before_id=comparison.setups[cross.before].pk,
                after_id=comparison.setups[cross.after].pk,
            )
            for cross in crossovers
        ],
        unhealthy=[
            UnhealthyOut(
                setup_id=comparison.setups[one.setup].pk,
                pull_id=one.pull_id,
                low_rpm=one.low_rpm,
                high_rpm=one.high_rpm,
                words=one.words(comparison.setups[one.setup].letter),
            )
            for one in health.unhealthy(comparison)
        ],
        sentences=list(filter(None, [sentences.strip_sentence(leads, wording_out(comparison, unit))])),
        notes=notes,
    )


def _out(person: Person, comparison: comparisons.Comparison) -> frozenset[int]:
    """Setups that may not be chosen do not lead, here as in the verdict."""
    programme = comparison.programme
    beside = selection_criteria.of_setups(plan_in_force(programme), programme, person)
    return selection_criteria.out_of_the_choice(comparison.setups, beside)


@router.get("/programmes/{programme_id}/overlays", response=Overlays, operation_id="overlays")
def read_overlays(request: HttpRequest, programme_id: int, standard: str = "", counting: str = "") -> Overlays:
    """Mixture, boost, filling, consumption and temperatures of each setup, as the mean of its kept pulls."""
    assert is_person(request.user)
    programme, units = programme_of(request.user, programme_id), units_of(request.user)
    choice = ChoiceIn(standard=standard, counting=counting).read(programme)
    comparison = comparisons.compare(programme, choice.standard, choice.counting)
    engines = {build.pk: engine_of(build) for build in {kept_pull.pull.build for kept_pull in comparison.kept}}
    grid, found = comparison.speed_rpm, dict[str, dict[int, list[Array]]]()
    for kept_pull in comparison.kept:
        reduced: Reduced = kept_pull.pull.reduced
        speed = np.array(reduced.speed_rpm)
        told = {
            name: values
            for name, values in derived_curves(kept_pull.pull, engines[kept_pull.pull.build_id]).items()
            if name != "power"
        }
        told |= {name: means[name] for means in (reduced.means,) for name in TEMPERATURES if name in means}
        for name, values in told.items():
            on_grid = shared_grid([speed, grid], [values, np.zeros(len(grid))])[1][0]
            found.setdefault(name, {}).setdefault(kept_pull.pull.setup_id, []).append(on_grid)
    return Overlays(speed_rpm=grid.tolist(), overlays=[overlay_out(name, each, units) for name, each in found.items()])


@router.get("/programmes/{programme_id}/setups.{kind}", operation_id="setups_file", response={200: None})
def setups_file(
    request: HttpRequest, programme_id: int, kind: str, standard: str = "", school: str = "", counting: str = ""
) -> HttpResponse:  # fmt: skip
    """The table of the setups' curves as CSV or XLSX."""
    assert is_person(request.user)
    programme = programme_of(request.user, programme_id)
    if kind not in exports.SHEET_TYPES and kind not in CHART_TYPES:
        kinds = ", ".join([*exports.SHEET_TYPES, *CHART_TYPES])
        raise Invalid("There is no such kind of file.", fields={"kind": f"one of {kinds}"})
    choice = ChoiceIn(standard=standard, school=school, counting=counting).read(programme)
    comparison = comparisons.compare(programme, choice.standard, choice.counting)
    effects, units = comparison.curves(choice.school), units_of(request.user)
    if kind in CHART_TYPES:
        leads, _ = comparisons.strip(comparison, effects, _out(request.user, comparison))
        drawn = drawn_curves(comparison, effects, leads, units)
        simulated = any(nature_of(one.pull) is Nature.SIMULATED for one in comparison.kept)
        made = chart.svg(drawn, simulated).encode() if kind == "svg" else chart.png(drawn, simulated)
        answer = HttpResponse(made, content_type=CHART_TYPES[kind])
    else:
        sheet = setups_table(comparison, effects, units)
        answer = HttpResponse(
            sheet_csv(sheet) if kind == "csv" else sheet_xlsx(sheet), content_type=exports.SHEET_TYPES[kind]
        )
    name = exports.file_name(programme.question, "setups", comparison.standard)
    answer["Content-Disposition"] = f'attachment; filename="{name}.{kind}"'
    answer["Cache-Control"] = "private, no-store"
    return answer
