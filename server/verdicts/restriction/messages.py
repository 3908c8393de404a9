"""Where the restriction is, in plain sentences: a hint with what would contradict it, never a certainty."""

from __future__ import annotations

from collections.abc import Mapping

from torvix_core.engine.dimensions import Slot
from torvix_core.judging.sentences import percent, signed_percent
from torvix_core.regimes.restriction import LABELS, ClueKind, ClueSide
from torvix_core.units import quantities
from torvix_core.units.grammar import listed

from verdicts.restriction.service import Restriction, RestrictionEvidence, of_place


def evidence_sentence(one: RestrictionEvidence, units: Mapping[str, str], smallest: float) -> str:
    """What one clue says, at which power."""
    clue, at = one.clue, _power(one.power, units)
    if clue.kind is ClueKind.SWAP:
        change = f"{one.after} for {one.before or 'nothing'}"
        if clue.side(smallest) is ClueSide.AGAINST:
            return f"{change}: at most {percent(max(clue.high, 0.0))} at {at}, so it is not there at this power."
        gain = f"{signed_percent(clue.gain)} ({signed_percent(clue.low)} to {signed_percent(clue.high)})"
        return f"{change}: {gain} at the top, at {at}."
    if clue.kind is ClueKind.PAPER:
        share, usual = one.power / one.figure * 100, _power(one.figure, units)
        return f"The head flow usually carries {usual}; the engine makes {at}, {share:.0f} % of it."
    if one.slot == "depression":
        lost = quantities.words(one.figure, units["vacuum"])
        return f"At full throttle {lost} are lost before the manifold at the top: the air for {percent(clue.gain)}."
    more = quantities.words(abs(one.figure), units["boost"])
    return f"Exhaust pressure lies {more} {'above' if one.figure > 0 else 'below'} boost at the top."


def hint_sentences(found: Restriction, units: Mapping[str, str]) -> list[str]:
    """The hint, what would contradict it, and the next swap."""
    smallest = found.comparison.programme.smallest_difference
    lines = []
    if found.hint.place is None:
        lines.append("Nothing here points at one place beyond doubt.")
    else:
        named = next(one for one in found.weighed if one.place is found.hint.place)
        because = listed([
            {"swap": "its swap", "channel": "what was read there", "paper": "its ceiling on paper"}[kind]
            for kind in dict.fromkeys(one.clue.kind for one in of_place(found, named.place)
                                      if one.clue.side(smallest) is not ClueSide.AGAINST)
        ])  # fmt: skip
        lines.append(
            f"{LABELS[named.place]}: the evidence points there. By {because}, freeing it is worth about "
            f"{signed_percent(named.gain)} ({signed_percent(named.low)} to {signed_percent(named.high)}) at the top."
        )
        against = "Another swap there that gives" if named.swapped else "A swap there that gives"
        lines.append(f"{against} less than {percent(smallest)} would contradict it.")
    if found.hint.next_place is not None:
        at_hand = f" At hand: {listed(found.at_hand, 'or')}." if found.at_hand else " No other part for it is on file."
        lines.append(f"The next swap would tell most here: {LABELS[found.hint.next_place].lower()}.{at_hand}")
    for slots in found.together:
        names = listed([Slot(slot).label.lower() if slot in list(Slot) else slot for slot in slots])
        lines.append(
            f"{names[0].upper()}{names[1:]} were changed together, so none of them is separated from the rest."
        )
    if found.filling is not None:
        highest, end = found.filling
        lines.append(
            f"Filling falls from {highest * 100:.0f} % at its best to {end * 100:.0f} % at the end: that something "
            "restricts, not where."
            if end < 0.95 * highest
            else f"Filling holds {end * 100:.0f} % at the end, of {highest * 100:.0f} % at its best."
        )
    return lines


def _power(value: float, units: Mapping[str, str]) -> str:
    return f"{float(quantities.from_si(value, units['power'])):.0f} {units['power']}"
