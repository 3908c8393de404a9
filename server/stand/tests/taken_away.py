"""The database taken away from the processes of a test, and given back."""

from __future__ import annotations

import psycopg
from django.db import connection

from stand.live import notifications


def allow_connections(allowed: bool) -> None:
    """Whether the database answers anybody who is not connected yet."""
    name = connection.settings_dict["NAME"]
    with psycopg.connect(**{**notifications.connection_arguments(), "dbname": "postgres"}, autocommit=True) as other:
        other.execute(f'ALTER DATABASE "{name}" WITH ALLOW_CONNECTIONS {"true" if allowed else "false"}'.encode())


def drop_connections() -> None:
    """As when the server restarts: everybody's connection but ours ends."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT pg_terminate_backend(pid) FROM pg_stat_activity "
            "WHERE datname = current_database() AND pid <> pg_backend_pid()"
        )
