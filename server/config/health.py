"""For whoever looks after the machine: is the web server there, and can it do its work?"""

from __future__ import annotations

from django.db import DatabaseError, InterfaceError, connection
from django.http import HttpRequest, HttpResponse


def alive(request: HttpRequest) -> HttpResponse:
    """It answers; nothing else is asked."""
    return HttpResponse("ok\n", content_type="text/plain")


def ready(request: HttpRequest) -> HttpResponse:
    """The database answers too; else 503, with what is missing."""
    try:
        with connection.cursor() as cursor:
            cursor.execute("SELECT 1")
    except (DatabaseError, InterfaceError):
        return HttpResponse("the database does not answer\n", status=503, content_type="text/plain")
    return HttpResponse("ok\n", content_type="text/plain")
