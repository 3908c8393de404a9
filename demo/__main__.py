"""python -m demo: load the demonstration once; tell the sign-ins."""

from __future__ import annotations

import os
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]


def main() -> None:
    sys.path[:0] = [str(ROOT / "server"), str(ROOT / "core")]
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
    import django

    django.setup()

    from demo.loader import load, scenario

    loaded = load(lambda given: print(f"demo: {given}", flush=True))
    print("demo: loaded" if loaded else "demo: is there already")
    given = scenario()
    for person in given["people"]:
        print(f"demo: sign in as {person['username']} ({person['role']}), password {given['password']}")


if __name__ == "__main__":
    main()
