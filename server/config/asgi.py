import os
import sys
from pathlib import Path

from django.core.asgi import get_asgi_application

sys.path[:0] = [str(Path(__file__).resolve().parents[2] / "core")]
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
os.environ["TORVIX_WEB_PROCESS"] = "1"
django = get_asgi_application()

from config.turnstile import Turnstile  # noqa: E402  # settings must be known before anything of ours

application = Turnstile(django)
