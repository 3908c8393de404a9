"""The application as the web server runs it, and as the process does that works out what takes long."""

import os
import sys
from pathlib import Path

import django
import httpx

sys.path[:0] = [str(Path(__file__).resolve().parents[2] / "core")]
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
django.setup(set_prefix=False)

from config import urls  # noqa: E402, F401  # settings must be known before anything of ours
from config.judging_process import HandedOn  # noqa: E402
from config.turnstile import Application, Django, Turnstile  # noqa: E402
from shop import heap  # noqa: E402

JUDGING_SOCKET = os.environ.get("TORVIX_JUDGING_SOCKET", "")

judging: Application = Turnstile(Django())
application: Application = judging
heap.settle()
if JUDGING_SOCKET:
    application = HandedOn(judging, httpx.AsyncHTTPTransport(uds=JUDGING_SOCKET))
