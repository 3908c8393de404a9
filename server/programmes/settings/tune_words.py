"""The tune of a pull in words: what it was set to, and what was changed since the pull before."""

from __future__ import annotations

from collections.abc import Mapping

from torvix_core.engine.settings import TUNE_KINDS, tune_item
from torvix_core.units.grammar import listed

from programmes.plan.plans import SETTING, row_label
from programmes.settings.tune_sizes import SizeTables


def tune_words(settings: Mapping[str, str], sizes: SizeTables) -> list[str]:
    """A line for each setting; numbers of one kind on one line, with their sizes and positions."""
    lines: dict[str, list[str]] = {}
    for key, text in settings.items():
        kind, position = tune_item(key.removeprefix(SETTING))
        if kind:
            size = sizes.size_of(kind, text)
            shown = f"{text} ({size})" if size else text
            lines.setdefault(TUNE_KINDS[kind].label, []).append(f"{shown} {TUNE_KINDS[kind].positions[position]}")
        else:
            lines.setdefault(row_label(key), []).append(text)
    return [f"{label} {listed(texts)}" for label, texts in lines.items()]


def changes(before: Mapping[str, str], after: Mapping[str, str]) -> list[str]:
    """What is set otherwise than in the pull before."""
    return [
        f"{row_label(key)}: {before.get(key, 'none')} → {after.get(key, 'none')}"
        for key in dict.fromkeys([*before, *after])
        if before.get(key) != after.get(key)
    ]
