"""A plan as somebody writes it down in the browser: texts in, a plan out, every slip at its field; and back."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime

from torvix_core.air.standards import BoostSchool, Standard
from torvix_core.engine.dimensions import Slot
from torvix_core.engine.settings import contradicting
from torvix_core.judging import duty
from torvix_core.judging.duty import Preset
from torvix_core.planning.changeover import DependencyCycle, Work, check_dependencies
from torvix_core.units.quantity_parser import NotUnderstood, read_quantity

from engines.models import Part
from programmes.models import (
    MOST_SETUPS,
    STANDARDS,
    BoostPolicy,
    Candidate,
    MixturePolicy,
    Place,
    ProgrammeKind,
    TuneRule,
)
from programmes.plan import form_numbers
from programmes.plan.form_numbers import MINUTE
from programmes.plan.plans import (
    OWN,
    SETTING,
    Objective,
    Plan,
    PlannedSetup,
    PlannedStretch,
    PlannedVisit,
    Row,
    SettingValue,
    Sweep,
    Times,
    row_label,
)
from programmes.settings.service import KNOWN_SETTINGS, contradiction_words, read_setting
from shop.models import Person
from shop.permissions import units_of
from shop.refusals import Invalid
from shop.texts import optional

MOST_VISITS = 150
MOST_ROWS = 40
MOST_SESSIONS = 10
# Temperatures a warm gasoline engine is compared at, K; the shop's own come with its stands [prac]
USUAL_WINDOWS = {"oil_temperature": (353.15, 373.15), "coolant_temperature": (345.15, 359.15)}


@dataclass(frozen=True)
class DraftSetup:
    name: str
    part_ids: Sequence[int] = ()
    settings: Mapping[str, str] = field(default_factory=dict)
    pk: int | None = None
    pulls: str = "3"
    visits: str = "1"
    place: str = ""
    available_at: datetime | None = None
    candidate: str = Candidate.IN
    reason: str = ""
    based_on: int | None = None
    position: int | None = None  # of one that has its letter already
    protected: bool = False


@dataclass(frozen=True)
class DraftVisit:
    setup: int
    pulls: str
    session: int = 0
    pk: int | None = None


@dataclass(frozen=True)
class DraftRow:
    key: str
    remove: str
    install: str
    under: Sequence[str] = ()


@dataclass(frozen=True)
class DraftSession:
    starts_at: datetime
    paid: str = ""


@dataclass(frozen=True)
class Draft:
    """What was typed. `texts` holds the numbers by field; places of setups and sessions count from nought."""

    question: str
    setups: Sequence[DraftSetup]
    order: Sequence[DraftVisit]
    texts: Mapping[str, str] = field(default_factory=dict)
    rows: Sequence[DraftRow] = ()
    sessions: Sequence[DraftSession] = ()
    standard: str = Standard.ISO_1585_SI
    boost_school: str = BoostSchool.UNBLOWN
    kind: str = ProgrammeKind.COMPARISON
    mixture_policy: str = MixturePolicy.MATCHED
    tune_rule: str = TuneRule.LAST_MATCHED
    boost_policy: str = BoostPolicy.NONE
    words: Mapping[str, str] = field(default_factory=dict)
    duty: str = Preset.EVEN
    points: Sequence[Sequence[float]] = ()
    must_look_stock: bool = False
    fixed_slots: Sequence[str] = ()
    check_pass_first: bool = False


WORDS = {"answers_change": 2000, "held_constant": 2000, "stand_in": 300}


def read(draft: Draft, person: Person) -> tuple[Plan, dict[str, str]]:
    """The plan as far as it can be read, and what is wrong by field. What is wrong has its usual value in the plan."""
    wrong: dict[str, str] = {}
    units = units_of(person)
    numbers = form_numbers.numbers(draft.texts, units, wrong)
    counts = {
        key: form_numbers.count(draft.texts.get(key, ""), low, high, usual, key, wrong)
        for key, low, high, usual in form_numbers.COUNTS
    }
    prices = {key: form_numbers.price(draft.texts.get(key, ""), key, wrong) for key in ("hour_price", "cost_ceiling")}
    words = {key: _words(draft.words.get(key, ""), key, longest, wrong) for key, longest in WORDS.items()}
    question = _words(draft.question, "question", 200, wrong)
    if not question:
        wrong.setdefault("question", "Write the question down.")
    setups = _setups(draft, units, wrong)
    rows = _rows(draft, wrong)
    sessions = _sessions(draft, wrong)
    order = _order(draft, len(sessions), wrong)
    start, end = numbers["sweep_start_rpm"] or 0.0, numbers["sweep_end_rpm"] or 0.0
    low, high = numbers["low_rpm"] or 0.0, numbers["high_rpm"] or 0.0
    if not wrong.keys() & {"sweep_start_rpm", "sweep_end_rpm", "low_rpm", "high_rpm"}:
        if start >= end:
            wrong["sweep_end_rpm"] = "The sweep must rise."
        elif low >= high:
            wrong["high_rpm"] = "The range must rise."
        elif not start <= low < high <= end:
            wrong["low_rpm"] = "The range that is compared must lie inside the sweep."
    for key, value, known in (
        ("standard", draft.standard, [str(one) for one in STANDARDS]),
        ("boost_school", draft.boost_school, list(BoostSchool)), ("kind", draft.kind, ProgrammeKind.values),
        ("mixture_policy", draft.mixture_policy, MixturePolicy.values),
        ("tune_rule", draft.tune_rule, TuneRule.values),
        ("boost_policy", draft.boost_policy, BoostPolicy.values), ("duty", draft.duty, list(Preset)),
    ):  # fmt: skip
        if value not in known:
            wrong[key] = f"choose one of {', '.join(str(one) for one in known)}"
    plan = Plan(
        question=question, setups=setups, order=order, sweep=Sweep(start, max(end, start + 1), counts["sweep_rate"]),
        range_rpm=(low, high), windows=USUAL_WINDOWS, rows=rows, sessions=sessions,
        times=Times(
            (numbers["warm_up"] or 0) / MINUTE, (numbers["pull_time"] or MINUTE) / MINUTE,
            (numbers["cool_down"] or 0) / MINUTE, counts["conditioning_pulls"], counts["return_every"],
            counts["return_pulls"], numbers["fuel_available"], numbers["fuel_pull"], numbers["fuel_warm_up"],
            prices["hour_price"], (numbers["tuning"] or 0.0) / MINUTE, draft.check_pass_first,
        ),
        objective=Objective(draft.duty, _points(draft, wrong), numbers["height_limit"], draft.must_look_stock,
                            prices["cost_ceiling"], _fixed_slots(draft, wrong)),
        standard=draft.standard, boost_school=draft.boost_school, kind=draft.kind,
        mixture_policy=draft.mixture_policy, tune_rule=draft.tune_rule, boost_policy=draft.boost_policy, **words,
        extension_rpm=numbers["extension_rpm"] or 0.0, smallest_difference=numbers["smallest_difference"] or 0.0,
    )  # fmt: skip
    return plan, wrong


def read_or_refuse(draft: Draft, person: Person) -> Plan:
    """The plan of a draft; Invalid names every field that is wrong."""
    plan, wrong = read(draft, person)
    if wrong:
        raise Invalid("The plan is not complete: see the fields.", fields=wrong)
    return plan


def _words(text: str, key: str, longest: int, wrong: dict[str, str]) -> str:
    try:
        return optional(text, key, longest)
    except Invalid as reason:
        wrong[key] = reason.fields[key]
        return ""


def _points(draft: Draft, wrong: dict[str, str]) -> list[tuple[float, float]]:
    if draft.duty != Preset.DRAWN:
        return []
    try:
        return list(duty.check(draft.points).points)
    except ValueError as reason:
        wrong["points"] = f"{str(reason).capitalize()}."
        return []


def _fixed_slots(draft: Draft, wrong: dict[str, str]) -> list[str]:
    unknown = [slot for slot in draft.fixed_slots if slot not in list(Slot)]
    if unknown:
        wrong["fixed_slots"] = f"There is no place called {unknown[0]}."
    return [slot for slot in Slot if slot in draft.fixed_slots]


def _setups(draft: Draft, units: Mapping[str, str], wrong: dict[str, str]) -> list[PlannedSetup]:
    if len(draft.setups) < 2:
        wrong["setups"] = "A comparison needs two setups or more: add what is to be held against the baseline."
    if len(draft.setups) > MOST_SETUPS:
        wrong["setups"] = f"{len(draft.setups)} setups; there are {MOST_SETUPS} letters. Plan them in two tests."
    given = draft.setups[:MOST_SETUPS]
    wanted = {pk for setup in given for pk in setup.part_ids}
    parts = Part.objects.prefetch_related("readings").in_bulk([pk for pk in wanted if abs(pk) < 2**62])
    made, names, places = [], set(), set()
    taken = {setup.position for setup in given if setup.pk and setup.position is not None}
    free = (position for position in range(2 * MOST_SETUPS) if position not in taken)
    for place, setup in enumerate(given):
        at = f"setups.{place}"
        name = setup.name.strip()
        if not name or len(name) > 80 or "\x00" in name:
            wrong[f"{at}.name"] = "Give the setup a name of at most 80 characters."
        elif name.casefold() in names:
            wrong[f"{at}.name"] = "Another setup is called so."
        names.add(name.casefold())
        if missing := [pk for pk in setup.part_ids if pk not in parts]:
            wrong[f"{at}.parts"] = f"There is no part {missing[0]}."
        if setup.place not in Place.values or (setup.place and place == 0):
            wrong[f"{at}.place"] = "The baseline opens and closes the day; choose another setup."
        elif setup.place and setup.place in places:
            wrong[f"{at}.place"] = f"Only one setup can be {setup.place}; another is already."
        places.add(setup.place)
        if setup.available_at is not None and setup.available_at.tzinfo is None:
            wrong[f"{at}.available_at"] = "The time needs its time zone."
            setup = replace(setup, available_at=None)
        made.append(PlannedSetup(
            name=name, parts=[parts[pk] for pk in setup.part_ids if pk in parts], pk=setup.pk,
            position=setup.position if setup.pk and setup.position is not None else next(free),
            settings=_settings(setup.settings, at, units, wrong),
            pulls=form_numbers.count(setup.pulls, 1, 30, 3, f"{at}.pulls", wrong),
            visits=form_numbers.count(setup.visits, 1, 6, 1, f"{at}.visits", wrong) if place else 1,
            place=setup.place if place and setup.place in Place.values else "", available_at=setup.available_at,
            candidate=_candidate(setup, place, wrong), reason=_words(setup.reason, f"{at}.reason", 200, wrong),
            based_on=_base(draft, place, wrong), protected=setup.protected,
        ))  # fmt: skip
    return made


def _candidate(setup: DraftSetup, place: int, wrong: dict[str, str]) -> str:
    if setup.candidate not in Candidate.values or (place == 0 and setup.candidate != Candidate.IN):
        wrong[f"setups.{place}.candidate"] = "The baseline is always in the plan."
        return Candidate.IN
    if setup.candidate != Candidate.IN and not setup.reason.strip():
        wrong[f"setups.{place}.reason"] = "Say why it is left out: it stays listed with the reason."
        return Candidate.IN
    return setup.candidate


def _base(draft: Draft, place: int, wrong: dict[str, str]) -> int | None:
    """What a setup builds on, refused where it would build on itself in the end."""
    base = draft.setups[place].based_on
    if base is None or place == 0:
        return None
    seen, at = [place], draft.setups[place].based_on
    while at is not None and at != 0:
        if not 0 <= at < min(len(draft.setups), MOST_SETUPS):
            wrong[f"setups.{place}.based_on"] = "There is no such setup."
            return None
        if at in seen:
            wrong[f"setups.{place}.based_on"] = "It would build on itself. Let the first of them build on the baseline."
            return None
        seen.append(at)
        at = draft.setups[at].based_on
    return base


def _settings(
    texts: Mapping[str, str], at: str, units: Mapping[str, str], wrong: dict[str, str]
) -> dict[str, SettingValue]:
    found: dict[str, SettingValue] = {}
    for key, text in texts.items():
        if not text.strip():
            continue
        plain = _words(text, f"{at}.settings.{key}", 80, wrong)
        try:
            if plain:
                found[key] = read_setting(key, plain, units)
        except NotUnderstood as reason:
            wrong[f"{at}.settings.{key}"] = str(reason)
    for key, other in contradicting(key.removeprefix(SETTING) for key in found).items():
        wrong[f"{at}.settings.{SETTING}{key}"] = contradiction_words(key, other)
    return found


def _rows(draft: Draft, wrong: dict[str, str]) -> list[Row]:
    if len(draft.rows) > MOST_ROWS:
        wrong["rows"] = f"{len(draft.rows)} rows, at most {MOST_ROWS}."
    rows, seen = [], set()
    for place, row in enumerate(draft.rows[:MOST_ROWS]):
        at, own = f"rows.{place}", row.key.removeprefix(OWN).strip()
        is_own = row.key.startswith(OWN) and 0 < len(own) <= 50
        if row.key not in list(Slot) and row.key not in KNOWN_SETTINGS and not is_own:
            wrong[f"{at}.key"] = "Give the row a name of at most 50 characters."
            continue
        if row.key.casefold() in seen:
            wrong[f"{at}.key"] = "This row is there already."
            continue
        seen.add(row.key.casefold())
        times = [_minutes(text, f"{at}.{field}", wrong) for field, text in (("remove", row.remove),
                                                                            ("install", row.install))]  # fmt: skip
        under = tuple(dict.fromkeys(above for above in row.under if above != row.key))
        rows.append(Row(row.key, row_label(row.key), Work(times[0], times[1], under)))
    try:
        check_dependencies({row.key: row.work for row in rows})
    except DependencyCycle as ring:
        told = " under ".join(row_label(key).lower() for key in ring.path)
        place = next(index for index, row in enumerate(draft.rows) if row.key == ring.path[0])
        wrong[f"rows.{place}.under"] = f"{told.capitalize()}: nothing could ever come off. Take one of them out."
        rows = [Row(row.key, row.label, Work(row.work.remove_min, row.work.install_min)) for row in rows]
    return rows


def _minutes(text: str, key: str, wrong: dict[str, str]) -> float:
    try:
        return read_quantity(text, "time", "min", 0.0, 48 * 3600.0).value / MINUTE
    except NotUnderstood as reason:
        wrong[key] = str(reason)
        return 0.0


def _sessions(draft: Draft, wrong: dict[str, str]) -> list[PlannedStretch]:
    if len(draft.sessions) > MOST_SESSIONS:
        wrong["sessions"] = f"{len(draft.sessions)} sessions, at most {MOST_SESSIONS}."
    found: list[PlannedStretch] = []
    for place, one in enumerate(draft.sessions[:MOST_SESSIONS]):
        paid = None
        if one.paid.strip():
            try:
                paid = read_quantity(one.paid, "time", "h", MINUTE, 48 * 3600.0).value / MINUTE
            except NotUnderstood as reason:
                wrong[f"sessions.{place}.paid"] = str(reason)
        if one.starts_at.tzinfo is None:
            wrong[f"sessions.{place}.starts_at"] = "The time needs its time zone."
            continue
        if found and (one.starts_at - found[-1].starts_at).total_seconds() / 60 < (found[-1].paid_min or 0.0):
            wrong[f"sessions.{place}.starts_at"] = "It begins before the session above it has ended."
        if found and found[-1].paid_min is None:
            wrong[f"sessions.{place - 1}.paid"] = "Say how long it is paid for: another session follows."
        found.append(PlannedStretch(one.starts_at, paid))
    return found


def _order(draft: Draft, sessions: int, wrong: dict[str, str]) -> list[PlannedVisit]:
    order = []
    if not draft.order:
        wrong["order"] = "Say in which order the setups are pulled, or let it be found."
    if len(draft.order) > MOST_VISITS:
        wrong["order"] = f"{len(draft.order)} visits, at most {MOST_VISITS}."
    before = 0
    for place, visit in enumerate(draft.order[:MOST_VISITS]):
        if not 0 <= visit.setup < len(draft.setups):
            wrong[f"order.{place}.setup"] = "There is no such setup."
            continue
        if draft.setups[visit.setup].candidate != Candidate.IN:
            wrong[f"order.{place}.setup"] = "This setup is left out of the plan."
            continue
        if not before <= visit.session < max(sessions, 1):
            wrong[f"order.{place}.session"] = "Sessions follow each other, and there must be one."
            continue
        before = visit.session
        pulls = form_numbers.count(visit.pulls, 1, 30, 3, f"order.{place}.pulls", wrong)
        order.append(PlannedVisit(visit.setup, pulls, visit.session, visit.pk))
    return order
