"""Printed tables of pulls as they lie in a drawer: rendered, then aged, turned and photographed, with known figures."""

from __future__ import annotations

import io
import random
from collections.abc import Sequence
from dataclasses import dataclass
from math import exp, pi
from pathlib import Path

import matplotlib
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFilter, ImageFont

FONTS = {
    "sans": "DejaVuSans.ttf", "serif": "DejaVuSerif.ttf", "mono": "DejaVuSansMono.ttf", "book": "STIXGeneral.ttf",
    "bold": "DejaVuSans-Bold.ttf", "typewriter": "cmtt10.ttf", "grotesque": "cmss10.ttf",
}  # fmt: skip
FONT_FOLDER = Path(matplotlib.get_data_path()) / "fonts" / "ttf"  # fonts that come with a package that is here anyway
LB_FT, HP = 1.3558179, 745.69987  # N·m, W


@dataclass(frozen=True)
class PrintedTable:
    """What is printed: a title, heads, rows of cells as text, lines below."""

    title: str
    heads: Sequence[str]
    rows: Sequence[Sequence[str]]
    below: Sequence[str] = ()


@dataclass(frozen=True)
class Condition:
    """How the sheet looks today. Angles in degrees; the rest as shares of the range from black to white."""

    font: str = "sans"
    text_px: int = 28
    skew_deg: float = 0.0
    noise: float = 0.0
    fading: float = 0.0
    shadow: float = 0.0
    blur_px: float = 0.0
    ruled: bool = False
    desk: bool = False  # photographed as it lies on something darker
    tilt: float = 0.0  # by which share of its width the far edge looks shorter, each side
    screen: bool = False  # light on dark
    quality: int = 90


def random_table(seed: int) -> PrintedTable:
    """A sweep of an engine that never was, as some bench might print it."""
    pick = random.Random(seed)
    metric = pick.random() < 0.3
    step = pick.choice([100, 100, 200, 250])
    rows = pick.randint(12, 32)
    first = pick.choice([2000, 2400, 2500, 3000, 3200])
    top, at, width = pick.uniform(180, 620), first + step * rows * pick.uniform(0.3, 0.6), pick.uniform(2600, 4200)
    places, power_places = pick.choice([(1, 1), (1, 1), (0, 1), (0, 0)])
    torque_first = pick.random() < 0.7
    extra = pick.choice([(), (), ("A/F",), ("Oil psi", "A/F")])
    torque_unit, power_unit = ("Nm", "kW") if metric else ("lb-ft", "hp")
    heads = ["RPM", *(["Torque", "Power"] if torque_first else ["Power", "Torque"]), *extra]
    units = {"Torque": torque_unit, "Power": power_unit}
    if pick.random() < 0.6:
        heads = [f"{head} ({units[head]})" if head in units else head for head in heads]
    printed, torques, powers = [], [], []
    for row in range(rows):
        rpm = first + step * row
        torque = top * exp(-(((rpm - at) / width) ** 2)) * (1 + 0.002 * pick.gauss(0, 1))
        watts = torque * (1.0 if metric else LB_FT) * rpm * pi / 30
        power = watts / (1000 if metric else HP)
        torques.append((torque, rpm))
        powers.append((power, rpm))
        two = [f"{torque:.{places}f}", f"{power:.{power_places}f}"]
        more = [f"{pick.uniform(12.4, 13.2):.1f}" if name == "A/F" else str(pick.randint(48, 66)) for name in extra]
        printed.append([str(rpm), *(two if torque_first else reversed(two)), *more])
    below = []
    if pick.random() < 0.5:
        (peak, peak_rpm), (best, best_rpm) = max(torques), max(powers)
        below = [f"Peak torque {peak:.{places}f} {torque_unit} @ {peak_rpm} rpm",
                 f"Peak power {best:.{power_places}f} {power_unit} @ {best_rpm} rpm"]  # fmt: skip
    return PrintedTable(f"Pull {pick.randint(2, 60)}", heads, printed, below)


def random_condition(seed: int) -> Condition:
    pick = random.Random(seed + 10_000)
    desk = pick.random() < 0.3
    return Condition(
        font=pick.choice(list(FONTS)), text_px=pick.randint(20, 34), skew_deg=pick.uniform(-5, 5),
        noise=pick.choice([0.0, pick.uniform(0, 0.10)]), fading=pick.choice([0.0, pick.uniform(0, 0.65)]),
        shadow=pick.choice([0.0, pick.uniform(0, 0.55)]), blur_px=pick.choice([0.0, pick.uniform(0.3, 1.0)]),
        ruled=pick.random() < 0.3, desk=desk, tilt=pick.uniform(0, 0.04) if desk else 0.0, screen=pick.random() < 0.1,
        quality=pick.choice([60, 75, 90]),
    )  # fmt: skip


def picture(table: PrintedTable, condition: Condition, seed: int = 0) -> bytes:
    """A photograph of the sheet as JPEG."""
    paper = _aged(_printed(table, condition), condition, np.random.default_rng(seed))
    out = io.BytesIO()
    Image.fromarray(paper).save(out, "JPEG", quality=condition.quality)
    return out.getvalue()


def _printed(table: PrintedTable, condition: Condition) -> Image.Image:
    font = ImageFont.truetype(str(FONT_FOLDER / FONTS[condition.font]), condition.text_px)
    cells = [list(table.heads), *map(list, table.rows)]
    gap, line = round(condition.text_px * 1.6), round(condition.text_px * 1.55)
    widths = [max(font.getlength(row[at]) for row in cells) for at in range(len(table.heads))]
    margin = condition.text_px * 3
    wide = max(sum(widths) + gap * (len(widths) - 1), *(font.getlength(text) for text in [table.title, *table.below]))
    size = round(wide + 2 * margin), line * (len(cells) + len(table.below) + 4) + 2 * margin
    paper = Image.new("L", size, 250)
    draw = ImageDraw.Draw(paper)
    draw.text((margin, margin), table.title, font=font, fill=10)
    top = margin + 2 * line
    for at, row in enumerate(cells):
        left = float(margin)
        for cell, width in zip(row, widths, strict=True):
            draw.text((left + width - font.getlength(cell), top + at * line), cell, font=font, fill=10)
            left += width + gap
        if condition.ruled:
            y = top + at * line - round(line * 0.12)
            draw.line((margin - gap // 2, y, left - gap // 2, y), fill=60, width=1 + condition.text_px // 20)
    if condition.ruled:
        left = float(margin) - gap / 2
        foot = top + len(cells) * line - round(line * 0.12)
        for width in [*widths, 0.0]:
            draw.line((left, top - round(line * 0.12), left, foot), fill=60, width=1 + condition.text_px // 20)
            left += width + gap
    for at, text in enumerate(table.below):
        draw.text((margin, top + (len(cells) + 1 + at) * line), text, font=font, fill=10)
    return paper


def _aged(paper: Image.Image, condition: Condition, chance: np.random.Generator) -> NDArray[np.uint8]:
    if condition.screen:
        paper = Image.fromarray(255 - np.asarray(paper))
    ground = 5 if condition.screen else 250
    if condition.desk:
        desk = Image.new("L", (paper.width + 160, paper.height + 160), 70)
        desk.paste(paper, (80, 80))
        paper, ground = desk, 70
    paper = paper.rotate(condition.skew_deg, Image.Resampling.BICUBIC, expand=True, fillcolor=ground)
    if condition.blur_px:
        paper = paper.filter(ImageFilter.GaussianBlur(condition.blur_px))
    if condition.tilt:
        wide, high = paper.size
        cut = condition.tilt * wide
        # Corners of what is shown: wider above, so that the far edge looks shorter.
        away = (-cut, -cut / 2, -cut * 0.2, high, wide + cut * 0.2, high, wide + cut, -cut / 2)
        paper = paper.transform(paper.size, Image.Transform.QUAD, away, Image.Resampling.BICUBIC, fillcolor=ground)
    light = np.asarray(paper, float) / 255
    light = 1 - (1 - light) * (1 - condition.fading) if not condition.screen else light * (1 - condition.fading / 2)
    height, width = light.shape
    across, down = np.meshgrid(np.linspace(0, 1, width), np.linspace(0, 1, height))
    angle = chance.uniform(0, 2 * pi)
    edge = np.clip(0.5 + 1.5 * ((across - 0.5) * np.cos(angle) + (down - 0.5) * np.sin(angle)), 0, 1)
    light = light * (1 - condition.shadow * edge) + chance.normal(0, condition.noise, light.shape)
    return np.asarray(np.clip(light * 255, 0, 255), np.uint8)
