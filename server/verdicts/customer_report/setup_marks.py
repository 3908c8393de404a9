"""A setup's mark on paper: letter, colour, shape and dash together, as on every screen (web/src/ui/setups/marks.ts)."""

from __future__ import annotations

from dataclasses import dataclass

from programmes.models import letter_of

SHAPES = ("circle", "square", "triangle", "diamond", "hexagon", "pentagon")
DASHES: tuple[tuple[int, ...], ...] = (
    (), (9, 4), (2, 3), (9, 3, 2, 3), (5, 3), (9, 3, 2, 3, 2, 3),
    (18, 4), (14, 3, 5, 3), (2, 7), (18, 3, 2, 3), (5, 7), (14, 3, 2, 3, 2, 3, 2, 3),
)  # fmt: skip
COLOURS = ("#1B6CA8", "#B8460F", "#0B7A5E", "#7B45B0", "#8A6A00", "#B02A73")
OUTLINES = {
    "circle": "M12 2.5A9.5 9.5 0 0 1 12 21.5A9.5 9.5 0 0 1 12 2.5Z", "square": "M3.5 3.5H20.5V20.5H3.5Z",
    "triangle": "M12 1L23 21.5H1Z", "diamond": "M12 0.5L23.5 12L12 23.5L0.5 12Z",
    "hexagon": "M12 1L21.5 6.5V17.5L12 23L2.5 17.5V6.5Z", "pentagon": "M12 1L22.5 8.6L18.5 20.9H5.5L1.5 8.6Z",
}  # fmt: skip
DRAWN = {"circle": "o", "square": "s", "triangle": "^", "diamond": "D", "hexagon": "h", "pentagon": "p"}


@dataclass(frozen=True)
class Mark:
    letter: str
    colour: str
    shape: str
    dash: tuple[int, ...]
    ringed: bool  # setups beyond the sixth repeat colour and shape, with a ring and another dash

    @property
    def path(self) -> str:
        """Its outline as an SVG path in a box of 24 by 24."""
        return OUTLINES[self.shape]


def mark_of(position: int) -> Mark:
    at = position % len(SHAPES)
    return Mark(letter_of(position), COLOURS[at], SHAPES[at], DASHES[position % len(DASHES)], position >= len(SHAPES))
