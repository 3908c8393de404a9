import os
import sys
from pathlib import Path

import django

sys.path[:0] = [str(Path(__file__).resolve().parents[2] / "core")]
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
django.setup(set_prefix=False)

from config.turnstile import Django, Turnstile  # noqa: E402  # settings must be known before anything of ours

application = Turnstile(Django())
