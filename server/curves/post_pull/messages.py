"""What a pull says of its tune, in words: never more than one pull can say."""

from __future__ import annotations

from collections.abc import Mapping

from torvix_core.units import quantities
from torvix_core.units.grammar import listed

from curves.post_pull.post_pull_check import AfterPull


def hints(found: AfterPull, units: Mapping[str, str]) -> list[str]:
    """A sentence each for mixture, boost, and a setting that was changed; [] where all is as it should be."""
    return [told for told in (_mixture(found), _boost(found, units), _changed(found)) if told]


def hazard(found: AfterPull) -> str:
    """What must be seen to before anything else; "" where nothing is."""
    if found.mixture is None or not found.mixture.hazardous:
        return ""
    return (
        f"Lean at full load: lambda {found.mixture.found:.2f} against {found.mixture.target:.2f}. "
        "Make it richer before the next pull."
    )


def _mixture(found: AfterPull) -> str:
    read = found.mixture
    if read is None or read.near:
        return ""
    side = "leaner" if read.off > 0 else "richer"
    return f"Lambda {read.found:.2f} against {read.target:.2f}, {abs(read.off) * 100:.0f} % {side}."


def _boost(found: AfterPull, units: Mapping[str, str]) -> str:
    held = found.boost
    if held is None or (held.near and not found.boost_misses):
        return ""
    read, target = (quantities.words(each, units["boost"]) for each in (held.found, held.target))
    way = "raise" if held.found < held.target else "lower"
    text = f"Boost {read} from {held.from_rpm:.0f} rpm on, against {target}"
    text += "." if held.near else f": {way} boost for the next pull."
    if not held.near and len(found.boost_misses) < 2:
        return text  # all of it alike
    where = [
        f"{quantities.words(abs(one.miss), units['boost'])} {'over' if one.miss > 0 else 'short'} "
        f"from {one.low_rpm:.0f} to {one.high_rpm:.0f} rpm"
        for one in found.boost_misses
    ]
    return f"{text} Correct the controller where it is {listed(where)}." if where else text


def _changed(found: AfterPull) -> str:
    if not found.changed or found.helped is None or found.overlay is None:
        return ""
    share = f"{found.overlay.mean * 100:+.1f} %"
    if found.helped:
        return f"{share} since the change: an improvement, keep the change. One pull each is a hint, not a proof."
    return f"{share} since the change: revert it. One pull each is a hint, not a proof."
