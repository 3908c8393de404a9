"""A plan as values: what a draft is read into, what the tables are written from, and what the planner computes with."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from decimal import Decimal
from typing import TYPE_CHECKING

from torvix_core.air.standards import BoostSchool, Standard
from torvix_core.engine import fuel
from torvix_core.engine.dimensions import STACK_ORDER, Slot
from torvix_core.engine.fuel import Fuel, FuelNeed
from torvix_core.engine.settings import IDLE_ITEMS, MIXTURE_ITEMS, SETTINGS
from torvix_core.judging import design
from torvix_core.planning import changeover
from torvix_core.planning.changeover import Work
from torvix_core.planning.day_plan import OrderPlace, OrderProblem, Paid, Task, Visit

from engines.models import Build, Part
from engines.sheet import sheets
from programmes.models import BoostPolicy, Candidate, MixturePolicy, Place, ProgrammeKind, TuneRule, letter_of

if TYPE_CHECKING:
    from programmes.models import Programme

LITRE = 1e-3  # m³
SETTING, OWN = "setting:", "own:"


@dataclass(frozen=True)
class Row:
    """A row of the matrix: a slot, a known setting, or something of somebody's own, and what changing it takes."""

    key: str
    label: str
    work: Work


@dataclass(frozen=True)
class SettingValue:
    """As it was typed, and in SI where it is a quantity."""

    text: str
    value: float | None = None


@dataclass(frozen=True)
class PlannedSetup:
    """A column of the matrix. `based_on` is the place of another setup in the plan."""

    name: str
    parts: Sequence[Part] = ()
    settings: Mapping[str, SettingValue] = field(default_factory=dict)
    pk: int | None = None
    position: int = 0
    pulls: int = 3
    visits: int = 1
    place: str = Place.FREE
    available_at: datetime | None = None
    candidate: str = Candidate.IN
    reason: str = ""
    based_on: int | None = None
    pulled: bool = False
    protected: bool = False  # the question is about it

    @property
    def letter(self) -> str:
        return letter_of(self.position)

    @property
    def is_in(self) -> bool:
        return self.candidate == Candidate.IN

    def levels(self) -> dict[str, str]:
        """What it has in each row; several parts in one slot are one level."""
        found: dict[str, list[str]] = {}
        for part in sorted(self.parts, key=lambda part: (part.slot, part.name)):
            found.setdefault(part.slot, []).append(part.name)
        return {slot: " with ".join(names) for slot, names in found.items()} | {
            key: setting.text for key, setting in self.settings.items()
        }


@dataclass(frozen=True)
class PlannedVisit:
    """A visit of the running order: the place of a setup in the plan, and pulls that count."""

    setup: int
    pulls: int
    session: int = 0
    pk: int | None = None


@dataclass(frozen=True)
class PlannedStretch:
    starts_at: datetime
    paid_min: float | None = None


CHECK_MIN = 1.0  # of a check pass, from arming to reading it [prac]
CHECK_BURNS = 0.25  # of a pull's fuel [prac]
PROTECTED_WORTH = 1000  # above every setup that may fall off


@dataclass(frozen=True)
class Times:
    """What a day takes: minutes, pulls, m³ of fuel, and the price of an hour. None: estimated, or no limit."""

    warm_up_min: float = 20.0
    pull_min: float = 2.0
    cool_down_min: float = 2.0
    conditioning_pulls: int = 1
    return_every: int = 3
    return_pulls: int = 2
    fuel_available: float | None = None
    fuel_pull: float | None = None
    fuel_warm_up: float | None = None
    hour_price: Decimal | None = None
    tuning_min: float = 0.0  # of a setup at its first visit
    check_pass_first: bool = False

    @property
    def one_pull_min(self) -> float:
        return self.pull_min + self.cool_down_min

    def visit_min(self, pulls: int, *, first: bool) -> float:
        """A visit with so many pulls that count; the first of a setup has the time to tune it."""
        check = CHECK_MIN if self.check_pass_first else 0.0
        return check + (self.tuning_min if first else 0.0) + (self.conditioning_pulls + pulls) * self.one_pull_min

    def pulls_burned(self, pulls: int) -> float:
        """Whole pulls' worth of fuel of a visit with so many that count."""
        return self.conditioning_pulls + pulls + (CHECK_BURNS if self.check_pass_first else 0.0)


@dataclass(frozen=True)
class Objective:
    """What the engine is for, and what a setup must keep. Length in m."""

    preset: str = "even"
    points: Sequence[tuple[float, float]] = ()
    height_limit: float | None = None
    must_look_stock: bool = False
    cost_ceiling: Decimal | None = None
    fixed_slots: Sequence[str] = ()  # whose parts the customer keeps: as in the baseline


@dataclass(frozen=True)
class Sweep:
    start_rpm: float
    end_rpm: float
    rate_rpm_s: float

    @property
    def seconds(self) -> float:
        return (self.end_rpm - self.start_rpm) / self.rate_rpm_s


@dataclass(frozen=True)
class Plan:
    question: str
    setups: Sequence[PlannedSetup]
    order: Sequence[PlannedVisit]
    sweep: Sweep
    range_rpm: tuple[float, float]
    windows: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    rows: Sequence[Row] = ()
    sessions: Sequence[PlannedStretch] = ()
    times: Times = field(default_factory=Times)
    objective: Objective = field(default_factory=Objective)
    standard: str = Standard.ISO_1585_SI
    boost_school: str = BoostSchool.UNBLOWN
    kind: str = ProgrammeKind.COMPARISON
    answers_change: str = ""
    held_constant: str = ""
    mixture_policy: str = MixturePolicy.MATCHED
    tune_rule: str = TuneRule.LAST_MATCHED
    boost_policy: str = BoostPolicy.NONE
    stand_in: str = ""
    extension_rpm: float = 0.0
    smallest_difference: float = 0.003

    @property
    def active(self) -> list[int]:
        """Places of the setups that are in the plan, the baseline first."""
        return [place for place, setup in enumerate(self.setups) if setup.is_in]

    def levels(self) -> list[dict[str, str]]:
        return [setup.levels() for setup in self.setups]

    def factors(self, setup: PlannedSetup) -> dict[str, str]:
        """What of a setup is compared: where every setup is brought to one mixture, its jets are not."""
        nuisance = IDLE_ITEMS | (MIXTURE_ITEMS if self.mixture_policy == MixturePolicy.MATCHED else frozenset())
        return {key: level for key, level in setup.levels().items() if key.removeprefix(SETTING) not in nuisance}

    def works(self) -> dict[str, Work]:
        """What each row takes: the plan's own, else the usual."""
        return changeover.usual_works() | {row.key: row.work for row in self.rows}

    def used_rows(self) -> list[str]:
        """Keys of the rows in which any setup has something, slots from the head outwards, then the settings."""
        present = {key for levels in self.levels() for key in levels}
        slots = [str(slot) for slot in STACK_ORDER if slot in present]
        return [*slots, *sorted(key for key in present if key not in slots)]

    def held(self) -> list[tuple[str, str]]:
        """Rows in which all setups of the plan have the same: what is held constant without anybody saying so."""
        levels = [self.setups[place].levels() for place in self.active]
        held = []
        for key in self.used_rows():
            values = {level.get(key, "") for level in levels}
            if len(values) == 1 and (value := values.pop()):
                held.append((self.label(key), value))
        return held

    def label(self, key: str) -> str:
        return next((row.label for row in self.rows if row.key == key), row_label(key))


def row_label(key: str) -> str:
    """What a row is called: a slot's or a setting's name, or what somebody called it."""
    if key.startswith(SETTING):
        return next((known.label for known in SETTINGS if known.key == key.removeprefix(SETTING)), key)
    if key.startswith(OWN):
        return key.removeprefix(OWN)
    return Slot(key).label if key in list(Slot) else key


def usual_row(key: str) -> Row:
    return Row(key, row_label(key), changeover.usual_works().get(key, Work(0, 5)))


def fuel_need(times: Times, sweep: Sweep, build: Build) -> tuple[FuelNeed | None, str]:
    """What a pull and a warm-up burn, and where the figure comes from; None where nothing tells the power."""
    given = times.fuel_pull, times.fuel_warm_up
    power = sheets.value(build, "target_power")
    named = sheets.word(build, "fuel") or Fuel.PUMP_GASOLINE
    if power is None or times.warm_up_min <= 0:
        if given[0] is None:
            return None, "The build sheet has no target power: type what a pull burns."
        return FuelNeed(given[0], given[1] or 0.0), "as typed"
    estimate = fuel.fuel_need(Fuel(named), power, sweep.seconds, times.warm_up_min * 60,
                              times.cool_down_min * 60)  # fmt: skip
    need = FuelNeed(estimate.pull if given[0] is None else given[0], estimate.warm_up if given[1] is None else given[1])
    told = "estimated from the target power and common consumption" if None in given else "as typed"
    return need, told


def origin(plan: Plan) -> datetime | None:
    """When the clock of the plan begins: the first session's start."""
    return plan.sessions[0].starts_at if plan.sessions else None


def problem(plan: Plan, need: FuelNeed | None) -> OrderProblem:
    """The plan as the order search sees it: setups in it alone, minutes from the first session, fuel in litres."""
    active, begin, times = plan.active, origin(plan), plan.times
    levels = [plan.setups[place].levels() for place in active]
    first_to_drop = design.drop_order([plan.factors(plan.setups[place]) for place in active])
    worth = {index: rank for rank, index in enumerate(first_to_drop)}
    pull_l = need.pull / LITRE if need else 0.0

    def minutes(at: datetime | None) -> float:
        return 0.0 if at is None or begin is None else max(0.0, (at - begin).total_seconds() / 60)

    def fuel_of(pulls: int) -> float:
        return times.pulls_burned(pulls) * pull_l

    tasks = []
    for index, place in enumerate(active):
        setup = plan.setups[place]
        base = setup.based_on if plan.kind == ProgrammeKind.STEPWISE else None
        tasks.append(Task(
            visit_min=times.visit_min(setup.pulls, first=True), visits=setup.visits, fuel=fuel_of(setup.pulls),
            worth=worth.get(index, 0) + PROTECTED_WORTH * setup.protected,
            place=OrderPlace(setup.place), available_min=minutes(setup.available_at),
            after=active.index(base) if base in active and base != active[0] else None,
        ))  # fmt: skip
    sessions = [
        Paid(minutes(session.starts_at), float("inf") if session.paid_min is None else session.paid_min)
        for session in plan.sessions
    ]
    limit = times.fuel_available
    return OrderProblem(
        change_min=changeover.matrix(levels, plan.works()), tasks=tuple(tasks), return_every=times.return_every,
        opening_min=times.visit_min(plan.setups[active[0]].pulls, first=True),
        return_min=times.visit_min(times.return_pulls, first=False),
        warm_up_min=times.warm_up_min, sessions=tuple(sessions) or (Paid(),),
        fuel=float("inf") if limit is None or need is None else limit / LITRE,
        fuel_warm_up=need.warm_up / LITRE if need else 0.0,
        fuel_opening=fuel_of(plan.setups[active[0]].pulls), fuel_return=fuel_of(times.return_pulls),
    )  # fmt: skip


def visits_of(plan: Plan, need: FuelNeed | None) -> list[Visit]:
    """The plan's own order as the planner sees it, each visit with the pulls that were planned for it."""
    active, pull_l = plan.active, need.pull / LITRE if need else 0.0
    order = [one for one in plan.order if one.setup in active]
    first = {one.setup: place for place, one in reversed(list(enumerate(order)))}
    return [
        Visit(active.index(one.setup), one.session, plan.times.visit_min(one.pulls, first=first[one.setup] == place),
              plan.times.pulls_burned(one.pulls) * pull_l)
        for place, one in enumerate(order)
    ]  # fmt: skip


def times_of(programme: Programme) -> Times:
    rules = programme.day_rules
    return Times(
        rules.warm_up_min,
        rules.pull_min,
        rules.cool_down_min,
        rules.conditioning_pulls,
        rules.return_every,
        rules.return_pulls,
        rules.fuel_available,
        rules.fuel_pull,
        rules.fuel_warm_up,
        rules.hour_price,
        rules.tuning_min,
        rules.check_pass_first,
    )


def of_programme(programme: Programme) -> Plan:
    """The plan in force. Reads setups with parts and settings, steps, works, sessions, windows and the day's rules."""
    rows = list(programme.setups.all())
    place_of = {setup.pk: place for place, setup in enumerate(rows)}
    setups = [
        PlannedSetup(
            name=setup.name, parts=list(setup.parts.all()), pk=setup.pk, position=setup.position,
            settings={setting.key: SettingValue(setting.text, setting.value) for setting in setup.settings.all()},
            pulls=setup.planned_pulls, visits=setup.visits, place=setup.place, available_at=setup.available_at,
            candidate=setup.candidate, reason=setup.candidate_reason, pulled=setup.pulled,
            based_on=place_of.get(setup.based_on_id) if setup.based_on_id else None,
            protected=setup.protected,
        )
        for setup in rows
    ]  # fmt: skip
    return Plan(
        question=programme.question,
        setups=setups,
        order=[
            PlannedVisit(place_of[step.setup_id], step.pulls, step.session, step.pk) for step in programme.steps.all()
        ],
        sweep=Sweep(programme.sweep_start_rpm, programme.sweep_end_rpm, programme.sweep_rate_rpm_s),
        range_rpm=(programme.low_rpm, programme.high_rpm),
        windows={window.channel: (window.low, window.high) for window in programme.windows.all()},
        rows=[
            Row(work.key, work.label, Work(work.remove_min, work.install_min, tuple(work.under)))
            for work in programme.works.all()
        ],
        sessions=[
            PlannedStretch(planned_session.starts_at, planned_session.paid_min)
            for planned_session in programme.planned_sessions.all()
        ],
        times=times_of(programme),
        objective=Objective(
            programme.duty.get("preset", "even"),
            [(point[0], point[1]) for point in programme.duty.get("points", [])],
            programme.height_limit,
            programme.must_look_stock,
            programme.cost_ceiling,
            list(programme.fixed_slots),
        ),
        standard=programme.standard,
        boost_school=programme.boost_school,
        kind=programme.kind,
        answers_change=programme.answers_change,
        held_constant=programme.held_constant,
        mixture_policy=programme.mixture_policy,
        tune_rule=programme.tune_rule,
        boost_policy=programme.boost_policy,
        stand_in=programme.stand_in,
        extension_rpm=programme.extension_rpm,
        smallest_difference=programme.smallest_difference,
    )


PLAN_ROWS = (
    "setups__parts__readings", "setups__settings", "steps", "works", "planned_sessions", "windows",
)  # fmt: skip
