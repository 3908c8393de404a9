"""A PostgreSQL of a test's own that keeps what was committed, as that of ./torvix serve does, and so may be killed."""

from __future__ import annotations

import os
import signal
import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager

from django.db import connection

from ops.cluster import Cluster
from ops.lanes import clean_database
from ops.machine import POSTGRES_BIN
from ops.serving import DATABASE_PORT
from stand.live import notifications

NAME = "soak"


@contextmanager
def kept_cluster() -> Iterator[Cluster]:
    """Started, with the tables of the migrations; Django's connection leads there meanwhile."""
    cluster = Cluster("pg-soak", DATABASE_PORT + 200)
    dump = subprocess.run(
        [str(POSTGRES_BIN / "pg_dump"), *_where(notifications.connection_arguments()), clean_database()],
        capture_output=True,
        check=True,
    ).stdout
    cluster.start()
    cluster.drop_database(NAME)
    cluster.make_database(NAME)
    where, before = cluster.settings(NAME), dict(connection.settings_dict)
    connection.close()
    connection.settings_dict.update(
        {key: where[f"TORVIX_DB_{key}"] for key in ("HOST", "PORT", "USER", "PASSWORD", "NAME")}
    )
    try:
        fill = [
            str(POSTGRES_BIN / "psql"),
            "-q",
            "-v",
            "ON_ERROR_STOP=1",
            *_where(notifications.connection_arguments()),
            NAME,
        ]
        password = {**os.environ, "PGPASSWORD": cluster.password}
        subprocess.run(fill, input=dump, env=password, stdout=subprocess.DEVNULL, check=True)
        yield cluster
    finally:
        connection.close()
        connection.settings_dict.update(before)
        cluster.stop()


def _where(arguments: dict[str, object]) -> list[str]:
    return ["-h", str(arguments["host"]), "-p", str(arguments["port"]), "-U", str(arguments["user"])]


def kill(cluster: Cluster) -> None:
    """SIGKILL for the server's own process, which takes the others with it; then as the start command tends it."""
    os.kill(int((cluster.home / "postmaster.pid").read_text().split()[0]), signal.SIGKILL)
    while cluster.is_running:
        time.sleep(0.02)
    connection.close()
    while not cluster.is_running:
        cluster.tend()
        time.sleep(0.02)
