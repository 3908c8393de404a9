"""Windows of a programme: where a channel must lie before a pull may start. Typed in a person's units."""

from __future__ import annotations

from torvix_core.pull.trace import PLAUSIBLE
from torvix_core.units import quantities
from torvix_core.units.quantity_parser import NotUnderstood, read_quantity

from programmes.models import Programme, Window
from shop.models import Person
from shop.permissions import require_operator, units_of
from shop.refusals import Invalid
from stand.live.display import Display
from stand.pulls.gates import LIKE, channel_measure

CHANNELS = (
    "oil_temperature", "coolant_temperature", "inlet_temperature", "manifold_temperature", "oil_pressure",
    "fuel_pressure", "boost",
)  # fmt: skip


def set_window(person: Person, programme: Programme, channel: str, low: str, high: str) -> None:
    """Another window, or none where both are empty. Invalid names the field."""
    require_operator(person)
    if channel not in CHANNELS:
        raise Invalid("No window is kept for this channel.", fields={"channel": f"one of {', '.join(CHANNELS)}"})
    if not low.strip() and not high.strip():
        programme.windows.filter(channel=channel).delete()
        return
    unit = Display(units_of(person)).unit(channel) or ""
    wrong, ends = {}, []
    for field, text in (("low", low), ("high", high)):
        try:
            ends.append(read_quantity(text, channel_measure(channel), unit, *PLAUSIBLE[channel]).value)
        except NotUnderstood as reason:
            wrong[field] = str(reason)
    if not wrong and ends[0] >= ends[1]:
        wrong["high"] = "must lie above the lower end"
    if wrong:
        raise Invalid("The window cannot be used: see the fields.", fields=wrong)
    Window.objects.update_or_create(programme=programme, channel=channel, defaults={"low": ends[0], "high": ends[1]})


def likeness_words(channel: str, unit: str) -> str:
    """How close to those it is compared with a pull must begin, in words; empty where it does not matter."""
    around = LIKE.get(channel)
    if around is None or not unit:
        return ""
    rule = quantities.to_si_rule(unit)
    return f"± {around / rule.scale:.3g} {unit}"
