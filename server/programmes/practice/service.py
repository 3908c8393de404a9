"""Makes a practice test: an engine and parts of its own, and a plan that is left to be improved."""

from __future__ import annotations

import secrets
from collections.abc import Collection
from datetime import datetime
from itertools import count

from django.db import transaction
from torvix_core.engine.dimensions import Slot

from engines.builds.service import describe_engine
from engines.models import Engine, Part
from engines.parts.service import PartFacts, add_part
from programmes.models import BoostPolicy, PracticeTest, PracticeTrait, Programme
from programmes.plan.plans import Plan, PlannedSetup, PlannedVisit, Sweep
from programmes.plan.saving import plan_programme
from programmes.settings.service import read_setting
from shop.models import Person, SimulatedEngine
from shop.permissions import require_operator, units_of
from shop.refusals import Invalid

BOOST = "setting:boost_target"
SIX = {
    "cycle": "4", "cylinders": "6", "bore": "86.6 mm", "stroke": "82.4 mm", "rod_length": "140 mm", "redline": "7200",
    "quoted_ratio": "10.4:1", "fuel": "premium_gasoline", "spark_advance": "31",
}  # fmt: skip
FOUR = {
    "cycle": "4", "cylinders": "4", "bore": "86 mm", "stroke": "86 mm", "rod_length": "139 mm", "redline": "7800",
    "quoted_ratio": "9.2:1", "fuel": "racing_gasoline", "spark_advance": "20", "mixture_target": "0.84",
    "boost_hardware": "Turbocharger, cooler, solenoid",
}  # fmt: skip
WINDOWS = {"oil_temperature": (353.15, 378.15), "coolant_temperature": (345.15, 363.15)}  # K
SWEEPS = {SimulatedEngine.SIX: (Sweep(2000, 6800, 350), (3000, 6500)),
          SimulatedEngine.FOUR: (Sweep(2400, 7200, 400), (3400, 6800))}  # fmt: skip
MOST_TRAITS = 4  # of a test that can still be decided in a day


@transaction.atomic
def make(person: Person, traits: Collection[str], at: datetime, seed: str = "", surprise: bool = False) -> Programme:
    """A test of three manifolds, with whatever makes it hard, or a draw of that. Invalid names the field.

    `seed` repeats a truth.
    """
    require_operator(person)
    wanted = _drawn() if surprise else list(dict.fromkeys(traits))
    if not set(wanted) <= set(PracticeTrait.values) or len(wanted) > MOST_TRAITS:
        raise Invalid("So a test cannot be made.", fields={"traits": f"choose at most {MOST_TRAITS} of the list"})
    boosted = PracticeTrait.BOOST_MISS in wanted
    engine = SimulatedEngine.FOUR if boosted else SimulatedEngine.SIX
    name = _free_name()
    build = describe_engine(person, at, f"{name} engine", FOUR if boosted else SIX)
    manifolds = [_part(person, at, Slot.INTAKE_MANIFOLD, f"{name} manifold {letter}") for letter in "ABC"]
    headers: list[Part] = []
    if PracticeTrait.CONFOUNDED in wanted:
        headers = [_part(person, at, Slot.HEADER, f"{name} header {which}") for which in "12"]
    boost = {BOOST: read_setting(BOOST, "0.8 bar", units_of(person))} if boosted else {}
    # The last setup has another header, too: whoever plans may separate the two.
    beside = [headers[:1], headers[:1], headers[1:]]
    setups = [
        PlannedSetup(f"Manifold {letter}", [part, *header], boost, pulls=2)
        for letter, part, header in zip("ABC", manifolds, beside, strict=True)
    ]
    sweep, range_rpm = SWEEPS[engine]
    plan = Plan(
        question=f"{name}: which manifold?", setups=setups, order=[PlannedVisit(place, 2) for place in range(3)],
        sweep=sweep, range_rpm=range_rpm, windows=WINDOWS, boost_policy=BoostPolicy.EQUAL_BOOST if boosted else "",
        answers_change="Nothing but your score. Improve the plan before you run it: returns, pulls, setups.",
    )  # fmt: skip
    programme = plan_programme(person, at, build, plan)
    # Nobody takes them for real ones in a list; the plan of the test itself goes on offering them.
    Engine.objects.filter(pk=build.engine_id).update(archived_at=at)
    Part.objects.filter(pk__in=[part.pk for part in (*manifolds, *headers)]).update(archived_at=at)
    PracticeTest.objects.create(
        programme=programme, engine=engine, seed=seed or secrets.token_hex(8), traits=wanted, is_surprise=surprise,
        made_by=person, made_at=at,
    )  # fmt: skip
    return programme


def _free_name() -> str:
    """The next number of which no engine is left, also not of a practice test that was deleted."""
    taken = set(Engine.objects.filter(name__startswith="Practice ").values_list("name", flat=True))
    numbers = (f"Practice {number}" for number in count(PracticeTest.objects.count() + 1))
    return next(name for name in numbers if f"{name} engine" not in taken)


def _drawn() -> list[str]:
    """Up to three that show in what is measured; what shows in the plan would be no surprise."""
    dice = secrets.SystemRandom()
    seen = (PracticeTrait.CONFOUNDED, PracticeTrait.BOOST_MISS)
    return dice.sample([trait.value for trait in PracticeTrait if trait not in seen], dice.randint(0, 3))


def _part(person: Person, at: datetime, slot: Slot, name: str) -> Part:
    return add_part(person, at, slot, PartFacts(name, notes="Of a practice test; there is no such part."), {})
