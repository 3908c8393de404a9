"""What a pull says of its tune, in words: never more than one pull can say."""

from __future__ import annotations

import re
from collections.abc import Mapping

from torvix_core.units import quantities

from curves.post_pull.post_pull_check import AfterPull
from programmes.plan.plans import SETTING
from programmes.settings import service as adjusting


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
    told = f"Lambda {read.found:.2f} against {read.target:.2f}, {abs(read.off) * 100:.0f} % {side}"
    jets = adjusting.in_force(found.pull.setup).get(f"{SETTING}jets")
    sizes = re.findall(r"\d+(?:\.\d+)?", jets.text) if jets else []
    if not sizes:
        return f"{told}."
    wanted = "/".join(f"{float(size) * read.jet_factor:.0f}" for size in sizes)
    return f"{told}: by area, jets {'/'.join(sizes)} would become {wanted}; air bleeds make a real step smaller."


def _boost(found: AfterPull, units: Mapping[str, str]) -> str:
    held = found.boost
    if held is None or held.near:
        return ""
    read, target = (quantities.words(each, units["boost"]) for each in (held.found, held.target))
    way = "more" if held.found < held.target else "less"
    return f"Boost {read} from {held.from_rpm:.0f} rpm on, against {target}: {way} for the next."


def _changed(found: AfterPull) -> str:
    if not found.changed or found.helped is None or found.overlay is None:
        return ""
    share = f"{found.overlay.mean * 100:+.1f} %"
    if found.helped:
        return f"{share} since the change: an improvement, keep the change. One pull each is a hint, not a proof."
    return f"{share} since the change: go back. One pull each is a hint, not a proof."
