"""Names and remarks as they are kept: there where they must be, and never cut off behind their writer's back."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from shop.refusals import Invalid

UNKEPT = re.compile("[\x00\ud800-\udfff]")  # PostgreSQL keeps no zero character, and half a pair is no character


def named(text: str, field: str, longest: int) -> str:
    """A name as it is kept: there, and not too long."""
    if not text.strip():
        raise Invalid("A name is missing.", fields={field: "give it a name"})
    return optional(text, field, longest)


def optional(text: str, field: str, longest: int) -> str:
    """A text as it is kept; empty where nothing was written."""
    plain = text.strip()
    if UNKEPT.search(plain):
        raise Invalid("The text holds a character that cannot be kept.", fields={field: "remove the zero character"})
    if len(plain) > longest:
        raise Invalid("A text is too long.", fields={field: f"{len(plain)} characters, {longest} fit: shorten it"})
    return plain


def unkept(given: Any, place: str = "") -> Iterator[str]:
    """Where in plain data (JSON, a form) a text stands that cannot be kept; keys and places joined by dots."""
    if isinstance(given, str):
        if UNKEPT.search(given):
            yield place
    elif isinstance(given, dict):
        for key, value in given.items():
            if UNKEPT.search(str(key)):
                yield place or "body"
            yield from unkept(value, f"{place}.{UNKEPT.sub('', str(key))}")
    elif isinstance(given, list):
        for number, value in enumerate(given):
            yield from unkept(value, f"{place}.{number}")
