"""Signing in and out, and what a person sets."""

from __future__ import annotations

from django.http import HttpRequest

from shop.refusals import Refusal


class NotFromHere(Refusal):
    code = "csrf"
    status = 403


def require_own_page(request: HttpRequest) -> None:
    """Endpoints without a session check the token themselves, or a foreign page could sign its visitor in."""
    from django.middleware.csrf import CsrfViewMiddleware

    if CsrfViewMiddleware(lambda _: None).process_view(request, None, (), {}):  # type: ignore[arg-type]
        raise NotFromHere("This page is out of date. Reload it and sign in again.")
