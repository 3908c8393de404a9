"""What a pull was to reach, by the tune that it was armed with: its mixture and its boost."""

from __future__ import annotations

from torvix_core.units.quantity_parser import NotUnderstood

from engines.sheet import sheets
from programmes.plan.plans import SETTING
from programmes.settings import service as adjusting
from stand.models import Pull


def mixture_target(pull: Pull) -> float | None:
    """Lambda under load: of the pull's own tune, else of the build sheet."""
    return _own(pull, "mixture_target") or sheets.value(pull.build, "mixture_target")


def boost_target(pull: Pull) -> float | None:
    """Pa above ambient; None where the tune has none."""
    return _own(pull, "boost_target")


def _own(pull: Pull, key: str) -> float | None:
    """None where the tune does not say it, or a file of somebody else's says it in words."""
    try:
        return adjusting.read_setting(f"{SETTING}{key}", pull.settings_in_force.get(f"{SETTING}{key}", ""), {}).value
    except NotUnderstood:
        return None
