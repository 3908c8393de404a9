"""Scenes for tests: people, a programme, pulls made of known curves. Made by the services that the application uses."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime, timedelta

import numpy as np
from torvix_core.engine.dimensions import Slot

from curves.archive import read_zip, write_zip
from curves.archive.read_zip import ReadingChoice
from engines.builds.service import describe_engine, mark_used
from engines.models import Build, Part
from engines.parts.service import PartFacts, add_part
from programmes.models import Programme, Setup
from programmes.plan.plans import Plan, PlannedSetup, PlannedVisit, Sweep
from programmes.plan.saving import plan_programme
from programmes.settings.service import in_force, read_setting
from shop.models import Person, Role, Stand
from stand.models import Link, ListItem, Pull, PullSetting, PullState, Session
from stand.pulls import arming, keeping, steps
from stand.pulls.samples import append_chunk
from stand.session import opening
from stand.worker import pull_records

DAY = datetime(2026, 11, 2, 9, 0, tzinfo=UTC)
PASSWORD = "only for a scene"
CHANNELS = (("rpm", "rpm"), ("torque", "N·m"), ("throttle", "%"), ("oil_temperature", "°C"))
AIR = pull_records.MeanAir(98_205.0, 302.59, 0.5)
RATE_HZ, SWEEP_RATE = 50.0, 350.0


# A made-up six, as somebody would type it.
SIX = {
    "cycle": "4", "cylinders": "6", "bore": "86.6 mm", "stroke": "82.4 mm", "rod_length": "140 mm", "redline": "7200",
    "chamber_volume": "46 cc", "gasket_bore": "88 mm", "gasket_thickness": "1.2 mm", "deck_clearance": "0 mm",
}  # fmt: skip


def person(role: Role) -> Person:
    return Person.objects.create_user(username=role.value, password=PASSWORD, role=role, first_name=role.label)


def programme(
    planner: Person, setups: int = 3, engine: str = "2.9 six", build: Build | None = None, parts: str = "manifold"
) -> Programme:
    """Manifolds compared on an engine of this name, or on the build given. Names can be taken once."""
    build = build or describe_engine(planner, DAY, engine, SIX)
    made = [manifold(planner, f"{parts} {number}", max(420 - 90 * number, 60 + number)) for number in range(setups)]
    plan = Plan(
        question="Which manifold?",
        setups=[PlannedSetup(part.name, [part], pulls=2) for part in made],
        order=[*(PlannedVisit(number, 2) for number in range(setups)), PlannedVisit(0, 1)],
        sweep=Sweep(2000, 6900, SWEEP_RATE),
        range_rpm=(3000, 6000),
        windows={"oil_temperature": (353.15, 373.15)},
    )
    return plan_programme(planner, DAY, build, plan)


CAMS, BOOSTS = (216, 228, 242), ("0.5 bar", "0.8 bar", "1.1 bar")


def boosted(planner: Person, cams: Sequence[int] = CAMS, boosts: Sequence[str] = BOOSTS) -> Programme:
    """Camshafts crossed with boost on a turbocharged engine: a setup for each, camshaft by camshaft."""
    build = describe_engine(planner, DAY, "2.9 six, turbo", {**SIX, "boost_hardware": "Turbocharger"})
    made = [
        add_part(planner, DAY, Slot.CAMSHAFT, PartFacts(f"Cam {cam}"), {"intake_duration_050": f"{cam}"})
        for cam in cams
    ]
    setups = [
        PlannedSetup(
            f"{part.name} at {boost}", [part], {"setting:boost_target": read_setting("setting:boost_target", boost, {})}
        )
        for part in made
        for boost in boosts
    ]
    plan = Plan(
        question="Which camshaft at which boost?", setups=setups,
        order=[*(PlannedVisit(place, 2) for place in range(len(setups))), PlannedVisit(0, 2)],
        sweep=Sweep(2000, 6900, SWEEP_RATE), range_rpm=(3000, 6000), boost_policy="equal_boost",
    )  # fmt: skip
    return plan_programme(planner, DAY, build, plan)


def manifold(person: Person, name: str, runner_mm: float) -> Part:
    lines = {"runner_length": f"{runner_mm} mm"}
    return add_part(person, DAY, Slot.INTAKE_MANIFOLD, PartFacts(name), lines)


def session(planned: Programme, operator: Person, stand: Stand | None = None, at: datetime = DAY) -> Session:
    """Open, in a shop whose list of what must be seen to is empty."""
    ListItem.objects.get_or_create(text="Nothing", position=0, in_force=False)
    return opening.open_session(operator, planned, stand or Stand.objects.create(name="Stand 1"), at)


def link(stand: Stand, oil_celsius: float = 90.0) -> Link:
    """What the bench worker would have written of a linked stand."""
    found, _ = Link.objects.update_or_create(
        stand=stand,
        defaults={
            "connected": True,
            "state": "idle",
            "values": {"oil_temperature": oil_celsius + 273.15, "rpm": 1100.0, "torque": 8.0},
            "hello": {"channels": [list(channel) for channel in CHANNELS], "rate_hz": RATE_HZ, "simulated": True},
        },
    )
    return found


def torque_curve(speed_rpm: np.ndarray, level: float = 1.0, tilt: float = 0.0) -> np.ndarray:
    """A made-up curve, N·m: `level` scales it, `tilt` turns it about 4500 rpm (share over 1000 rpm)."""
    return level * (280 - 15 * ((speed_rpm - 4200) / 1500) ** 2) * (1 + tilt * (speed_rpm - 4500) / 1000)


def samples(level: float, tilt: float = 0.0, more: Sequence[float] = ()) -> list[list[float]]:
    """Rows of time and CHANNELS as a stand sends them: a sweep with its roll-off; `more` channels tremble a little."""
    time = np.arange(0, 16.0, 1 / RATE_HZ)
    speed = np.minimum(2000 + SWEEP_RATE * np.maximum(0, time - 0.6), 6950)
    closed = time > 14.6
    torque = np.where(closed, -20, torque_curve(speed, level, tilt))
    speed = np.where(closed, 3000, speed)
    columns = [time, speed.round(1), torque.round(2), np.where(closed, 5, 100), 90 + 0 * time]
    columns += [value * (1 + 0.002 * np.sin(7 * time + place)) for place, value in enumerate(more)]
    rows: list[list[float]] = np.column_stack(columns).tolist()
    return rows


SWEEP = arming.PullRequest(purpose="sweep")  # counts, also as the first after a change


def pull(
    of: Session,
    setup: Setup,
    operator: Person,
    *,
    level: float = 1.0,
    tilt: float = 0.0,
    keep: bool = True,
    air: pull_records.MeanAir | None = AIR,
    inertia_in_torque: str = "included",
    rows: Sequence[Sequence[float]] | None = None,
    more: Mapping[str, tuple[float, str]] | None = None,
    tuned: bool = False,
) -> Pull:
    """A complete pull of a known curve, accepted unless `keep` is false.

    `more` channels by name: value and unit. `tuned`: what its setup was set to is on record with it.
    """
    number = Pull.objects.filter(session__programme=of.programme).count() + 1
    at = of.opened_at + timedelta(minutes=4 * number)
    made = Pull.objects.create(
        session=of, number=number, setup=setup, build=of.programme.build, armed_at=at, operator=operator,
        sweep_start_rpm=2000, sweep_end_rpm=6900, sweep_rate_rpm_s=SWEEP_RATE,
        step=steps.next_step(of.programme, setup),
    )  # fmt: skip
    PullSetting.objects.bulk_create(
        PullSetting(pull=made, key=key, text=one.text) for key, one in in_force(setup).items() if tuned
    )  # fmt: skip
    mark_used(of.programme.build, at)
    more = more or {}
    names, units = zip(*CHANNELS, *((name, unit) for name, (_, unit) in more.items()), strict=True)
    pull_records.begin_pull(made, pull_records.HelloFacts(RATE_HZ, names, units, inertia_in_torque, 0.45), at)
    append_chunk(made.pk, 0, samples(level, tilt, [value for value, _ in more.values()]) if rows is None else rows)
    pull_records.end_pull(made, PullState.COMPLETE, "", at, air=air)
    if keep:
        keeping.keep(operator, made, at)
    return Pull.objects.select_related("reduced", "session").get(pk=made.pk)


def archive_of(operator: Person, planned: Programme) -> bytes:
    """The zip of a test, whole."""
    return b"".join(write_zip.write(operator, planned, DAY))


def read_back(operator: Person, content: bytes, choice: ReadingChoice | None = None) -> Programme:
    """The one test of a zip, read in."""
    (made,) = read_zip.read(operator, io.BytesIO(content), DAY, choice).programmes
    return Programme.objects.get(pk=made)


def day_of_pulls(planned: Programme, operator: Person, levels: Sequence[Sequence[float]]) -> Session:
    """Kept pulls: for each setup its levels in turn; then nothing. Scatter comes from the levels given."""
    opened = session(planned, operator)
    for setup, of_setup in zip(planned.setups.all(), levels, strict=True):
        for level in of_setup:
            pull(opened, setup, operator, level=level)
    return opened
