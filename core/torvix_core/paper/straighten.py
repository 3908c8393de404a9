"""A photograph of a sheet brought to dark ink on white paper, upright: edges, light, noise and skew."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.uint8]
LONGEST_PX = 2800
SMALLEST_PX = 60
SKEW_DEG = 8.0  # beyond that somebody has to turn the picture
PAGE_SHARE = 0.25  # of the picture, that a sheet on a desk fills at least
LEAST_GRAIN = 4.0  # of 255; less is left as it is, for smoothing takes away of the print, too
EDGES_PX = 700  # longer side, at which edges of a sheet are looked for


def straighten(gray: Picture) -> Picture:
    """The sheet alone, upright, evenly lit, black on white.

    Shapes: (height, width), 0 black to 255 white; the result has a size of its own.
    Units:  pixels.
    Errors: ValueError if the picture is smaller than SMALLEST_PX either way or all of one shade.
    Source: even light by division by the paper's own shade; skew where the lines of ink are sharpest apart [prac].
    >>> sheet = np.full((200, 300), 200, np.uint8)
    >>> sheet[50:60, 40:260] = 60
    >>> upright = straighten(sheet)
    >>> int(upright.min()), int(upright.max())
    (0, 255)
    """
    if min(gray.shape) < SMALLEST_PX:
        raise ValueError(f"the picture is only {gray.shape[1]} x {gray.shape[0]} pixels")
    if int(gray.max()) - int(gray.min()) < 12:
        raise ValueError("nothing is on the picture: it is all of one shade")
    shrink = LONGEST_PX / max(gray.shape)
    if shrink < 1:
        gray = _picture(cv2.resize(gray, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA))
    gray = _cut_out(gray)
    if np.median(gray) < 110:
        gray = _picture(255 - gray)  # a picture of a dark screen
    even = _even_light(gray)
    return _turn(even, skew_deg(even))


def _picture(array: object) -> Picture:
    return np.asarray(array, np.uint8)


def _cut_out(gray: Picture) -> Picture:
    """The sheet without the desk around it; the whole picture where no sheet with four edges is found on it."""
    scale = min(1.0, EDGES_PX / max(gray.shape))
    small = _picture(cv2.resize(gray, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA))
    small = _picture(cv2.GaussianBlur(cv2.medianBlur(small, 5), (0, 0), 1.5))
    edges = cv2.dilate(cv2.Canny(small, 20, 50), np.ones((3, 3), np.uint8))
    outlines, _ = cv2.findContours(edges, cv2.RETR_LIST, cv2.CHAIN_APPROX_SIMPLE)
    best, best_area = None, PAGE_SHARE * small.size
    for outline in outlines:
        hull = cv2.convexHull(outline)
        around = cv2.approxPolyDP(hull, 0.03 * cv2.arcLength(hull, True), True)
        corners = np.asarray(around, np.int32).reshape(-1, 2)
        area = cv2.contourArea(corners)
        if len(corners) == 4 and best_area < area < 0.97 * small.size and _brighter_inside(small, corners):
            best, best_area = corners, area
    if best is None:
        return gray
    corners = best.astype(np.float32) / scale
    sums, differences = corners.sum(axis=1), np.diff(corners, axis=1)[:, 0]
    order = [int(sums.argmin()), int(differences.argmin()), int(sums.argmax()), int(differences.argmax())]
    if len(set(order)) < 4:
        return gray  # it stands on a corner: which side is up is not to be seen
    one, two, three, four = corners[order]
    wide = max(np.linalg.norm(two - one), np.linalg.norm(three - four))
    high = max(np.linalg.norm(four - one), np.linalg.norm(three - two))
    edge = 0.008 * max(wide, high)  # the very edge and its shadow stay outside
    to = [[-edge, -edge], [wide + edge, -edge], [wide + edge, high + edge], [-edge, high + edge]]
    matrix = cv2.getPerspectiveTransform(corners[order], np.array(to, np.float32))
    return _picture(cv2.warpPerspective(gray, matrix, (int(wide), int(high)), flags=cv2.INTER_CUBIC))


def _brighter_inside(small: Picture, corners: NDArray[np.int32]) -> bool:
    """Whether the shade falls off sharply outward across all four sides, as it does from paper to a desk.

    Light that fades falls off slowly, and outside the frame of a ruled table there is as much white as inside.
    """
    middle = corners.mean(axis=0)
    for one, other in zip(corners, np.roll(corners, -1, axis=0), strict=True):
        along = one + np.linspace(0.1, 0.9, 40)[:, None] * (other - one)
        outward = np.array([other[1] - one[1], one[0] - other[0]], float)
        outward /= max(float(np.linalg.norm(outward)), 1e-9)
        outward *= np.sign(outward @ ((one + other) / 2 - middle))
        shades = []
        for away in (-8, 8):
            at = np.rint(along + away * outward).astype(int)
            inside = (at >= 0).all(axis=1) & (at[:, 0] < small.shape[1]) & (at[:, 1] < small.shape[0])
            if inside.sum() < 20:
                return False
            shades.append(float(np.median(small[at[inside, 1], at[inside, 0]])))
        if shades[0] - shades[1] < 0.12 * max(shades[0], 1.0) or shades[0] - shades[1] < 8:
            return False
    return True


def _even_light(gray: Picture) -> Picture:
    """Paper at 255, ink at 0, whatever the light, and the grain of the picture smoothed as far as it is there."""
    reach = max(gray.shape) // 40 * 2 + 1
    small = cv2.GaussianBlur(cv2.resize(gray, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA), (0, 0), 1.0)
    near = reach // 4 | 1
    paper = cv2.dilate(small, np.ones((near, near), np.uint8))
    paper = cv2.GaussianBlur(cv2.medianBlur(paper, min(near, 99)), (0, 0), near / 2)
    paper = cv2.resize(paper, (gray.shape[1], gray.shape[0]), interpolation=cv2.INTER_LINEAR)
    share = gray.astype(np.float32) / np.maximum(paper.astype(np.float32), 1)
    flat = _picture(np.clip(share, 0, 1.25) * 200)
    grain = _grain(flat)
    if grain > LEAST_GRAIN:
        # Like patches averaged, after a little blur: alone, either takes more of the print away (measured).
        flat = _picture(cv2.GaussianBlur(flat, (0, 0), 0.8))
        flat = _picture(cv2.fastNlMeansDenoising(flat, None, h=min(0.45 * grain, 20), searchWindowSize=21))
    level, _ = cv2.threshold(flat, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    ink, white = flat[flat <= level], flat[flat > level]
    low = float(np.percentile(ink, 30)) if len(ink) else 0.0
    high = float(np.percentile(white, 20)) if len(white) else 255.0
    return _picture(np.clip((flat - low) / max(high - low, 4.0), 0, 1) * 255)


def _grain(gray: Picture) -> float:
    """Spread of the noise from pixel to pixel in the worse parts, by what a second difference leaves over."""
    kernel = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
    left_over = np.abs(cv2.filter2D(gray.astype(np.float32), -1, kernel))
    rows, columns = (max(1, size // 8) for size in gray.shape)
    parts = [
        float(np.median(left_over[top : top + rows, left : left + columns]))
        for top in range(0, gray.shape[0], rows) for left in range(0, gray.shape[1], columns)
    ]  # fmt: skip
    return float(np.percentile(parts, 75)) / (0.6745 * 6)


def skew_deg(gray: Picture) -> float:
    """By how much the lines of a sheet rise to the right, in degrees: turned back by that they lie level.

    Shapes: (height, width), black on white.
    Units:  degrees, within SKEW_DEG either way.
    Errors: none.
    Source: the sums of ink along the rows differ most where the rows lie level [prac].
    >>> sheet = np.full((400, 400), 255, np.uint8)
    >>> sheet[100:300:20, 50:350] = 0
    >>> abs(skew_deg(sheet)) < 0.05
    True
    """
    scale = min(1.0, 1000 / max(gray.shape))
    small = cv2.resize(gray, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    ink = (255 - small).astype(np.float32)
    ink[ink < 90] = 0

    def sharpness(angle: float) -> float:
        rows = _rotated(ink, angle, 0.0).sum(axis=1)
        return float(np.square(np.diff(rows)).sum())

    best = max(np.arange(-SKEW_DEG, SKEW_DEG + 0.1, 0.5), key=sharpness)
    best = max(np.arange(best - 0.5, best + 0.51, 0.1), key=sharpness)
    return float(max(np.arange(best - 0.1, best + 0.11, 0.025), key=sharpness))


def _rotated(array: NDArray[np.float32] | Picture, angle: float, ground: float) -> NDArray[np.float32] | Picture:
    height, width = array.shape
    matrix = cv2.getRotationMatrix2D((width / 2, height / 2), -angle, 1.0)
    cos, sin = abs(matrix[0, 0]), abs(matrix[0, 1])
    wide, high = int(height * sin + width * cos), int(height * cos + width * sin)
    matrix[0, 2] += wide / 2 - width / 2
    matrix[1, 2] += high / 2 - height / 2
    turned = cv2.warpAffine(array, matrix, (wide, high), flags=cv2.INTER_CUBIC, borderValue=ground)
    return turned.astype(np.float32) if array.dtype == np.float32 else _picture(turned)


def _turn(gray: Picture, angle: float) -> Picture:
    return gray if abs(angle) < 0.02 else _picture(_rotated(gray, angle, 255.0))
