"""Wrong passwords: how long a name has to wait, and who need not, because he signed in from this browser before.

The wait belongs to the name and grows with each five wrong tries in a row. An address says nothing: a whole shop may
stand behind one, and whoever guesses has many. A guess makes everybody wait for that name but its owner, at browsers
where he has been.
"""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from axes.models import AccessFailureLog, AccessLog
from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.utils import timezone

FREE = 5  # wrong tries before the first wait; settings.AXES_FAILURE_LIMIT
FIRST, LONGEST = timedelta(seconds=15), timedelta(minutes=15)
FORGOTTEN = timedelta(days=1)
KNOWN, KNOWN_FOR = "torvix_known", timedelta(days=180)


def wait(request: HttpRequest | None) -> timedelta:
    """How long the name that is tried waits after its last wrong try (settings.AXES_COOLOFF_TIME)."""
    username = getattr(request, "trying", "")
    since = timezone.now() - FORGOTTEN
    last = AccessLog.objects.filter(username=username, attempt_time__gt=since).order_by("-attempt_time").first()
    wrong = AccessFailureLog.objects.filter(username=username, attempt_time__gt=last.attempt_time if last else since)
    rounds = max(1, wrong.count() // FREE)
    return LONGEST if rounds > 7 else min(LONGEST, FIRST * 2 ** (rounds - 1))


def in_words(waiting: timedelta) -> str:
    seconds = round(waiting.total_seconds())
    return f"{seconds} seconds" if seconds < 120 else f"{seconds // 60} minutes"


def remember(response: HttpResponse, username: str) -> None:
    """This browser has been the person's."""
    response.set_signed_cookie(KNOWN, username, salt=KNOWN, max_age=KNOWN_FOR, httponly=True, samesite="Lax",
                               secure=settings.SESSION_COOKIE_SECURE)  # fmt: skip


def is_known(request: HttpRequest, credentials: dict[str, Any] | None) -> bool:
    """Whether the name was signed in with from this browser before (settings.AXES_WHITELIST_CALLABLE)."""
    known = request.get_signed_cookie(KNOWN, default="", salt=KNOWN, max_age=KNOWN_FOR)
    return bool(known) and known == (credentials or {}).get("username", getattr(request, "trying", None))
