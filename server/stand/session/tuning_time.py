"""How long the setup that is on was tuned: from its first pull to the first with the tune it was left with."""

from __future__ import annotations

from itertools import takewhile

from torvix_core.engine.dimensions import Slot

from programmes.models import FuelBy
from programmes.plan import tuning_times
from stand.models import PullState, Session


def note_visit(session: Session) -> None:
    """Keep the minutes of the visit that ends now, for the next plan; nothing where its tune was never changed."""
    newest = session.pulls.filter(state=PullState.COMPLETE).order_by("-number").prefetch_related("settings")
    pulls = list(newest)
    if not pulls:
        return
    visit = list(takewhile(lambda pull: pull.setup_id == pulls[0].setup_id, pulls))
    final = visit[0].settings_in_force
    settled = list(takewhile(lambda pull: pull.settings_in_force == final, visit))[-1]
    first = visit[-1]
    took_min = (settled.armed_at - first.armed_at).total_seconds() / 60
    slots = set(first.setup.parts.values_list("slot", flat=True)) if took_min > 0 else set()
    fuel_by = FuelBy.CARBURETOR if Slot.CARBURETOR in slots else FuelBy.PROGRAM
    tuning_times.note(session.programme, fuel_by, took_min, first.armed_at)
