"""A newer Torvix on an older database: backed up, brought up to date, and back again where that fails."""

from __future__ import annotations

import subprocess
from collections.abc import Mapping
from pathlib import Path

from ops import backup
from ops.machine import PYTHON, ROOT, CannotGoOn, run, say

BEFORE = "before-upgrade"
MANAGE = str(ROOT / "server" / "manage.py")


def is_due(env: Mapping[str, str]) -> bool:
    """The database is older than this Torvix."""
    check = [str(PYTHON), MANAGE, "migrate", "--check", "--verbosity", "0"]
    return subprocess.run(check, env=dict(env), stdout=subprocess.DEVNULL).returncode != 0


def bring_up_to_date(env: Mapping[str, str]) -> Path | None:
    """The database as this Torvix wants it; the backup that was taken before, if there was anything to keep.

    Where it fails the backup is put back, so that the older Torvix goes on.
    """
    if not is_due(env):
        return None
    kept = backup.back_up(env, backup.named(BEFORE)) if backup.has_people(env) else None
    try:
        run([PYTHON, MANAGE, "migrate", "--verbosity", "0"], what="the migration", env=dict(env))
    except CannotGoOn:
        if kept:
            say("the database could not be brought up to date; it is put back as it was")
            backup.restore(env, kept, over=True)
        raise
    if kept:
        say(f"the database is up to date. To go back: the older Torvix, then ./torvix upgrade --back {kept}")
    return kept


def go_back(env: Mapping[str, str], file: Path) -> None:
    """The shop as it was in a backup; what was recorded since is in a backup of its own."""
    backup.verify(file)
    if backup.has_people(env):
        backup.back_up(env, backup.named("before-going-back"))
    backup.restore(env, file, over=True)
