"""A draft as it comes from the browser and goes back to it, and what a plan shows."""

from __future__ import annotations

from datetime import datetime

from torvix_core.units.quantities import from_si

from programmes.order.orders import LaidOutOrder
from programmes.plan import form_numbers
from programmes.plan.drafts import Draft, DraftRow, DraftSession, DraftSetup, DraftVisit
from programmes.plan.plans import Plan
from shop.models import Person
from shop.permissions import units_of
from shop.schema import Schema


class DraftSetupIn(Schema):
    """A column of the matrix. `id` is empty for one that is new; `settings` by key of the row."""

    id: int | None = None
    position: int | None = None
    name: str
    part_ids: list[int] = []
    settings: dict[str, str] = {}
    pulls: str = "3"
    visits: str = "1"
    place: str = ""
    available_at: datetime | None = None
    candidate: str = "in"
    reason: str = ""
    based_on: int | None = None
    protected: bool = False


class DraftVisitIn(Schema):
    id: int | None = None
    setup: int
    pulls: str
    session: int = 0


class DraftRowIn(Schema):
    key: str
    remove: str
    install: str
    under: list[str] = []


class DraftSessionIn(Schema):
    starts_at: datetime
    paid: str = ""


class DraftIn(Schema):
    """A plan as typed; the first setup is the baseline. Places of setups and sessions count from nought."""

    build_id: int
    question: str
    setups: list[DraftSetupIn]
    order: list[DraftVisitIn]
    texts: dict[str, str]
    words: dict[str, str] = {}
    rows: list[DraftRowIn] = []
    sessions: list[DraftSessionIn] = []
    standard: str
    boost_school: str = "unblown"
    kind: str = "comparison"
    mixture_policy: str = "matched"
    tune_rule: str = "last_matched"
    boost_policy: str = ""
    duty: str = "even"
    points: list[list[float]] = []
    must_look_stock: bool = False
    fixed_slots: list[str] = []
    check_pass_first: bool = False

    def draft(self) -> Draft:
        return Draft(
            question=self.question, texts=self.texts, words=self.words, standard=self.standard,
            boost_school=self.boost_school, kind=self.kind, mixture_policy=self.mixture_policy,
            tune_rule=self.tune_rule, boost_policy=self.boost_policy, duty=self.duty, points=self.points,
            must_look_stock=self.must_look_stock, fixed_slots=self.fixed_slots, check_pass_first=self.check_pass_first,
            setups=[
                DraftSetup(setup.name, setup.part_ids, setup.settings, setup.id, setup.pulls, setup.visits, setup.place,
                           setup.available_at, setup.candidate, setup.reason, setup.based_on, setup.position,
                           setup.protected)
                for setup in self.setups
            ],
            order=[DraftVisit(one.setup, one.pulls, one.session, one.id) for one in self.order],
            rows=[DraftRow(row.key, row.remove, row.install, row.under) for row in self.rows],
            sessions=[DraftSession(session.starts_at, session.paid) for session in self.sessions],
        )  # fmt: skip


def draft_out(plan: Plan, build_id: int, person: Person) -> DraftIn:
    """A plan as the form shows it."""
    return DraftIn(
        build_id=build_id, question=plan.question, texts=form_numbers.texts_of(plan, person),
        words={"answers_change": plan.answers_change, "held_constant": plan.held_constant, "stand_in": plan.stand_in},
        setups=[
            DraftSetupIn(
                id=setup.pk, position=setup.position, name=setup.name, part_ids=[part.pk for part in setup.parts],
                settings={key: setting.text for key, setting in setup.settings.items()}, pulls=str(setup.pulls),
                visits=str(setup.visits), place=setup.place, available_at=setup.available_at, candidate=setup.candidate,
                reason=setup.reason, based_on=setup.based_on, protected=setup.protected,
            )
            for setup in plan.setups
        ],
        order=[DraftVisitIn(id=one.pk, setup=one.setup, pulls=str(one.pulls), session=one.session)
               for one in plan.order],
        rows=[DraftRowIn(key=row.key, remove=form_numbers.shown(row.work.remove_min),
                         install=form_numbers.shown(row.work.install_min), under=list(row.work.under))
              for row in plan.rows],
        sessions=[DraftSessionIn(starts_at=session.starts_at,
                                 paid="" if session.paid_min is None else f"{form_numbers.shown(session.paid_min)} min")
                  for session in plan.sessions],
        standard=plan.standard, boost_school=plan.boost_school, kind=plan.kind, mixture_policy=plan.mixture_policy,
        tune_rule=plan.tune_rule, boost_policy=plan.boost_policy, duty=plan.objective.preset,
        points=[list(point) for point in plan.objective.points], must_look_stock=plan.objective.must_look_stock,
        fixed_slots=list(plan.objective.fixed_slots),
        check_pass_first=plan.times.check_pass_first,
    )  # fmt: skip


class AnswerOut(Schema):
    """A question that the setups raise, in words, and how it stands."""

    question: str
    standing: str
    answer: str


class HeldOut(Schema):
    label: str
    level: str


class FailingOut(Schema):
    """What a setup does not keep of the plan's limits; `setup` is its place in the plan."""

    setup: int
    reasons: list[str]


class StretchOut(Schema):
    """A block of the day. Times are minutes from its beginning, and on the clock where a session has one."""

    doing: str
    session: int
    starts_at: datetime | None
    start_min: float
    end_min: float
    setup: int
    visit: int
    previous: int | None
    unpaid: bool
    touched: list[str]


class DayPlanOut(Schema):
    """The order of a plan on the clock, what it takes, and what it breaks."""

    stretches: list[StretchOut]
    total_min: float
    finishes_at: datetime | None
    waited_min: float
    fuel: float | None
    fuel_available: float | None
    fuel_unit: str
    fuel_basis: str
    fuel_pull: float | None
    price: float | None
    paid_min: list[float | None]
    broken: list[str]
    missing: list[int]


def day_out(plan: Plan, laid: LaidOutOrder, fuel_pull: float | None, person: Person) -> DayPlanOut:
    unit = units_of(person)["fuel"]

    def volume(value: float | None) -> float | None:
        return None if value is None else float(from_si(value, unit))

    return DayPlanOut(
        stretches=[
            StretchOut(
                doing=stretch.doing,
                session=stretch.session,
                starts_at=stretch.starts_at,
                start_min=stretch.start_min,
                end_min=stretch.end_min,
                setup=stretch.setup,
                visit=stretch.visit,
                previous=stretch.previous,
                unpaid=stretch.unpaid,
                touched=list(stretch.touched),
            )
            for stretch in laid.stretches
        ],
        total_min=laid.total_min,
        finishes_at=laid.finishes_at,
        waited_min=laid.waited_min,
        fuel=volume(laid.fuel),
        fuel_available=volume(plan.times.fuel_available),
        fuel_unit=unit,
        fuel_basis=laid.fuel_basis,
        fuel_pull=volume(fuel_pull),
        price=laid.price,
        paid_min=[session.paid_min for session in plan.sessions],
        broken=list(laid.broken),
        missing=list(laid.missing),
    )


class CostOut(Schema):
    """What a setup's new parts cost, and of which parts nobody here knows the price."""

    setup: int
    price: float
    unknown: list[str]


class EmptyCellOut(Schema):
    """A cell of a grid that no setup fills; `levels` is what its setup would have in each row."""

    name: str
    levels: dict[str, str]


class PlanGridOut(Schema):
    sentence: str
    empty: list[EmptyCellOut]


class PlanSummary(Schema):
    """What a plan says of itself: what its setups can tell, what is held, what fails, the day. `fields` are slips."""

    fields: dict[str, str]
    letters: list[str]
    labels: dict[str, str]
    answers: list[AnswerOut]
    addition: str
    added: dict[str, str] | None
    copies: list[str]
    derived: list[str]
    grid: PlanGridOut | None
    held: list[HeldOut]
    failing: list[FailingOut]
    costs: list[CostOut]
    warnings: list[str]
    duty_points: list[list[float]]
    day: DayPlanOut | None
    day_problem: str
    live: bool


class VersionOut(Schema):
    number: int
    made_at: datetime
    made_by: str
    used_at: datetime | None
    changes: list[str]


class PlanOut(Schema):
    """A plan in force: as the form shows it, what it says, and the versions it went through."""

    draft: DraftIn
    summary: PlanSummary
    pulled: list[bool]
    positions: list[int]
    visits_pulled: list[int]
    versions: list[VersionOut]
