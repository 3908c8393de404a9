"""A gain that is more than the kind of part usually brings: believed only after with, without and with again."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from torvix_core.engine.dimensions import Slot

from programmes.plan.plans import Plan
from verdicts.judging.service import Judgment

# Share of the average torque that a change of such a part alone seldom exceeds, either way [prac]
SELDOM_MORE = {
    Slot.GASKET: 0.015, Slot.ADAPTER: 0.02, Slot.SPACER: 0.03, Slot.AIR_CLEANER: 0.03, Slot.CARBURETOR: 0.06,
    Slot.THROTTLE_BODY: 0.06, Slot.HEADER: 0.08, Slot.INTAKE_MANIFOLD: 0.12, Slot.UPPER_INTAKE: 0.10,
    Slot.LOWER_INTAKE: 0.10, Slot.CYLINDER_HEAD: 0.25, Slot.CAMSHAFT: 0.25,
}  # fmt: skip


def sentences(judged: Judgment, plan: Plan) -> Iterator[str]:
    """Of each setup that differs from the baseline in one kind of part and by more than that usually brings."""
    compared, base = judged.comparison, judged.comparison.baseline
    levels = {setup.pk: setup.levels() for setup in plan.setups if setup.pk is not None}
    of_base = levels.get(compared.setups[base].pk, {})
    for placing in judged.placings:
        setup, found = compared.setups[placing.setup], placing.to_baseline
        if found is None:
            continue
        own = levels.get(setup.pk, {})
        differ = [key for key in {**of_base, **own} if own.get(key) != of_base.get(key)]
        if len(differ) != 1 or differ[0] not in list(Slot):
            continue
        most = SELDOM_MORE.get(Slot(differ[0]))
        if most is None or abs(float(found.change)) <= most or _went_back_and_forth(judged, placing.setup):
            continue
        part = Slot(differ[0]).label.lower()
        gain = f"{float(found.change) * 100:+.1f} %".replace("-", "−")
        yield (
            f"{setup.letter} against {compared.setups[base].letter}: {gain} is more than a change of {part} alone "
            f"usually brings ({most * 100:.1f} %, common practice). Pull with, without and with it again before you "
            "believe it."
        )


def _went_back_and_forth(judged: Judgment, setup: int) -> bool:
    """Whether the setup was visited twice with the baseline between."""
    layout, base = judged.comparison.layout, judged.comparison.baseline
    visits: Sequence[int] = [
        one for before, one in zip([-1, *layout.setup.tolist()], layout.setup.tolist(), strict=False) if one != before
    ]
    places = [at for at, one in enumerate(visits) if one == setup]
    return len(places) > 1 and base in visits[places[0] : places[-1]]
