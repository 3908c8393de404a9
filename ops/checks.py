"""One command checks all. Each check is a line here, so that a newcomer sees what is asked of the code."""

from __future__ import annotations

import subprocess
import time
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from ops.machine import PYTHON, ROOT, VENV, WEB, say

MANAGE = [str(PYTHON), "server/manage.py"]
SCHEMA = WEB / "openapi.json"
TYPES = WEB / "src/app/api/schema.d.ts"
TEST_LABELS = ["core/tests", "ops", "adapters", "standin", "server", "demo", "browser_tests", "perf"]
# In the tests, and in every process that they start, a warning is an error; each exception with its reason.
WARNINGS = [
    "error",
]
LANES = 2  # of tests, each with its own database (ops/lanes.py)
SIDE_BY_SIDE = 2  # checks at a time, on two cores
EXPORT = [*MANAGE, "export_openapi_schema", "--api", "config.api.api", "--indent", "2", "--sorted", "--output"]
OPENAPI_TYPESCRIPT = "node_modules/.bin/openapi-typescript"

# The long ones first: begun last, one of them would run while the other core has nothing to do.
CHECKS: list[tuple[str, Sequence[str], Path]] = [
    ("front end, types", ["npm", "run", "--silent", "typecheck"], WEB),
    ("mypy", [str(PYTHON), "-m", "mypy"], ROOT),
    ("front end, tests", ["npm", "run", "--silent", "test"], WEB),
    ("front end, format", ["npm", "run", "--silent", "format:check"], WEB),
    ("front end, lint", ["npm", "run", "--silent", "lint"], WEB),
    ("missing migrations", [*MANAGE, "makemigrations", "--check", "--dry-run", "--verbosity", "1"], ROOT),
    ("ruff, lint", [str(VENV / "bin/ruff"), "check", "--quiet", "."], ROOT),
    ("ruff, format", [str(VENV / "bin/ruff"), "format", "--check", "--quiet", "."], ROOT),
    ("import-linter", [str(VENV / "bin/lint-imports"), "--no-cache"], ROOT),
]


def run_checks(env: dict[str, str]) -> int:
    """All checks, also after one has failed; 0 if every one is green."""
    with ThreadPoolExecutor(SIDE_BY_SIDE) as lanes:
        green = list(lanes.map(lambda check: _green(check[0], check[1], check[2], env), CHECKS))
    failed = [name for (name, _, _), passed in zip(CHECKS, green, strict=True) if not passed]
    if not _types_are_fresh(env):
        failed.append("API types")
    if failed:
        say(f"not green: {', '.join(failed)}")
    return 1 if failed else 0


def run_everything(env: dict[str, str], labels: Sequence[str]) -> int:
    """Checks, then every test; with labels only the tests named."""
    code = 0 if labels else run_checks(env)
    started = time.monotonic()
    run = [*MANAGE, "test", "--noinput", "--parallel", str(LANES), *(labels or TEST_LABELS)]
    strict = {**env, "PYTHONWARNINGS": ",".join(WARNINGS), "TORVIX_PERF_TINY": "1"}
    code = subprocess.run(run, cwd=ROOT, env=strict).returncode or code
    say(f"tests took {time.monotonic() - started:.0f} s")
    return code


def _green(name: str, command: Sequence[str], folder: Path, env: dict[str, str]) -> bool:
    started = time.monotonic()
    done = subprocess.run(command, cwd=folder, env=env, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
    say(f"{'ok    ' if done.returncode == 0 else 'FAILED'} {name} ({time.monotonic() - started:.0f} s)")
    if done.returncode:
        print(done.stdout)
    return done.returncode == 0


def _types_are_fresh(env: dict[str, str]) -> bool:
    before = [file.read_text() if file.exists() else "" for file in (SCHEMA, TYPES)]
    code = write_types(env)
    fresh = code == 0 and before == [file.read_text() for file in (SCHEMA, TYPES)]
    say("ok     API types" if fresh else "FAILED API types: they were stale and are written anew, commit them")
    return fresh


def write_types(env: dict[str, str]) -> int:
    """The API's schema from the server, the front end's types from the schema."""
    TYPES.parent.mkdir(parents=True, exist_ok=True)
    for command, folder in (
        ([*EXPORT, str(SCHEMA)], ROOT),
        ([OPENAPI_TYPESCRIPT, str(SCHEMA), "-o", str(TYPES)], WEB),
    ):
        done = subprocess.run(command, cwd=folder, env=env, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
        if done.returncode:
            print(done.stdout)
            return done.returncode
    return 0
