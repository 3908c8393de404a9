"""The stands screen: what there is, what each line says, and what the owner changes about it."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.utils import timezone
from torvix_core.units import quantities

from adapters import stand_map
from shop.models import Person, SimulatedEngine, Stand
from shop.permissions import units_of
from shop.schema import Schema
from stand.live.display import FIXED, FOLLOWS, channel_name
from stand.pulls.raw_channels import is_known
from stand.stands import conform_map
from stand.stands.service import StandDescription
from stand.stands.try_line import LineTrial

FIRST = ("rpm", "torque", "throttle")  # of the channels: what every stand has
WEATHER = {"barometer": "kPa", "temperature": "°C", "humidity": "%"}
COMMANDS = frozenset({"arm", "start", "abort", "holds"})  # that mean something to people


class StandRow(Schema):
    id: int
    name: str
    host: str
    port: int
    elevation: str  # as they would be typed, in the person's units
    inertia: str
    notes: str
    simulated: str
    worker_elsewhere: bool
    map: dict[str, Any] | None  # of one that speaks an open standard
    recorder: str  # the folder of one that has no line
    on_line: bool
    retired_at: datetime | None
    used: bool
    connected: bool
    state: str
    why: str  # why it is not connected
    says: str  # what the stand calls itself
    rate_hz: float | None
    jitter_ms: float | None  # by which a step between two samples is off, on average
    gaps: int  # since it was linked
    longest_gap_s: float
    weather: bool
    reports_only: bool
    has_conformed: bool | None  # of a map with commands: whether it takes them; None for any other stand


class EngineChoice(Schema):
    value: str
    label: str


class StandsOut(Schema):
    stands: list[StandRow]
    engines: list[EngineChoice]  # of a simulated stand


class StandIn(Schema):
    name: str
    host: str
    port: str
    elevation: str = ""
    inertia: str = ""
    notes: str = ""
    worker_elsewhere: bool = False
    recorder: str = ""
    map: dict[str, Any] | None = None

    def facts(self) -> StandDescription:
        return StandDescription(self.name, self.host, self.port, self.elevation, self.inertia, self.notes,
                          self.worker_elsewhere, self.recorder, self.map)  # fmt: skip


class SimulatedIn(Schema):
    engine: str = SimulatedEngine.SIX


class TryIn(Schema):
    host: str
    port: str


class MapChannel(Schema):
    """A channel that Torvix computes with, and the units in which a stand may send it."""

    name: str
    units: list[str]


class MapChoices(Schema):
    channels: list[MapChannel]
    weather: list[MapChannel]


class MapIn(Schema):
    """As docs/adapters.md has it; it may be half written where it is tried. `stand` is that which has it, if any."""

    map: dict[str, Any]
    stand: int | None = None


class ConformIn(Schema):
    """`stand` is None for one that is being added."""

    map: dict[str, Any]
    stand: int | None = None
    start_rpm: float
    end_rpm: float
    at_the_stop: bool = False

    def run(self) -> conform_map.Run:
        return conform_map.Run(self.map, self.start_rpm, self.end_rpm, self.at_the_stop)


class MapOut(Schema):
    map: dict[str, Any]


class MapText(Schema):
    toml: str


class TriedChannel(Schema):
    name: str
    unit: str
    understood: str  # what Torvix takes it for; empty where it is only stored


class TriedCheck(Schema):
    rule: str
    wrong: str


class TriedOut(Schema):
    why: str  # why the line cannot be used; empty where it can
    says: str
    simulated: bool
    rate_hz: float | None
    channels: list[TriedChannel]
    weather: list[str]
    can: list[str]
    watchdog_s: float | None
    inertia: str
    checks: list[TriedCheck]


def map_choices(person: Person) -> MapChoices:
    """What rows of a map may be called; any other name is stored and not computed with."""
    shown = units_of(person)
    channels = {name: FIXED.get(name) or shown[FOLLOWS[name]] for name in (*FIXED, *FOLLOWS)}
    return MapChoices(
        channels=[_sent(name, channels[name]) for name in sorted(channels, key=lambda name: (name not in FIRST, name))],
        weather=[_sent(name, unit) for name, unit in WEATHER.items()],
    )


def _sent(name: str, unit: str) -> MapChannel:
    return MapChannel(name=name, units=list(quantities.units_of(quantities.measures(unit))))


def stand_row(stand: Stand, person: Person, used: bool) -> StandRow:
    units, link = units_of(person), stand.link if hasattr(stand, "link") else None
    mapped = stand_map.read(stand.map) if stand.map else None
    runs = stand.on_line and stand.retired_at is None
    hello = link.hello if link else {}
    steps = link.steps if link and runs and not link.lost(timezone.now()) else {}
    silent = f"{'the watch over its folder' if stand.recorder else 'its bench worker'} has not reported yet"
    why = (link.lost(timezone.now()) if link else silent) if runs else ""
    return StandRow(
        id=stand.pk,
        name=stand.name,
        host=stand.host,
        port=stand.port,
        elevation=typed_number(stand.elevation, units["elevation"]),
        inertia=typed_number(stand.inertia, units["inertia"]),
        notes=stand.notes,
        simulated=stand.get_simulated_display() if stand.simulated else "",
        worker_elsewhere=stand.worker_elsewhere,
        map=stand_map.plain(mapped) if mapped else None,
        recorder=stand.recorder,
        on_line=stand.on_line,
        retired_at=stand.retired_at,
        used=used,
        connected=runs and not why,
        state=link.state if link and runs and not why else "",
        why=why,
        says=hello.get("stand", ""),
        rate_hz=hello.get("rate_hz"),
        jitter_ms=round(1000 * steps["jitter_s"], 1) if "jitter_s" in steps else None,
        gaps=round(steps.get("gaps", 0)),
        longest_gap_s=steps.get("longest_s", 0.0),
        weather=bool(link and link.weather),
        has_conformed=mapped.has_conformed if mapped and mapped.control else None,
        reports_only=bool(hello) and not hello.get("can"),
    )


def _understood(name: str, unit: str) -> str:
    """What a channel is taken for; one of a name or a unit that is not known is stored and not computed with."""
    return channel_name(name) if (name in FOLLOWS or name in FIXED) and is_known(unit) else ""


def tried_out(tried: LineTrial, person: Person) -> TriedOut:
    hello = tried.hello
    channels = zip(hello.names, hello.units, strict=True) if hello else ()
    inertia = {"included": "in the torque that it sends", "not_included": "not in the torque: Torvix adds it"}
    return TriedOut(
        why=tried.why,
        says=hello.stand if hello else "",
        simulated=bool(hello and hello.simulated),
        rate_hz=hello.rate_hz if hello else None,
        channels=[TriedChannel(name=name, unit=unit, understood=_understood(name, unit)) for name, unit in channels],
        weather=[f"{name} ({unit})" for name, unit in hello.weather] if hello else [],
        can=sorted(hello.can & COMMANDS) if hello else [],
        watchdog_s=hello.watchdog_s if hello else None,
        inertia="" if not hello else inertia.get(hello.inertia_in_torque, "the stand does not say")
        + (f", {typed_number(hello.inertia, units_of(person)['inertia'])}" if hello.inertia else ""),
        checks=[TriedCheck(rule=rule, wrong=wrong) for rule, wrong in tried.checks],
    )  # fmt: skip


def typed_number(si: float | None, unit: str) -> str:
    return "" if si is None else f"{float(quantities.from_si(si, unit)):.4g} {unit}"
