#!/usr/bin/env python3
"""Django's command line, with the core beside the server on the path."""

import os
import sys
from pathlib import Path


def main() -> None:
    here = Path(__file__).resolve().parent
    sys.path[:0] = [str(here), str(here.parent / "core"), str(here.parent)]
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
    from django.core.management import execute_from_command_line

    execute_from_command_line(sys.argv)


if __name__ == "__main__":
    main()
