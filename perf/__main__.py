"""python -m perf, by way of ./torvix perf: every benchmark with data of its own, one line each figure."""

from __future__ import annotations

import os
import platform
import sys
import traceback
import unittest
from datetime import UTC, datetime
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]


def main() -> int:
    sys.path[:0] = [str(ROOT / "server"), str(ROOT / "core"), str(ROOT)]
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
    import django

    django.setup()
    from ops.lanes import LaneRunner

    if "--calibration" in sys.argv[1:]:
        from perf import calibration

        return calibration.main()
    # Databases that are made for this run and dropped after it.
    runner = LaneRunner(interactive=False, verbosity=0)
    databases = runner.setup_databases()
    try:
        failed = run("--soak" in sys.argv[1:])
    finally:
        runner.teardown_databases(databases)
    if "--table" in sys.argv[1:]:
        from perf import report

        machine = f"{os.cpu_count()} cores, {platform.machine()}, Python {platform.python_version()}"
        report.write_table(machine, datetime.now(UTC).date().isoformat(), failed)
    if failed:
        print(f"not run to their end: {', '.join(failed)}", flush=True)
    return 1 if failed else 0


def run(soak: bool) -> list[str]:
    """Every benchmark, or the soak alone; the names of those that failed, each told when it does."""
    from perf import benchmarks

    failed = []
    for name, benchmark in benchmarks.SOAK if soak else benchmarks.ALL:
        try:
            if isinstance(benchmark, type):
                outcome = unittest.TextTestRunner(verbosity=0).run(unittest.TestSuite([benchmark()]))
                if not outcome.wasSuccessful():
                    failed.append(name)
            else:
                benchmark()
        except Exception:
            traceback.print_exc()
            failed.append(name)
    return failed


if __name__ == "__main__":
    sys.exit(main())
