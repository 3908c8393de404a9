"""What the short block and its cam give: displacement, piston speed, compression and its shares, valve events."""

from __future__ import annotations

from collections.abc import Callable

from torvix_core.engine import camshaft, compression, geometry
from torvix_core.engine.camshaft import ValveTiming
from torvix_core.engine.sheet import Amount, BuildSheet, Missing, Rule
from torvix_core.units.quantities import percent

AMBIENT = 101_325.0  # Pa, taken for estimates that need the air; a standard day
INLET = 298.15  # K, air that the engine is given, likewise
PISTON_SPEED_LIMIT = 25.0  # m/s, mean [prac]
SEAT, AT_050 = "", "_050"


# Bottom end


def displacement(sheet: BuildSheet) -> float:
    """Swept volume of the engine.

    Shapes: one sheet.
    Units:  m³.
    Errors: Missing, with what the sheet lacks.
    Source: `geometry.displacement`.
    >>> from torvix_core.engine.evidence import Evidence, Origin, settle
    >>> given = {"bore": 0.1, "stroke": 0.09, "cylinders": 4.0}
    >>> told = {key: settle([Evidence(Origin.MEASURED, value)]) for key, value in given.items()}
    >>> round(displacement(BuildSheet(told)) * 1e6)
    2827
    """
    bore, stroke, cylinders = sheet.numbers("bore", "stroke", "cylinders")
    return float(geometry.displacement(bore, stroke, cylinders))


def swept(sheet: BuildSheet) -> float:
    """Volume swept by one cylinder.

    Shapes: one sheet.
    Units:  m³.
    Errors: Missing, with what the sheet lacks.
    Source: `geometry.displacement`.
    >>> swept(BuildSheet({}))
    Traceback (most recent call last):
    torvix_core.engine.sheet.Missing: bore, stroke
    """
    bore, stroke = sheet.numbers("bore", "stroke")
    return float(geometry.displacement(bore, stroke, 1))


def _piston_speed(sheet: BuildSheet) -> Amount:
    speed = float(geometry.mean_piston_speed(*sheet.numbers("stroke", "redline")))
    limit = sheet.given("piston_speed_limit") or PISTON_SPEED_LIMIT
    return Amount(speed, note=f"{percent(speed / limit)} of the limit")


# Compression


def _clearance(sheet: BuildSheet) -> compression.ClearanceVolumes:
    bore, chamber, gasket_bore, gasket, deck = sheet.numbers(
        "bore", "chamber_volume", "gasket_bore", "gasket_thickness", "deck_clearance"
    )
    dish, reliefs, dome = (sheet.given(key) or 0.0 for key in ("dish_volume", "relief_volume", "dome_volume"))
    volumes = compression.clearance_volumes(
        bore=bore, chamber=chamber, gasket_bore=gasket_bore, gasket_thickness=gasket, deck_clearance=deck,
        piston=dish + reliefs - dome,
    )  # fmt: skip
    if float(volumes.total) <= 0:
        raise ValueError("the dome and the deck leave no volume above the piston: one of these cannot be right")
    return volumes


def _share(part: str) -> Callable[[BuildSheet], Amount]:
    def work_out(sheet: BuildSheet) -> Amount:
        volumes = _clearance(sheet)
        volume = float(getattr(volumes, part))
        return Amount(volume, note=f"{percent(volume / float(volumes.total))} of the clearance")

    return work_out


def _clearance_total(sheet: BuildSheet) -> float:
    return float(_clearance(sheet).total)


def static_ratio(sheet: BuildSheet) -> float:
    """Static compression ratio from the volumes written down.

    Shapes: one sheet.
    Units:  [-].
    Errors: Missing, with what the sheet lacks.
    Source: `compression.static_ratio`.
    >>> static_ratio(BuildSheet({}))
    Traceback (most recent call last):
    torvix_core.engine.sheet.Missing: bore, stroke
    """
    return float(compression.static_ratio(swept(sheet), _clearance_total(sheet)))


def intake_closing(sheet: BuildSheet, bank: int = 1) -> float:
    """Intake closing at the seat: worked out where the cam is described, else as told.

    Shapes: one sheet.
    Units:  degrees after bottom dead center.
    Errors: Missing, with what the sheet lacks.
    Source: `timing`.
    >>> from torvix_core.engine.evidence import Settled
    >>> intake_closing(BuildSheet({"intake_closing": Settled(63.0)}))
    63.0
    """
    try:
        return float(timing(sheet, SEAT, bank).intake_closing)
    except Missing as lacking:
        if (told := sheet.given(sheet.banked("intake_closing", bank))) is not None:
            return told
        raise Missing(*lacking.keys, "intake_closing") from None


def _trapped_ratio(sheet: BuildSheet) -> float:
    static, (stroke, rod) = static_ratio(sheet), sheet.numbers("stroke", "rod_length")
    return float(compression.trapped_ratio(static, stroke, rod, intake_closing(sheet)))


def _cranking(sheet: BuildSheet) -> Amount:
    trapped = _trapped_ratio(sheet)
    low, high = (float(compression.cranking_pressure(trapped, AMBIENT, n)) for n in compression.CRANKING_EXPONENTS)
    note = "an estimate at sea level"
    if (measured := sheet.maybe("cranking_pressure")) is not None:
        place = "below" if measured < low else "above" if measured > high else "inside"
        note += f"; the measured value lies {place} it"
    return Amount(None, low, high, note)


# Camshaft


def timing(sheet: BuildSheet, height: str, bank: int) -> ValveTiming:
    """Valve events of one bank, at the seat or at 0.050 in of lift.

    Shapes: one sheet.
    Units:  degrees of crankshaft.
    Errors: Missing, with what the sheet lacks.
    Source: `camshaft.valve_timing`; the separation and the advance stand in for centrelines that are not given.
    >>> timing(BuildSheet({}), "", 1)
    Traceback (most recent call last):
    torvix_core.engine.sheet.Missing: intake_duration, exhaust_duration
    """
    intake_duration, exhaust_duration = sheet.numbers(
        *(sheet.banked(f"{side}_duration{height}", bank) for side in ("intake", "exhaust"))
    )
    intake, exhaust = _centrelines(sheet, bank)
    return camshaft.valve_timing(intake_duration, exhaust_duration, intake, exhaust)


def _centrelines(sheet: BuildSheet, bank: int) -> tuple[float, float]:
    def given(key: str) -> float | None:
        return sheet.given(sheet.banked(key, bank))

    intake, exhaust, separation = given("intake_centreline"), given("exhaust_centreline"), given("lobe_separation")
    if intake is None:
        if separation is None:
            raise Missing("intake_centreline")
        intake = float(camshaft.centrelines(separation, sheet.number(sheet.banked("cam_advance", bank)))[0])
    if exhaust is None:
        if separation is None:
            raise Missing("exhaust_centreline")
        exhaust = 2 * separation - intake
    return intake, exhaust


def _event(name: str, height: str, bank: int) -> Callable[[BuildSheet], float]:
    return lambda sheet: float(getattr(timing(sheet, height, bank), name))


_EVENTS = (
    ("intake_opening", "Intake opens before TDC"),
    ("intake_closing", "Intake closes after BDC"),
    ("exhaust_opening", "Exhaust opens before BDC"),
    ("exhaust_closing", "Exhaust closes after TDC"),
    ("overlap", "Overlap"),
)


def _timing_rules() -> list[Rule]:
    rules = []
    for bank, bank_key, bank_label in ((1, "", ""), (2, "_bank_2", ", second bank")):
        for height, height_label in ((SEAT, "at the seat"), (AT_050, "at 0.050 in")):
            for name, label in _EVENTS:
                rules.append(
                    Rule(f"{name}{height or '_seat'}{bank_key}", f"{label}, {height_label}{bank_label}", "camshaft",
                         "angle", _event(name, height, bank), unit="°", source="geometry of the cam")
                )  # fmt: skip
    return rules


RULES: tuple[Rule, ...] = (
    Rule("displacement", "Displacement", "bottom_end", "volume", displacement, figure="displacement",
         source="π/4 · bore² · stroke · cylinders"),
    Rule("swept_volume", "Swept by one cylinder", "bottom_end", "volume", swept, figure="volume",
         source="π/4 · bore² · stroke"),
    Rule("piston_speed", "Mean piston speed at redline", "bottom_end", "velocity", _piston_speed, figure="velocity",
         source="2 · stroke · n / 60"),
    Rule("share_chamber", "Chamber", "compression", "volume", _share("chamber"), figure="volume"),
    Rule("share_gasket", "Gasket", "compression", "volume", _share("gasket"), figure="volume"),
    Rule("share_deck", "Deck", "compression", "volume", _share("deck"), figure="volume"),
    Rule("share_piston", "Piston", "compression", "volume", _share("piston"), figure="volume"),
    Rule("clearance", "Clearance volume, total", "compression", "volume", _clearance_total, figure="volume"),
    Rule("static_ratio", "Static compression ratio", "compression", "ratio", static_ratio, unit=":1",
         source="(Vs + Vc)/Vc"),
    Rule("trapped_ratio", "Dynamic compression ratio", "compression", "ratio", _trapped_ratio, unit=":1",
         source="slider-crank, from the closing of the intake at the seat"),
    Rule("cranking_estimate", "Cranking pressure, estimated", "compression", "pressure", _cranking, figure="boost",
         source="p · ratio^n − p with n 1.2 to 1.3, from memory"),
    *_timing_rules(),
)  # fmt: skip
