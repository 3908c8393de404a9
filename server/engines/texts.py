"""Names and remarks as they are kept: there where they must be, and never cut off behind their writer's back."""

from __future__ import annotations

from shop.refusals import Invalid


def named(text: str, field: str, longest: int) -> str:
    """A name as it is kept: there, and not too long."""
    if not text.strip():
        raise Invalid("A name is missing.", fields={field: "give it a name"})
    return optional(text, field, longest)


def optional(text: str, field: str, longest: int) -> str:
    """A text as it is kept; empty where nothing was written."""
    plain = text.strip()
    if "\x00" in plain:
        raise Invalid("The text holds a character that cannot be kept.", fields={field: "remove the zero character"})
    if len(plain) > longest:
        raise Invalid("A text is too long.", fields={field: f"{len(plain)} characters, {longest} fit: shorten it"})
    return plain
