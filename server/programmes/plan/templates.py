"""The usual schools of ordering a day, as changes to a draft. What they set can be changed like anything typed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from programmes.plan.schemas import DraftIn, DraftVisitIn
from shop.refusals import Invalid


@dataclass(frozen=True)
class Template:
    key: str
    label: str
    meaning: str
    needs_setup: bool
    change: Callable[[DraftIn, int], DraftIn]


def apply(key: str, setup: int, draft: DraftIn) -> DraftIn:
    """The draft with a template applied. Invalid where the template or its setup is not there."""
    found = next((one for one in TEMPLATES if one.key == key), None)
    if not draft.setups:
        raise Invalid("There is nothing to order yet.", fields={"setups": "add the setups first"})
    if found is None:
        raise Invalid("There is no such template.", fields={"template": "choose one of the list"})
    if found.needs_setup and not 0 < setup < len(draft.setups):
        raise Invalid("Choose the setup that it is about.", fields={"setup": "choose a setup that is not the baseline"})
    return found.change(draft.model_copy(deep=True), setup)


def _visit(draft: DraftIn, setup: int, pulls: str) -> DraftVisitIn:
    """A visit; one that is in the order already keeps its number, because pulls may count towards it."""
    free = [one for one in draft.order if one.setup == setup]
    if free:
        draft.order.remove(free[0])
    return DraftVisitIn(id=free[0].id if free else None, setup=setup, pulls=pulls)


def _stock_to_maximum(draft: DraftIn, _: int) -> DraftIn:
    """As listed, with a return after every so many, and the baseline at the end."""
    every = int(draft.texts["return_every"]) if draft.texts.get("return_every", "").isdigit() else 3
    back = draft.texts.get("return_pulls", "") or "2"
    listed = [place for place, one in enumerate(draft.setups) if place and one.candidate == "in"]
    order = [_visit(draft, 0, draft.setups[0].pulls)]
    for count, place in enumerate(listed, 1):
        order.append(_visit(draft, place, draft.setups[place].pulls))
        if count % max(every, 1) == 0 or count == len(listed):
            order.append(_visit(draft, 0, back))
    draft.order = order
    for one in draft.setups:
        one.place = ""
    return draft


def _first(draft: DraftIn, setup: int) -> DraftIn:
    for place, one in enumerate(draft.setups):
        one.place = "first" if place == setup else one.place.replace("first", "")
    return draft


def _last(draft: DraftIn, setup: int) -> DraftIn:
    for place, one in enumerate(draft.setups):
        one.place = "last" if place == setup else one.place.replace("last", "")
    return draft


def _with_without_with(draft: DraftIn, setup: int) -> DraftIn:
    """Two visits with the baseline between them: what refitting moves shows, and drift does not pass for a gain."""
    draft.setups[setup].visits = "2"
    draft.texts["return_every"] = "1"
    return draft


TEMPLATES = (
    Template("stock_to_maximum", "Stock to maximum", "as listed, mild to wild, with the returns", False,
             _stock_to_maximum),
    Template("best_known_first", "Best-known first", "the one that is known best comes right after the baseline", True,
             _first),
    Template("as_installed_last", "As installed, last", "the customer's final build ends the day and stays on", True,
             _last),
    Template("with_without_with", "With, without, with", "twice with the baseline between: before a large claim", True,
             _with_without_with),
)  # fmt: skip
