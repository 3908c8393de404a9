"""Refusals: what the application will not do, as a sentence for people and a code for programs."""

from __future__ import annotations


class Refusal(Exception):
    """Something asked for is not possible as it stands. The message says what to do instead."""

    code = "refused"
    status = 409

    def __init__(self, message: str, *, code: str = "", fields: dict[str, str] | None = None) -> None:
        super().__init__(message)
        self.code = code or self.code
        self.fields = fields or {}


class Invalid(Refusal):
    """What was entered cannot be used; `fields` says where."""

    code = "invalid"
    status = 422


class NotAllowed(Refusal):
    """The person's role does not include this."""

    code = "not_allowed"
    status = 403
