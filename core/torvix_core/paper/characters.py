"""What characters stand in pieces of a picture, by Tesseract, with its confidence."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
import pytesseract
from torvix_core.paper.straighten import Picture

DIGITS = "0123456789.,"
# Threads of its own for one line of digits cost the program more than they save (measured: twice the time).
os.environ.setdefault("OMP_THREAD_LIMIT", "1")
LONGEST_S = 120  # for one batch; a sheet takes a few seconds


class NoReader(Exception):
    """The program that reads characters is not on this machine, or it failed; the message is for its owner."""


@dataclass(frozen=True)
class Text:
    """What was read, and how sure the reader is of it, 0 to 1."""

    text: str
    confidence: float


def read(pieces: Sequence[Picture], digit_px: int, *, digits: bool, height_px: int) -> list[Text]:
    """Each piece as one line of characters.

    Shapes: pieces of (height, width), black on white; results one for each.
    Units:  pixels; digits are brought to `height_px`.
    Errors: NoReader if Tesseract is missing or fails.
    Source: Tesseract, one line of text for each picture; `digits` allows digits, point and comma alone.
    >>> read([], 20, digits=True, height_px=24)
    []
    """
    if not pieces:
        return []
    config = "--psm 7 --dpi 300" + (f" -c tessedit_char_whitelist={DIGITS}" if digits else "")
    with tempfile.TemporaryDirectory() as folder:
        names = []
        for at, piece in enumerate(pieces):
            names.append(str(Path(folder) / f"{at:04d}.png"))
            cv2.imwrite(names[-1], _sized(piece, height_px / digit_px))
        return _read(names, config)


def _sized(piece: Picture, scale: float) -> Picture:
    way = cv2.INTER_CUBIC if scale > 1 else cv2.INTER_AREA
    high, wide = (max(8, round(size * scale)) for size in piece.shape)
    sized = cv2.resize(piece, (wide, high), interpolation=way) if piece.size else np.full((8, 8), 255, np.uint8)
    return np.asarray(cv2.copyMakeBorder(sized, 12, 12, 14, 14, cv2.BORDER_CONSTANT, value=255), np.uint8)


def _read(names: Sequence[str], config: str) -> list[Text]:
    """One call for all: to start the program takes longer than to read a cell. It can die of a smear that it takes for
    print; then the halves are read each for itself, down to the one piece, which is unread then."""
    listed = Path(names[0]).parent / "pieces.txt"
    listed.write_text("\n".join(names) + "\n")
    try:
        found = pytesseract.image_to_data(
            str(listed), config=config, timeout=LONGEST_S, output_type=pytesseract.Output.DICT
        )
    except pytesseract.TesseractNotFoundError as error:
        raise NoReader("Tesseract is not installed. As root: apt-get install tesseract-ocr") from error
    except pytesseract.TesseractError as error:
        if error.status >= 0:  # it ended by itself and said why
            raise NoReader(f"Tesseract failed: {str(error)[:200]}") from error
        if len(names) == 1:
            return [Text("", 0.0)]
        half = len(names) // 2
        return _read(names[:half], config) + _read(names[half:], config)
    except RuntimeError as error:  # pytesseract's word for a time that ran out
        raise NoReader(f"Tesseract did not answer within {LONGEST_S} s. Ask again.") from error
    words: list[list[tuple[str, float]]] = [[] for _ in names]
    for page, text, confidence in zip(found["page_num"], found["text"], found["conf"], strict=True):
        if str(text).strip() and float(confidence) >= 0:
            words[int(page) - 1].append((str(text).strip(), float(confidence) / 100))
    return [
        Text(" ".join(text for text, _ in some), min(sure for _, sure in some)) if some else Text("", 0.0)
        for some in words
    ]
