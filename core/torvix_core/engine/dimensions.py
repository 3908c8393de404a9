"""What can be written down of an engine and of its parts: every dimension with its measure and what it can be.

A dimension belongs to a group of the build sheet, or to the kinds of part that have it. Limits are what an engine can
be at all, so that a slip of the finger or of the unit is caught; they are not advice. [prac] throughout.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from enum import StrEnum

from torvix_core.engine.fuel import FUELS


class Measure(StrEnum):
    """Measures beside those of `quantities`: whole numbers, numbers as stamped, words, and one of a list."""

    COUNT = "count"
    NUMBER = "number"
    WORDS = "words"
    CHOICE = "choice"


@dataclass(frozen=True)
class Dimension:
    """One line of a sheet. `figure` is the kind of figure whose unit a person chooses, else `unit` is everybody's."""

    key: str
    label: str
    measure: str
    low: float = 0.0
    high: float = 0.0
    figure: str = ""
    unit: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    hint: str = ""

    @property
    def is_quantity(self) -> bool:
        return self.measure not in list(Measure)

    @property
    def has_value(self) -> bool:
        """A number rather than words."""
        return self.is_quantity or self.measure in (Measure.COUNT, Measure.NUMBER)


@dataclass(frozen=True)
class Group:
    key: str
    label: str
    dimensions: tuple[Dimension, ...]


def _length(key: str, label: str, low_mm: float, high_mm: float, hint: str = "") -> Dimension:
    return Dimension(key, label, "length", low_mm / 1000, high_mm / 1000, figure="length", hint=hint)


def _volume(key: str, label: str, low_cc: float, high_cc: float, hint: str = "") -> Dimension:
    return Dimension(key, label, "volume", low_cc / 1e6, high_cc / 1e6, figure="volume", hint=hint)


def _angle(key: str, label: str, low: float, high: float, hint: str = "") -> Dimension:
    return Dimension(key, label, "angle", low, high, unit="°", hint=hint)


def _speed(key: str, label: str, low: float, high: float, hint: str = "") -> Dimension:
    return Dimension(key, label, "speed", low, high, unit="rpm", hint=hint)


def _share(key: str, label: str, low_percent: float, high_percent: float, hint: str = "") -> Dimension:
    return Dimension(key, label, "fraction", low_percent / 100, high_percent / 100, unit="%", hint=hint)


def _flow(key: str, label: str, low_cfm: float, high_cfm: float, hint: str = "") -> Dimension:
    cubic = 4.7194745e-4
    return Dimension(key, label, "volume flow", low_cfm * cubic, high_cfm * cubic, figure="air_flow", hint=hint)


def _pressure(key: str, label: str, low_pa: float, high_pa: float, figure: str, hint: str = "") -> Dimension:
    return Dimension(key, label, "pressure", low_pa, high_pa, figure=figure, hint=hint)


def _ratio(key: str, label: str, low: float, high: float) -> Dimension:
    return Dimension(key, label, "ratio", low, high, unit=":1")


def _count(key: str, label: str, low: int, high: int, hint: str = "") -> Dimension:
    return Dimension(key, label, Measure.COUNT, low, high, hint=hint)


def _words(key: str, label: str, hint: str = "") -> Dimension:
    return Dimension(key, label, Measure.WORDS, hint=hint)


def _choice(key: str, label: str, choices: Iterable[tuple[str, str]], hint: str = "") -> Dimension:
    return Dimension(key, label, Measure.CHOICE, choices=tuple(choices), hint=hint)


SECOND_BANK = "_bank_2"
YES_NO = (("yes", "Yes"), ("no", "No"))
_CAM = (
    _angle("intake_duration", "Intake duration, advertised", 150, 400, "crank degrees, seat to seat"),
    _angle("exhaust_duration", "Exhaust duration, advertised", 150, 400, "crank degrees, seat to seat"),
    _angle("intake_duration_050", "Intake duration at 0.050 in", 120, 340, "crank degrees at 0.050 in of tappet lift"),
    _angle("exhaust_duration_050", "Exhaust duration at 0.050 in", 120, 340),
    _length("intake_lift", "Intake valve lift", 2, 30),
    _length("exhaust_lift", "Exhaust valve lift", 2, 30),
    _angle("lobe_separation", "Lobe separation", 85, 130, "camshaft degrees, one shaft with both lobes"),
    _angle("cam_advance", "Cam advance, installed", -20, 20, "crank degrees, below zero is retarded"),
    _angle("intake_centreline", "Intake centerline", 70, 150, "after top dead center; leave out if it follows"),
    _angle("exhaust_centreline", "Exhaust centerline", 70, 150, "before top dead center; leave out if it follows"),
    _angle("intake_closing", "Intake closing, quoted", 0, 120, "after bottom dead center, at the seat"),
)
BANKED = frozenset(dimension.key for dimension in _CAM)

GROUPS: tuple[Group, ...] = (
    Group("bottom_end", "Bottom end", (
        _choice("cycle", "Firing cycle", (("4", "Four-stroke"), ("2", "Two-stroke"))),
        _count("cylinders", "Cylinders", 1, 24),
        _length("bore", "Bore", 20, 300),
        _length("stroke", "Stroke", 20, 400),
        _length("rod_length", "Rod length", 40, 800),
        _speed("redline", "Redline", 500, 20_000),
        Dimension("piston_speed_limit", "Piston speed limit", "velocity", 5, 40, figure="velocity",
                  hint="mean; 25 m/s is taken where nothing is given"),
        Dimension("rotating_inertia", "Rotating inertia", "inertia", 0.001, 50, figure="inertia",
                  hint="all that turns with the crank"),
        _words("valvetrain", "Valvetrain"),
    )),
    Group("compression", "Compression", (
        _volume("chamber_volume", "Chamber", 2, 1000),
        _length("gasket_bore", "Head gasket bore", 20, 320),
        _length("gasket_thickness", "Compressed gasket thickness", 0.1, 6),
        _length("deck_clearance", "Deck clearance", -3, 10, "below zero if the piston stands proud"),
        _volume("dish_volume", "Piston dish", 0, 300),
        _volume("relief_volume", "Valve reliefs", 0, 100),
        _volume("dome_volume", "Piston dome", 0, 300),
        Dimension("quoted_ratio", "Compression ratio, quoted", "ratio", 4, 25, unit=":1", hint="catalog or seller"),
        _pressure("cranking_pressure", "Cranking pressure", 2e5, 4e6, "boost", "gauge, all plugs out, throttle open"),
    )),
    Group("camshaft", "Camshaft", (
        _words("cam_name", "Cam"),
        *_CAM,
        *(replace(dimension, key=dimension.key + SECOND_BANK, label=f"{dimension.label}, second bank", hint="")
          for dimension in _CAM),
        _words("cam_phasing", "Cam phasing", "controller map or fixed position"),
        _length("intake_clearance", "Piston to intake valve", 0, 15, "the least, measured turning by hand"),
        _length("exhaust_clearance", "Piston to exhaust valve", 0, 15, "the least, measured turning by hand"),
    )),
    Group("heads", "Heads", (
        _words("head_name", "Heads"),
        _length("intake_valve", "Intake valve", 10, 80),
        _length("exhaust_valve", "Exhaust valve", 10, 80),
        _count("intake_valves", "Intake valves a cylinder", 1, 4),
        _volume("intake_port_volume", "Intake port volume", 10, 1000),
        _length("port_width", "Intake port width", 8, 120),
        _length("port_height", "Intake port height", 8, 160),
    )),
    Group("intake", "Intake", (
        _length("runner_length", "Runner, valve to open end", 30, 1500),
        Dimension("runner_area", "Runner area", "area", 5e-5, 0.02, figure="area", hint="mean over its length"),
        _volume("plenum_volume", "Plenum", 50, 30_000),
        _count("throttles", "Throttles", 1, 24),
        _length("throttle_bore", "Throttle bore", 15, 200),
        _flow("carburetor_rating", "Carburetor rating", 20, 5000, "of all together, at their rating depression"),
        _choice("carburetor_kind", "Rated as", (("four_barrel", "Four-barrel, 1.5 inHg"),
                                                 ("two_barrel", "Two-barrel, 3.0 inHg"))),
        _share("volumetric_efficiency", "Volumetric efficiency (VE), assumed", 30, 350,
               "100 % is taken where nothing is given"),
        _pressure("wide_open_depression", "Wide-open manifold vacuum", 10, 50_000, "vacuum", "below it, at peak"),
        _flow("measured_airflow", "Airflow measured at peak", 5, 10_000),
    )),
    Group("exhaust", "Exhaust", (
        _length("primary_diameter", "Primary tube ID", 15, 120),
        _length("primary_length", "Header primary length", 50, 2500),
        _length("collector_diameter", "Collector, inside", 25, 250),
        _length("collector_length", "Collector length", 0, 3000),
    )),
    Group("fuel", "Fuel, ignition and tune", (
        _choice("fuel", "Fuel", ((key.value, facts.label) for key, facts in FUELS.items())),
        Dimension("specific_consumption", "Consumption assumed", "specific consumption", 4e-8, 4e-7,
                  figure="consumption", hint="0.45 to 0.55 lb/hp·h is taken for gasoline where nothing is given"),
        _count("injectors", "Injectors", 1, 48),
        Dimension("injector_size", "Injector size", "mass flow", 1e-5, 0.2, figure="mass_flow",
                  hint="of one, at its fuel pressure"),
        _share("duty_limit", "Injector duty limit", 40, 100, "85 % is taken where nothing is given"),
        Dimension("mixture_target", "Mixture target", "mixture", 0.6, 1.2, unit="lambda"),
        _words("jets", "Jets by position", "front left, front right, rear left, rear right"),
        _words("rods", "Rods and hangers by position"),
        _words("power_valves", "Power valves by position"),
        _words("fuel_table", "Fuel table version"),
        _words("ignition", "Ignition"),
        _angle("spark_advance", "Ignition timing, full load", -20, 70, "before top dead center"),
        _words("timing_table", "Timing table version"),
    )),
    Group("boost", "Boost", (
        _words("boost_hardware", "Boost hardware"),
        _pressure("boost_target", "Boost target", 0, 6e5, "boost", "above ambient; leave out if unblown"),
        _length("crank_pulley", "Crank pulley", 30, 400),
        _length("blower_pulley", "Blower pulley", 20, 400),
        _speed("blower_limit", "Blower speed limit", 1000, 200_000),
    )),
    Group("target", "Target", (
        Dimension("target_torque", "Target torque", "torque", 1, 10_000, figure="torque"),
        _speed("target_torque_speed", "Speed of target torque", 300, 20_000),
        Dimension("target_power", "Target power", "power", 500, 5e6, figure="power"),
        _speed("target_power_speed", "Speed of target power", 300, 20_000),
    )),
    Group("limits", "Limits", (
        _length("height_limit", "Height under the hood", 20, 1500, "from the head's manifold face to the hood"),
        _choice("must_look_stock", "Must look stock", YES_NO),
        Dimension("budget", "Budget", Measure.COUNT, 0, 10_000_000, hint="in the shop's money"),
        _length("least_intake_clearance", "Min. piston-to-intake-valve clearance", 0, 15),
        _length("least_exhaust_clearance", "Min. piston-to-exhaust-valve clearance", 0, 15),
        _words("fixed_parts", "Parts the customer keeps"),
    )),
    Group("vehicle", "Vehicle", (
        _words("vehicle", "Vehicle"),
        Dimension("vehicle_mass", "Mass, ready to run", "mass", 50, 40_000, figure="mass", hint="with driver and fuel"),
        *(_ratio(f"gear_{gear}", f"Gear {gear}", 0.2, 10) for gear in range(1, 8)),
        _ratio("final_drive", "Final drive", 0.5, 15),
        _length("tire_radius", "Tire, rolling radius", 100, 1000),
        _words("tires", "Tires"),
        _speed("converter_stall", "Converter stall", 500, 8000, "leave out with a clutch"),
        _speed("launch_speed", "Launch speed", 500, 15_000, "with a clutch: where it slips away"),
        Dimension("shift_time", "Shift time", "time", 0.0, 3.0, unit="s"),
        Dimension("drag_area", "Drag area", "area", 0.1, 15.0, unit="m²", hint="drag coefficient times frontal area"),
        _share("rolling_resistance", "Rolling resistance", 0.3, 10, "of the weight"),
        _share("driveline_efficiency", "Driveline efficiency", 50, 100),
        _share("tire_grip", "Tire grip", 10, 300, "drive force at most, of the weight of the whole car"),
        Dimension("engine_inertia", "Inertia of engine and flywheel", "inertia", 0.001, 10, figure="inertia"),
        Dimension("wheel_inertia", "Inertia of all wheels", "inertia", 0.05, 200, figure="inertia"),
    )),
)  # fmt: skip
SHEET: dict[str, Dimension] = {dimension.key: dimension for group in GROUPS for dimension in group.dimensions}


class Slot(StrEnum):
    """Where parts compete."""

    INTAKE_MANIFOLD = "intake_manifold"
    UPPER_INTAKE = "upper_intake"
    LOWER_INTAKE = "lower_intake"
    CARBURETOR = "carburetor"
    THROTTLE_BODY = "throttle_body"
    SPACER = "spacer"
    ADAPTER = "adapter"
    GASKET = "gasket"
    CYLINDER_HEAD = "cylinder_head"
    CAMSHAFT = "camshaft"
    HEADER = "header"
    BOOST_CONTROL = "boost_control"
    PULLEY = "pulley"
    AIR_CLEANER = "air_cleaner"
    OTHER = "other"

    @property
    def label(self) -> str:
        return self.value.replace("_", " ").capitalize()


# From the head outwards, as a stack is told in words.
STACK_ORDER: tuple[Slot, ...] = (
    Slot.CAMSHAFT, Slot.CYLINDER_HEAD, Slot.GASKET, Slot.INTAKE_MANIFOLD, Slot.LOWER_INTAKE, Slot.UPPER_INTAKE,
    Slot.ADAPTER, Slot.SPACER, Slot.CARBURETOR, Slot.THROTTLE_BODY, Slot.AIR_CLEANER, Slot.HEADER,
    Slot.BOOST_CONTROL, Slot.PULLEY, Slot.OTHER,
)  # fmt: skip

_EVERY_PART = (
    Dimension("mass", "Mass", "mass", 0.001, 500, figure="mass"),
    _words("appearance", "Appearance"),
    _choice("looks_stock", "Looks stock", YES_NO),
    _words("fit_work", "Work needed to fit"),
    _words("lifting", "How it is lifted"),
)
_STACKED = (_length("height", "Installed height", 0.1, 800),)
_PORT = (
    _length("port_width", "Port width", 8, 120),
    _length("port_height", "Port height", 8, 160),
)
_FINISH = (_choice("finish", "Finish", (("as_cast", "As cast"), ("port_matched", "Port matched"),
                                        ("ported", "Ported"), ("machined", "Machined"))),)  # fmt: skip
_FLANGES = (
    _words("lower_flange", "Flange below", "as both sides name it, for example square 130 mm"),
    _words("upper_flange", "Flange above"),
)
_OPENING = (_count("throttles", "Openings", 1, 24), _length("throttle_bore", "Throttle bore", 10, 200))
_RUNNER = (
    _length("runner_length", "Runner length", 20, 1500),
    Dimension("runner_area", "Runner area", "area", 5e-5, 0.02, figure="area"),
    _share("runner_taper", "Runner taper", -50, 80, "section lost from inlet to port"),
    _volume("plenum_volume", "Plenum", 50, 30_000),
)
_FUEL_HARDWARE = (_words("fuel_hardware", "Fuel hardware"),)

PART_DIMENSIONS: dict[Slot, tuple[Dimension, ...]] = {
    Slot.INTAKE_MANIFOLD: (*_RUNNER, *_PORT, *_OPENING, *_STACKED, *_FLANGES, *_FINISH, *_FUEL_HARDWARE),
    Slot.UPPER_INTAKE: (*_RUNNER, *_OPENING, *_STACKED, *_FLANGES, *_FINISH),
    Slot.LOWER_INTAKE: (*_RUNNER, *_PORT, *_STACKED, *_FLANGES, *_FINISH, *_FUEL_HARDWARE),
    Slot.CARBURETOR: (
        SHEET["carburetor_rating"], SHEET["carburetor_kind"], *_OPENING, *_STACKED, *_FLANGES[:1], SHEET["jets"],
    ),
    Slot.THROTTLE_BODY: (*_OPENING, *_STACKED, *_FLANGES[:1]),
    Slot.SPACER: (*_OPENING, *_STACKED, *_FLANGES, _words("spacer_kind", "Kind", "open or one hole a barrel")),
    Slot.ADAPTER: (*_OPENING, *_STACKED, *_FLANGES),
    Slot.GASKET: (*_PORT, _length("thickness", "Thickness, compressed", 0.05, 10)),
    Slot.CYLINDER_HEAD: (
        *_PORT, SHEET["intake_port_volume"], SHEET["chamber_volume"], SHEET["intake_valve"], SHEET["exhaust_valve"],
        _flow("intake_flow", "Intake flow at 28 inH2O", 10, 2000, "the most, at the lift in use"), *_FINISH,
    ),
    Slot.CAMSHAFT: _CAM[:8],
    Slot.HEADER: (
        *(SHEET[key] for key in ("primary_diameter", "primary_length", "collector_diameter", "collector_length")),
    ),
    Slot.BOOST_CONTROL: (SHEET["boost_target"],),
    Slot.PULLEY: (SHEET["crank_pulley"], SHEET["blower_pulley"]),
    Slot.AIR_CLEANER: (*_STACKED, *_FLANGES[:1]),
    Slot.OTHER: (),
}  # fmt: skip


def part_dimensions(slot: Slot) -> dict[str, Dimension]:
    """What can be written down of a part of this kind, by key.

    Shapes: one slot.
    Units:  none.
    Errors: none.
    Source: PART_DIMENSIONS, with what every part has.
    >>> "runner_length" in part_dimensions(Slot.INTAKE_MANIFOLD)
    True
    """
    return {dimension.key: dimension for dimension in (*PART_DIMENSIONS[slot], *_EVERY_PART)}
