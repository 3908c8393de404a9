"""python -m perf, by way of ./torvix perf: every benchmark, one line each."""

from __future__ import annotations

import os
import sys
import unittest
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]


def main() -> int:
    sys.path[:0] = [str(ROOT / "server"), str(ROOT / "core"), str(ROOT)]
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
    import django

    django.setup()
    from django.test.runner import DiscoverRunner

    from perf import air, pulls
    from perf.live import Latency, Typing

    for ratio in (*air.factors(), *pulls.reduction()):
        print(ratio, flush=True)
    air.sheet()
    # A database that is made for this run and dropped after it.
    runner = DiscoverRunner(interactive=False, verbosity=0)
    databases = runner.setup_databases()
    try:
        for ratio in pulls.storage():
            print(ratio, flush=True)
        outcome = unittest.TextTestRunner(verbosity=0).run(unittest.TestSuite([Typing(), Latency()]))
    finally:
        runner.teardown_databases(databases)
    return 0 if outcome.wasSuccessful() else 1


if __name__ == "__main__":
    sys.exit(main())
