"""The curves of a sheet as SVG or PNG: torque, power, who leads, with the setups' marks at the ends of their lines."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from itertools import pairwise
from typing import IO, Any

import numpy as np

from curves.reduction.nature import WORDS, Nature
from verdicts.customer_report.number_format import figure
from verdicts.customer_report.setup_marks import DRAWN, Mark, mark_of

INK, QUIET, LINE, HATCH = "#17212B", "#5B6670", "#DCD6C8", "#8A8F94"
WIDTH_IN, HEIGHT_IN = 7.2, 4.25
PNG_DPI = 220
CHART_TYPES = {"svg": "image/svg+xml", "png": "image/png"}
HEIGHTS = {"torque": 10, "power": 8}  # of the panels, against each other
MARK = 1.3  # height of a mark in the same measure
FONT = "B612"
NOT_RUN = {Nature.SIMULATED: "hollow line", Nature.FIGURES: "circles"}  # how each is drawn
LAID_OUT_IN = "DejaVu Sans"  # comes with the library; the sheet's own font is taken where the drawing is shown


def svg(curves: Mapping[str, Any], simulated: bool) -> str:
    """Drawn from a sheet's frozen numbers; text stays text. `simulated` stands across it."""
    out = io.StringIO()
    _draw(curves, simulated, out, "svg")
    found = out.getvalue().replace(f"'{LAID_OUT_IN}'", f"'{FONT}', sans-serif")
    return found[found.index("<svg") :]


def png(curves: Mapping[str, Any], simulated: bool) -> bytes:
    """The same as a picture on white, for a letter or a forum."""
    out = io.BytesIO()
    _draw(curves, simulated, out, "png")
    return out.getvalue()


def _draw(curves: Mapping[str, Any], simulated: bool, out: IO[Any], kind: str) -> None:
    # The figure is made without pyplot: it keeps no state, so that two requests at once do not share one.
    import matplotlib as mpl
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.backends.backend_svg import FigureCanvasSVG
    from matplotlib.figure import Figure

    with mpl.rc_context({
        "svg.fonttype": "none", "svg.hashsalt": "sheet", "font.family": LAID_OUT_IN, "font.size": 7.5,
        "axes.edgecolor": LINE, "axes.labelcolor": QUIET, "xtick.color": QUIET, "ytick.color": QUIET,
        "hatch.linewidth": 0.5,
    }):  # fmt: skip
        drawn = Figure(figsize=(WIDTH_IN, HEIGHT_IN))
        (FigureCanvasSVG if kind == "svg" else FigureCanvasAgg)(drawn)
        torque, power, strip = drawn.subplots(3, 1, sharex=True, height_ratios=[*HEIGHTS.values(), 1.1])
        if simulated:
            drawn.text(
                0.51, 0.57, "SIMULATED", fontsize=46, color=LINE, rotation=18, ha="center", va="center", zorder=-1
            )
        drawn.subplots_adjust(left=0.065, right=0.96, top=0.955, bottom=0.075, hspace=0.24)
        speeds = curves["speed_rpm"]
        for axes, key, unit, name in (
            (torque, "torque", curves["torque_unit"], "Torque"), (power, "power", curves["power_unit"], "Power"),
        ):  # fmt: skip
            _panel(axes, speeds, curves["setups"], key)
            if key == "torque":
                _estimates(axes, speeds, curves.get("estimates", []))
            key_of = f". {_key(curves['setups'])}" if key == "torque" and _key(curves["setups"]) else ""
            axes.set_title(f"{name}, {unit}{key_of}", loc="left", fontsize=7.5, color=QUIET, pad=3)
        _strip(strip, curves)
        strip.set_xlim(speeds[0], speeds[-1])
        strip.set_xlabel("rpm", color=QUIET, loc="right", labelpad=1)
        if kind == "svg":
            drawn.savefig(out, format="svg", transparent=True, metadata={"Date": None, "Creator": None})
        else:
            drawn.savefig(out, format="png", dpi=PNG_DPI, facecolor="white", metadata={"Software": None})


def _panel(axes: Any, speeds: Sequence[float], setups: Sequence[Mapping[str, Any]], key: str) -> None:
    for side in ("top", "right", "left"):
        axes.spines[side].set_visible(False)
    axes.grid(axis="y", color=LINE, linewidth=0.6)
    axes.tick_params(length=0)
    ends = _apart([setup[key][-1] for setup in setups], MARK / HEIGHTS[key] * _reach(setups, key))
    for one, end in zip(setups, ends, strict=True):
        mark, values = mark_of(one["position"]), one[key]
        _line(axes, speeds, values, mark, one.get("nature", Nature.MEASURED))
        if key == "torque" and one["half_width"]:
            low, high = ([value + side * half for value, half in zip(values, one["half_width"], strict=True)]
                         for side in (-1, 1))  # fmt: skip
            axes.fill_between(speeds, low, high, color=mark.colour, alpha=0.12, linewidth=0)
        place = speeds[-1] + 0.012 * (speeds[-1] - speeds[0])
        edge = INK if mark.ringed else mark.colour
        axes.plot(
            [place],
            [end],
            marker=DRAWN[mark.shape],
            markersize=9,
            color=mark.colour,
            markeredgecolor=edge,
            clip_on=False,
        )
        axes.text(
            place, end, mark.letter, color="white", fontsize=5.5, weight="bold", ha="center", va="center", clip_on=False
        )


def _line(axes: Any, speeds: Sequence[float], values: Sequence[float], mark: Mark, nature: str) -> None:
    """Each nature has a line of its own; a report of an earlier Torvix knows none, and says so across the chart."""
    style = (0, tuple(each * 0.55 for each in mark.dash)) if mark.dash else "-"
    if nature == Nature.FIGURES:
        axes.plot(
            speeds, values, color=mark.colour, linestyle="none", marker="o", markersize=2.6, markerfacecolor="white",
            markeredgewidth=0.8, markevery=max(1, len(speeds) // 30),
        )  # fmt: skip
        return
    hollow = nature == Nature.SIMULATED
    axes.plot(speeds, values, color=mark.colour, linewidth=2.2 if hollow else 1.4, linestyle=style)
    if hollow:
        axes.plot(speeds, values, color="white", linewidth=1.0, linestyle=style)


def _estimates(axes: Any, speeds: Sequence[float], estimates: Sequence[Mapping[str, Any]]) -> None:
    """What nobody measured: round dots in an outlined band, in the ink, and with its word."""
    for one in estimates:
        values, low, high = ([np.nan if value is None else value for value in one[key]]
                             for key in ("torque", "low", "high"))  # fmt: skip
        axes.plot(speeds, values, color=INK, linewidth=2.0, linestyle=(0, (0.1, 2.2)), dash_capstyle="round")
        for bound in (low, high):
            axes.plot(speeds, bound, color=INK, linewidth=0.5, linestyle=(0, (2, 3)))
        known = [place for place, value in enumerate(one["torque"]) if value is not None]
        if known:
            at = known[len(known) // 4]
            axes.annotate(
                one["label"], (speeds[at], values[at]), xytext=(0, -11), textcoords="offset points", color=INK
            )


def _key(setups: Sequence[Mapping[str, Any]]) -> str:
    """Which lines no engine was run for, and how they are drawn; empty where all are measured."""
    found = []
    for nature, line in NOT_RUN.items():
        letters = [mark_of(one["position"]).letter for one in setups if one.get("nature") == nature]
        if letters:
            which = "" if len(letters) == len(setups) else f"{', '.join(letters)} "
            found.append(f"{which}{WORDS[nature]}: {line}")
    text = "; ".join(found)
    return text[:1].upper() + text[1:]


def _reach(setups: Sequence[Mapping[str, Any]], key: str) -> float:
    values = [value for setup in setups for value in setup[key]]
    return max(values) - min(values) or 1.0


def _apart(values: Sequence[float], gap: float) -> list[float]:
    """Moved apart as little as needed to lie at least a gap from each other; their order stays."""
    order, moved = sorted(range(len(values)), key=lambda at: values[at]), list(values)
    for _ in range(20):
        for lower, upper in pairwise(order):
            lack = gap - (moved[upper] - moved[lower])
            if lack > 0:
                moved[lower] -= lack / 2
                moved[upper] += lack / 2
    return moved


def _strip(axes: Any, curves: Mapping[str, Any]) -> None:
    for side in ("top", "right", "left", "bottom"):
        axes.spines[side].set_visible(False)
    axes.set_ylim(0, 1)
    axes.set_yticks([])
    axes.tick_params(length=0)
    axes.set_title(f"Who leads in torque, {curves['torque_unit']}", loc="left", fontsize=7.5, color=QUIET, pad=3)
    for lead in curves["leads"]:
        left, width = lead["low_rpm"], lead["high_rpm"] - lead["low_rpm"]
        middle = left + width / 2
        marks = [mark_of(position) for position in leaders_of(lead)]
        if not marks:  # a report of an earlier Torvix, where none led alone
            axes.bar(middle, 1, width, color="white", edgecolor=HATCH, hatch="/////", linewidth=0)
            continue
        # Those that lead together share the height of the strip.
        for place, mark in enumerate(marks):
            axes.bar(middle, 1 / len(marks), width, bottom=place / len(marks), color=mark.colour, linewidth=0)
        letters = " ".join(mark.letter for mark in marks)
        if len(marks) > 1:
            axes.text(middle, 0.5, letters if width > 80 * len(marks) else "", color=INK, ha="center", va="center",
                      bbox={"facecolor": "white", "edgecolor": "none", "pad": 1.2})  # fmt: skip
            continue
        gain = f"{letters} +{figure(lead['gain'])} ± {figure(lead['half_width'])}" if width > 800 else letters
        axes.text(middle, 0.5, gain if width > 80 else "", color="white", ha="center", va="center")


def leaders_of(lead: Mapping[str, Any]) -> list[int]:
    """Positions of the setups that lead in a stretch; reports of format 1 know one or none."""
    if "positions" in lead:
        return list(lead["positions"])
    return [] if lead["position"] is None else [lead["position"]]
