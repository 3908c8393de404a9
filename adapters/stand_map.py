"""The map of a stand: which register, topic, signal, node or field is which channel, as TOML (docs/adapters.md)."""

from __future__ import annotations

import hashlib
import re
import tomllib
from typing import Annotated, Any, Literal

import tomli_w
from pydantic import Field, ValidationError, field_validator
from torvix_core.units import quantities

from adapters import control_map
from adapters.control_map import STATE, ControlMap
from adapters.places import PLACE, WRITTEN_AT, Part, Place
from adapters.source_map import Source, TextSource

SPEED, TORQUE = "rpm", "torque"
WEATHER = ("barometer", "temperature", "humidity")
MEASURED = {
    SPEED: "speed",
    TORQUE: "torque",
    "barometer": "pressure",
    "temperature": "temperature",
    "humidity": "fraction",
}  # without the unit nothing can be computed with them
LONGEST_NAME, LONGEST_UNIT = 40, 16  # characters of a channel, as the line protocol takes them


class MapProblem(Exception):
    """The map cannot be used. `errors` says why, by place: `channels.3.register`."""

    def __init__(self, errors: dict[str, str]) -> None:
        super().__init__("; ".join(f"{place}: {why}" for place, why in errors.items()))
        self.errors = errors


class Channel(Place):
    """A row of the map. The value is `scale` times what came, plus `offset`, in `unit`."""

    name: Annotated[str, Field(min_length=1, max_length=LONGEST_NAME)]
    unit: Annotated[str, Field(max_length=LONGEST_UNIT)] = ""
    missing: list[float] = []  # what came, before scale and offset, where the sensor has nothing to say
    rate_hz: Annotated[float, Field(gt=0, le=10_000)] | None = None  # its own, where it is slower than the stream
    table: Literal["holding", "input"] = "holding"
    path: str = ""  # within a payload of JSON: names and places with dots between; empty for a plain number
    field: str | None = None  # its place, counted from 1, or its name in a line of names

    @field_validator("unit")
    @classmethod
    def known(cls, unit: str) -> str:
        if unit and unit not in quantities.UNITS:
            raise ValueError(f"the unit {unit} is not known; leave it out, and the channel is stored only")
        return unit

    @field_validator("scale")
    @classmethod
    def not_nothing(cls, scale: float) -> float:
        if not scale:
            raise ValueError("a scale of 0 makes every value the same")
        return scale


class Inertia(Part):
    torque: Literal["included", "not_included", "unknown"] = "unknown"
    kg_m2: Annotated[float, Field(ge=0)] | None = None


class StandMap(Part):
    """What a stand says, and where it is found."""

    stand: Annotated[str, Field(min_length=1, max_length=80)]
    rate_hz: Annotated[float, Field(ge=1, le=10_000)]
    inertia: Inertia = Inertia()
    sources: Annotated[list[Source], Field(min_length=1)]
    channels: Annotated[list[Channel], Field(min_length=1)]
    weather: list[Channel] = []
    control: ControlMap | None = None
    simulated: bool = False

    @property
    def rows(self) -> list[Channel]:
        """Channels, then weather, then the state: a row is named by its place here wherever it is read."""
        return [*self.channels, *self.weather, *([_state_row(self.control)] if self.control else [])]

    @property
    def state_place(self) -> int:
        """Among the rows; where there is none, a place that no row has."""
        return len(self.channels) + len(self.weather)

    def rows_of(self, source: int) -> dict[int, Channel]:
        """Those of one source."""
        return {place: row for place, row in enumerate(self.rows) if self.source_of(row) == source}

    def source_of(self, row: Place) -> int:
        """The place of its source in the list."""
        return next((at for at, one in enumerate(self.sources) if one.name == row.source), 0)

    @property
    def has_conformed(self) -> bool:
        """It passed a conformance run as it is; only then commands are taken."""
        return self.control is not None and self.control.conformed == digest(self)


def _state_row(control: ControlMap) -> Channel:
    where = control.state.model_dump(by_alias=True, exclude_none=True)
    return Channel.model_validate({"name": STATE, **{key: value for key, value in where.items()
                                                     if key not in control_map.STATES}})  # fmt: skip


def digest(found: StandMap) -> str:
    """Of all that a conformance run proves: another map is another stand. What it is called is not part of it."""
    bare = found.model_copy(update={"stand": "", "control": found.control and
                                    found.control.model_copy(update={"conformed": ""})})  # fmt: skip
    return hashlib.sha256(write(bare).encode()).hexdigest()[:32]


def read(text: str) -> StandMap:
    """The map that a text is. MapProblem says by place what is wrong."""
    try:
        document = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise MapProblem({"": f"this is not TOML: {error}"}) from error
    return checked(document)


def checked(document: dict[str, Any]) -> StandMap:
    """The map of what a TOML or JSON document holds. MapProblem says by place what is wrong."""
    try:
        found = StandMap.model_validate(document)
    except ValidationError as error:
        raise MapProblem({_place(one["loc"]): _said(one) for one in error.errors()}) from error
    if errors := _errors(found):
        raise MapProblem(errors)
    return found


def write(found: StandMap) -> str:
    """As TOML that reads back the same."""
    return tomli_w.dumps(plain(found))


def with_conformed(text: str, passed: str) -> str:
    """The same file with the digest of the map that passed in it; its comments stay, where it has a part [control]."""
    lines = [line for line in text.splitlines() if not re.match(r"\s*conformed\s*=", line)]
    at = next((at for at, line in enumerate(lines) if line.split("#")[0].strip() == "[control]"), None)
    if at is None:
        found = read(text)
        assert found.control is not None
        found.control.conformed = passed
        return write(found)
    lines.insert(at + 1, f'conformed = "{passed}"')
    return "\n".join(lines) + "\n"


def plain(found: StandMap) -> dict[str, Any]:
    """As a document of TOML or JSON; what has its usual value is omitted."""
    document = found.model_dump(by_alias=True, exclude_defaults=True, exclude_none=True)
    for source, one in zip(document["sources"], found.sources, strict=True):
        source["kind"] = one.kind
    return document


def _place(loc: tuple[int | str, ...]) -> str:
    kinds = set(PLACE)
    return ".".join(str(part) for part in loc if part not in kinds)


def _said(one: Any) -> str:
    if one["type"] == "missing":
        return "is needed"
    if one["type"] == "extra_forbidden":
        return "is not known here"
    return str(one["msg"]).removeprefix("Value error, ")


def _errors(found: StandMap) -> dict[str, str]:
    """What no part can see by itself."""
    errors: dict[str, str] = {}
    names = [one.name for one in found.channels]
    for needed in (SPEED, TORQUE):
        if needed not in names:
            errors["channels"] = f"a stand needs the channels {SPEED} and {TORQUE}"
    sources = [one.name for one in found.sources]
    if len(set(sources)) != len(sources):
        errors["sources"] = "two sources have one name"
    for part, rows in (("channels", found.channels), ("weather", found.weather)):
        seen: set[str] = set()
        for at, row in enumerate(rows):
            place = f"{part}.{at}"
            if row.name in seen or row.name == "time":
                errors[f"{place}.name"] = "is there twice" if row.name in seen else "is the name of the time itself"
            seen.add(row.name)
            if row.name == SPEED and found.sources[found.source_of(row)].delay_s:
                errors[f"sources.{found.source_of(row)}.delay_s"] = "the source of the speed is what others lag behind"
            if not _placed(found, row, place, PLACE, errors):
                continue
            if part == "weather" and row.name not in WEATHER:
                errors[f"{place}.name"] = f"weather is {', '.join(WEATHER)}"
            measure = MEASURED.get(row.name)
            if measure and (not row.unit or quantities.measures(row.unit) != measure):
                errors[f"{place}.unit"] = f"needs a unit of {measure}: {', '.join(quantities.units_of(measure))}"
    if found.control:
        _check_control(found, found.control, errors)
    return errors


def _placed(found: StandMap, row: Place, at: str, keys: dict[str, str], errors: dict[str, str]) -> bool:
    """Whether its source is known; it says where in it, too."""
    if row.source and row.source not in [one.name for one in found.sources]:
        errors[f"{at}.source"] = f"no source is called {row.source}"
        return False
    wanted = keys[found.sources[found.source_of(row)].kind]
    if row.said(wanted) in (None, ""):
        errors[f"{at}.{wanted}"] = "is needed"
    return True


def _check_control(found: StandMap, control: ControlMap, errors: dict[str, str]) -> None:
    """A stop goes by one way, which is known to be open because the stand says its state there."""
    if not _placed(found, control.state, "control.state", PLACE, errors):
        return
    at = found.source_of(control.state)
    source = found.sources[at]
    for name, row in control.writes():
        known = _placed(found, row, f"control.{name}", WRITTEN_AT, errors)
        if known and found.source_of(row) != at:
            errors[f"control.{name}.source"] = f"the state comes from {source.name}: commands go there, too"
    if isinstance(source, TextSource) and source.over == "udp":
        errors["control.state.source"] = "a stand that sends over UDP is only listened to: it takes no commands"
    if slow := next((one for one in found.sources if one.delay_s > control_map.MOST_DELAY_S), None):
        errors["control.watchdog_s"] = (
            f"samples wait {slow.delay_s:g} s for {slow.name}: a stand that takes commands may be "
            f"{control_map.MOST_DELAY_S:g} s behind at most"
        )
