"""python -m perf, by way of ./torvix perf: every benchmark, one line each."""

from __future__ import annotations

import os
import sys
import unittest
from pathlib import Path
from types import ModuleType

ROOT = Path(__file__).resolve().parents[1]


def main() -> int:
    sys.path[:0] = [str(ROOT / "server"), str(ROOT / "core"), str(ROOT)]
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
    import django

    django.setup()
    from django.test.runner import DiscoverRunner

    from perf import air, files, planning, pulls, verdict
    from perf.live import Crowd, Latency, Typing
    from perf.screens import Judging
    from perf.worker import FullRate, LongSoak

    if "--calibration" in sys.argv[1:]:
        from perf import calibration

        return calibration.main()
    soak = "--soak" in sys.argv[1:]
    if not soak:
        _ratios(air, planning, pulls, files, verdict)
    # A database that is made for this run and dropped after it.
    runner = DiscoverRunner(interactive=False, verbosity=0)
    databases = runner.setup_databases()
    try:
        if not soak:
            for ratio in pulls.storage():
                print(ratio, flush=True)
            files.many()
            verdict.through_the_api()
        cases = [LongSoak()] if soak else [Judging(), Typing(), Latency(), Crowd(), FullRate()]
        outcome = unittest.TextTestRunner(verbosity=0).run(unittest.TestSuite(cases))
    finally:
        runner.teardown_databases(databases)
    return 0 if outcome.wasSuccessful() else 1


def _ratios(
    air: ModuleType, planning: ModuleType, pulls: ModuleType, files: ModuleType, verdict: ModuleType
) -> None:  # fmt: skip
    files.truth()
    for ratio in (*air.factors(), *planning.days(), *pulls.reduction(), *files.reading(), *verdict.effects()):
        print(ratio, flush=True)
    air.sheet()
    planning.orders()


if __name__ == "__main__":
    sys.exit(main())
