"""The demonstration for tests: made once a run, and copied back for whoever asks again."""

from __future__ import annotations

from django.apps import apps
from django.core.management.color import no_style
from django.db import connection

from demo.loader import load

# Tables that the flush between tests fills by itself.
FILLED_BY_DJANGO = {"django_content_type", "auth_permission", "django_migrations"}
_snapshot_is_made = False


def load_demonstration() -> None:
    """The demonstration, made by the loader for the first test of a run and copied back for all others.

    Making it takes the simulated stand through a day of pulls, which is worth seeing once.
    """
    global _snapshot_is_made
    tables = sorted({*connection.introspection.django_table_names(only_existing=True)} - FILLED_BY_DJANGO)
    with connection.cursor() as cursor:
        if not _snapshot_is_made:
            load()
            cursor.execute("DROP SCHEMA IF EXISTS demonstration CASCADE")
            cursor.execute("CREATE SCHEMA demonstration")
            for table in tables:
                cursor.execute(f'CREATE TABLE demonstration."{table}" AS TABLE public."{table}"')
            _snapshot_is_made = True
            return
        # Foreign keys and triggers held when the rows were made; while they are copied, order does not matter.
        cursor.execute("SET session_replication_role = replica")
        for table in tables:
            cursor.execute(f'INSERT INTO public."{table}" SELECT * FROM demonstration."{table}"')
        cursor.execute("SET session_replication_role = DEFAULT")
        for statement in connection.ops.sequence_reset_sql(no_style(), apps.get_models(include_auto_created=True)):
            cursor.execute(statement)
