import os
import sys
from pathlib import Path

from django.core.asgi import get_asgi_application

sys.path[:0] = [str(Path(__file__).resolve().parents[2] / "core")]
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
application = get_asgi_application()
