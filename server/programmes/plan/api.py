"""Plans: written, checked while they are written, changed, ordered, laid out."""

from __future__ import annotations

from dataclasses import asdict

from django.db.models import Exists, OuterRef, Q, QuerySet
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router
from torvix_core.air.standards import BOOST_SCHOOLS

from engines.models import Build, Engine
from jobs import service as jobs
from jobs.schemas import JobOut, job_out
from programmes.expectations import service as expectations
from programmes.listing.access import readable
from programmes.listing.schemas import ProgrammeOut, programme_out
from programmes.models import BoostPolicy, Candidate, MixturePolicy, Place, Programme, ProgrammeKind, Setup, TuneRule
from programmes.order import orders
from programmes.plan import (
    changeover_times,
    drafts,
    form_numbers,
    plans,
    saving,
    templates,
    tuning_times,
    version_changes,
)
from programmes.plan import messages as plan_messages
from programmes.plan.on_paper import EngineOnPaper, on_paper
from programmes.plan.open_tests import open_tests
from programmes.plan.schemas import DraftIn, PlanOut, PlanSummary, VersionOut, draft_out
from shop.models import Person
from shop.permissions import person_of, require_operator, units_of
from shop.refusals import Invalid
from shop.schema import Schema

router = Router(tags=["plans"])
MOST_PROGRAMMES = 30  # whose setups not pulled are listed, the newest; how many more there are is said


class PlanChoice(Schema):
    value: str
    label: str
    meaning: str = ""


class WorkOut(Schema):
    """Minutes of a row; `timed` is on how many changes by the stopwatch they rest, 0 for common practice."""

    key: str
    remove: str
    install: str
    under: list[str]
    timed: int


class UsualTuningOut(Schema):
    """How long tuning a setup took here, by what sets its mixture, and of how many visits it is the median."""

    label: str
    minutes: float
    visits: int


class PlanChoices(Schema):
    """What can be chosen in a plan."""

    settings: list[PlanChoice]
    duties: list[PlanChoice]
    kinds: list[PlanChoice]
    boost_schools: list[PlanChoice]
    mixture_policies: list[PlanChoice]
    tune_rules: list[PlanChoice]
    boost_policies: list[PlanChoice]
    places: list[PlanChoice]
    candidates: list[PlanChoice]
    templates: list[PlanChoice]
    works: list[WorkOut]
    tuning: list[UsualTuningOut]


class OpenTestOut(Schema):
    """A setup that nobody has pulled: why, what is expected of it, and what it takes to do it."""

    programme_id: int
    question: str
    setup_id: int
    letter: str
    position: int
    name: str
    why: str
    expected: list[str]
    minutes: float
    price: float | None


class OpenTestsOut(Schema):
    """`older`: how many tests more have setups that nobody pulled."""

    rows: list[OpenTestOut]
    older: int


class SetupOnPaperOut(Schema):
    """By the place of the setup in the plan; sentences in the reader's units."""

    place: int
    differs: list[str]
    moved: list[str]
    unknown: list[str]
    cautions: list[str]


class FigureRowOut(Schema):
    """A figure that is not the same for all setups, by setup; empty where it is not known."""

    label: str
    texts: list[str]


class OnPaperOut(Schema):
    rows: list[FigureRowOut]
    setups: list[SetupOnPaperOut]


class TemplateIn(Schema):
    """A template applied to a draft; `setup` is the one it is about."""

    template: str
    setup: int = 0
    draft: DraftIn


def _build(person: Person, build_id: int) -> Build:
    seen = Build.objects.select_related("engine").filter(engine__in=Engine.objects.visible_to(person))
    return get_object_or_404(seen.prefetch_related("readings"), pk=build_id)


def _planned(person: Person) -> QuerySet[Programme]:
    seen = Programme.objects.visible_to(person).select_related("build__engine", "day_rules")
    return seen.prefetch_related(*plans.PLAN_ROWS, "versions__made_by", "build__readings")


def _choices(pairs: list[tuple[str, str]]) -> list[PlanChoice]:
    return [PlanChoice(value=value, label=label) for value, label in pairs]


def _explained(known: list[tuple[str, str, str]]) -> list[PlanChoice]:
    return [PlanChoice(value=value, label=label, meaning=meaning) for value, label, meaning in known]


@router.get("/plan-choices", response=PlanChoices, operation_id="plan_choices")
def read_choices(request: HttpRequest) -> PlanChoices:
    return PlanChoices(
        settings=_explained(plan_messages.settings_known()),
        duties=_explained(plan_messages.duties_known()),
        kinds=_choices(ProgrammeKind.choices),
        boost_schools=[PlanChoice(value=school, label=label) for school, label in BOOST_SCHOOLS.items()],
        mixture_policies=_choices(MixturePolicy.choices), tune_rules=_choices(TuneRule.choices),
        boost_policies=_choices(BoostPolicy.choices),
        places=_choices(Place.choices), candidates=_choices(Candidate.choices),
        templates=[PlanChoice(value=one.key, label=one.label, meaning=one.meaning) for one in templates.TEMPLATES],
        works=[
            WorkOut(key=key, remove=form_numbers.shown(known.work.remove_min),
                    install=form_numbers.shown(known.work.install_min), under=list(known.work.under),
                    timed=known.changes)
            for key, known in changeover_times.works().items()
        ],
        tuning=[
            UsualTuningOut(label=fuel_by.label, minutes=known.minutes, visits=known.visits)
            for fuel_by, known in tuning_times.usual().items()
        ],
    )  # fmt: skip


@router.get("/open-tests", response=OpenTestsOut, operation_id="open_tests")
def read_open_tests(request: HttpRequest, programme_id: int | None = None) -> OpenTestsOut:
    """What nobody has pulled yet, of one programme or of the newest ones that have such setups."""
    person = person_of(request)
    seen = _planned(person).prefetch_related("setups__expectations__written_by")
    unpulled = Setup.objects.filter(programme=OuterRef("pk"), pulled=False).exclude(candidate=Candidate.INELIGIBLE)
    wanted = Q(archived_at=None) if programme_id is None else Q(pk=programme_id)
    seen = seen.filter(wanted, Exists(unpulled))
    rows = [
        OpenTestOut(
            programme_id=one.programme.pk, question=one.programme.question, setup_id=one.setup_id, letter=one.letter,
            position=one.position, name=one.name, why=one.why, minutes=one.minutes, price=one.price,
            expected=[
                f"{held.get_measure_display()}: {expectations.words(held)} ({held.written_by})"
                for held in one.expected
            ],
        )
        for programme in seen[:MOST_PROGRAMMES]
        for one in open_tests(programme)
    ]  # fmt: skip
    return OpenTestsOut(rows=rows, older=max(seen.count() - MOST_PROGRAMMES, 0))


@router.post("/plans", response=ProgrammeOut, operation_id="plan_programme")
def plan_programme(request: HttpRequest, given: DraftIn) -> ProgrammeOut:
    person = person_of(request)
    require_operator(person)
    build = _build(person, given.build_id)
    plan = drafts.read_or_refuse(given.draft(), person)
    made = saving.plan_programme(person, timezone.now(), build, plan)
    return programme_out(readable(person).get(pk=made.pk))


@router.post("/plans/check", response=PlanSummary, operation_id="check_plan")
def check_plan(request: HttpRequest, given: DraftIn) -> PlanSummary:
    """What a draft says of itself while it is written; what cannot be read yet is named by field."""
    person = person_of(request)
    build = _build(person, given.build_id)
    plan, wrong = drafts.read(given.draft(), person)
    return plan_messages.plan_summary(plan, build, person, wrong)


@router.post("/plans/on-paper", response=OnPaperOut, operation_id="draft_on_paper")
def draft_on_paper(request: HttpRequest, given: DraftIn) -> OnPaperOut:
    """The engine on paper with each setup of a draft, while it is written."""
    person = person_of(request)
    plan, _ = drafts.read(given.draft(), person)
    return _on_paper_out(on_paper(plan, _sheet_build(person, given.build_id), units_of(person)))


@router.post("/plans/order", response=JobOut, operation_id="find_order")
def find_order(request: HttpRequest, given: DraftIn) -> JobOut:
    """Have the best running order searched for; the answer is a job."""
    person = person_of(request)
    require_operator(person)
    build = _build(person, given.build_id)
    plan, _ = drafts.read(given.draft(), person)
    if not plan.setups:
        raise Invalid("There is nothing to order yet.", fields={"setups": "add the setups first"})
    asked = orders.arguments(plan, build)
    about = plan.question or str(build.engine)
    return job_out(jobs.ask(person, orders.KIND, f"build {build.pk}", asked, timezone.now(), about=about))


@router.post("/plans/template", response=DraftIn, operation_id="apply_template")
def apply_template(request: HttpRequest, given: TemplateIn) -> DraftIn:
    """A draft with the order of one of the usual schools."""
    person_of(request)
    return templates.apply(given.template, given.setup, given.draft)


@router.get("/plans/{programme_id}", response=PlanOut, operation_id="plan")
def read_plan(request: HttpRequest, programme_id: int) -> PlanOut:
    person = person_of(request)
    programme = get_object_or_404(_planned(person), pk=programme_id)
    plan = plans.of_programme(programme)
    recorded = list(programme.versions.all())
    reader = version_changes.reader_of(person)
    made = set(programme.steps.filter(pulls_made__isnull=False).values_list("pk", flat=True))
    return PlanOut(
        draft=draft_out(plan, programme.build_id, person),
        summary=plan_messages.plan_summary(plan, programme.build, person, {}),
        pulled=[setup.pulled for setup in plan.setups],
        positions=[setup.position for setup in plan.setups],
        visits_pulled=[place for place, visit in enumerate(plan.order) if visit.pk in made],
        versions=[
            VersionOut(
                number=version.number,
                made_at=version.made_at,
                made_by=str(version.made_by),
                used_at=version.used_at,
                changes=version_changes.differences(before.document, version.document, reader) if before else [],
            )
            for before, version in zip([None, *recorded], recorded, strict=False)
        ],
    )


@router.put("/plans/{programme_id}", response=ProgrammeOut, operation_id="change_plan")
def change_plan(request: HttpRequest, programme_id: int, given: DraftIn) -> ProgrammeOut:
    person = person_of(request)
    require_operator(person)
    programme = get_object_or_404(readable(person), pk=programme_id)
    plan = drafts.read_or_refuse(given.draft(), person)
    saving.change_plan(person, programme, plan, timezone.now())
    return programme_out(readable(person).get(pk=programme_id))


@router.get("/programmes/{programme_id}/setups-on-paper", response=OnPaperOut, operation_id="setups_on_paper")
def read_on_paper(request: HttpRequest, programme_id: int, against: int = 0) -> OnPaperOut:
    """What each setup changes of the engine on paper, against one of them by its place, else against the baseline."""
    person = person_of(request)
    programme = get_object_or_404(Programme.objects.visible_to(person), pk=programme_id)
    build = _sheet_build(person, programme.build_id)
    plan = saving.plan_in_force(programme)
    if plan.setups and not 0 <= against < len(plan.setups):
        raise Invalid("The plan has no such setup.", fields={"against": f"0 to {len(plan.setups) - 1}"})
    return _on_paper_out(on_paper(plan, build, units_of(person), against))


def _sheet_build(person: Person, build_id: int) -> Build:
    seen = Build.objects.filter(engine__in=Engine.objects.visible_to(person))
    return get_object_or_404(seen.prefetch_related("readings", "flow_tables"), pk=build_id)


def _on_paper_out(found: EngineOnPaper) -> OnPaperOut:
    return OnPaperOut(
        rows=[FigureRowOut(label=row.label, texts=row.texts) for row in found.rows],
        setups=[SetupOnPaperOut(**asdict(one)) for one in found.setups],
    )
