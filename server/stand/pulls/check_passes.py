"""Check passes at the stand: how far they sweep, what they say, and that a no go holds the full sweep."""

from __future__ import annotations

from collections.abc import Mapping

from torvix_core.pull.check_pass import SECONDS, CheckLine, CheckPass, read_check_pass
from torvix_core.pull.trace import BANKS, MIXTURE, SPEED
from torvix_core.units import quantities

from programmes.models import Setup
from programmes.settings import service as adjusting
from shop.models import Person
from shop.permissions import units_of
from shop.refusals import Refusal
from stand.models import Pull, PullState, Purpose, Session
from stand.pulls.raw_channels import NoSamples
from stand.pulls.samples import read_trace
from stand.pulls.targets import mixture_target

LEAST_RPM = 300.0  # of a sweep, so that something is read
HELD = (Purpose.SWEEP, Purpose.WARM_UP, Purpose.STEPS)  # what a no go holds
NAMES = {
    "lambda": "Mixture", "lambda_left": "Mixture, left bank", "lambda_right": "Mixture, right bank",
    "oil_pressure": "Oil pressure", "knock": "Knock", "oil_temperature": "Oil",
    "coolant_temperature": "Coolant",
}  # fmt: skip


def end_of(start_rpm: float, end_rpm: float, rate_rpm_s: float) -> float:
    """Where a check pass ends, unless somebody asked for another speed; never above the plan's sweep."""
    return min(end_rpm, start_rpm + max(LEAST_RPM, SECONDS * rate_rpm_s))


def read(pull: Pull) -> CheckPass:
    """What a check pass that has ended says, by the target it was armed with; no line where it has no samples."""
    try:
        trace = read_trace(pull)
    except NoSamples:
        return CheckPass(())
    channels = dict(zip(trace.names, trace.values, strict=True))
    if SPEED not in channels:
        return CheckPass(())
    wanted = {key: channels[key] for key in (*NAMES, "throttle") if key in channels}
    return read_check_pass(channels[SPEED], wanted, mixture_target(pull))


def passed(session: Session, setup: Setup) -> bool:
    """Whether a check pass since the last change of parts said go with this tune, or a longer pull was made with it."""
    tune = _tune(setup)
    complete = session.pulls.filter(state=PullState.COMPLETE).select_related("build").prefetch_related("settings")
    for pull in complete.order_by("-number"):
        if pull.setup_id != setup.pk:
            return False
        if adjusting.at_full_throttle(pull.settings_in_force) == tune:
            return pull.purpose != Purpose.CHECK or read(pull).go
    return False


def _tune(setup: Setup) -> dict[str, str]:
    return adjusting.at_full_throttle({key: value.text for key, value in adjusting.in_force(setup).items()})


def require_go(person: Person, session: Session, setup: Setup, purpose: Purpose) -> None:
    """Refuse a full sweep while the last check pass of this setup and tune said no go; in the person's units."""
    if purpose not in HELD:
        return
    checked = session.pulls.filter(state=PullState.COMPLETE, setup=setup, purpose=Purpose.CHECK)
    last = checked.order_by("-number").first()
    if last is None:
        return
    if adjusting.at_full_throttle(last.settings_in_force) != _tune(setup) or (found := read(last)).go:
        return
    reasons = " ".join(line_words(line, units_of(person)) for line in found.lines if line.right is False)
    raise Refusal(f"Not armed: check pass {last.number} was no go. {reasons} Put it right and make another check pass.",
                  code="check_no_go")  # fmt: skip


def line_words(line: CheckLine, units: Mapping[str, str]) -> str:
    """One line in the reader's units."""
    name = NAMES[line.key]
    if line.value is None:
        return f"{name} was not measured."
    if line.key == "knock":
        return "No knock." if line.right else "It knocked."
    value, limit = (_shown(line.key, each, units) for each in (line.value, line.limit or 0.0))
    if line.right:
        return f"{name} {value}."
    side = "at least" if line.key == "oil_pressure" or line.value < (line.limit or 0.0) else "at most"
    return f"{name} {value}, {side} {limit} wanted."


def _shown(key: str, value: float, units: Mapping[str, str]) -> str:
    if key in (MIXTURE, *BANKS):
        return f"lambda {value:.2f}"
    return quantities.words(value, units["oil_pressure" if key == "oil_pressure" else "temperature"])
