"""Settings. What differs between machines comes from the environment, which ./torvix fills."""

import os
from pathlib import Path

from csp.constants import NONE, SELF

ROOT = Path(__file__).resolve().parents[2]
WEB_BUILD = Path(os.environ.get("TORVIX_WEB", ROOT / "web" / "dist"))

SECRET_KEY = os.environ.get("TORVIX_SECRET_KEY", "")
DEBUG = False
ALLOWED_HOSTS = os.environ.get("TORVIX_HOSTS", "127.0.0.1,localhost").split(",")
TESTING = os.environ.get("TORVIX_TESTING") == "1"

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.postgres",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "axes",
    "csp",
    "ninja",
    "procrastinate.contrib.django",
    "shop",
    "jobs",
    "engines",
    "programmes",
    "stand",
    "curves",
    "verdicts",
]
MIDDLEWARE = [
    "config.door.OneShape",
    "django.middleware.security.SecurityMiddleware",
    "config.delivery.CompressedText",
    "config.delivery.BuiltFiles",
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "axes.middleware.AxesMiddleware",
]
ROOT_URLCONF = "config.urls"
TEST_RUNNER = "ops.lanes.LaneRunner"
ASGI_APPLICATION = "config.asgi.application"
TEMPLATES = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "DIRS": [WEB_BUILD], "APP_DIRS": True}]

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "NAME": os.environ.get("TORVIX_DB_NAME", "torvix"),
        "USER": os.environ.get("TORVIX_DB_USER", "torvix"),
        "PASSWORD": os.environ.get("TORVIX_DB_PASSWORD", ""),
        "HOST": os.environ.get("TORVIX_DB_HOST", "127.0.0.1"),
        "PORT": os.environ.get("TORVIX_DB_PORT", "54390"),
        "OPTIONS": {"sslmode": mode} if (mode := os.environ.get("TORVIX_DB_SSLMODE")) else {},
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

AUTH_USER_MODEL = "shop.Person"
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
PASSWORD_HASHERS = ["django.contrib.auth.hashers.Argon2PasswordHasher"]
if TESTING:
    # Hashing slowly on purpose has no place in tests that sign in by the hundred.
    PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
AXES_FAILURE_LIMIT = 5
AXES_COOLOFF_TIME = "shop.sign_in.attempts.wait"
AXES_WHITELIST_CALLABLE = "shop.sign_in.attempts.is_known"
AXES_LOCKOUT_PARAMETERS = ["username"]
SILENCED_SYSTEM_CHECKS = [
    "axes.W006",  # an address says nothing (shop/sign_in/attempts.py)
    # A shop speaks for its own machine, not for whatever else has a name in the same domain.
    "security.W005",
    "security.W021",
]
AXES_ENABLE_ACCESS_FAILURE_LOG = True
AXES_RESET_COOL_OFF_ON_FAILURE_DURING_LOCKOUT = False
AXES_RESET_ON_SUCCESS = True
AXES_VERBOSE = False
AXES_LOCKOUT_CALLABLE = "shop.sign_in.api.locked_out"

SESSION_COOKIE_AGE = 14 * 24 * 3600
SESSION_COOKIE_SAMESITE = "Lax"
HTTPS = os.environ.get("TORVIX_HTTPS") == "1"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = SECURE_SSL_REDIRECT = HTTPS
SECURE_HSTS_SECONDS = 30 * 24 * 3600 if HTTPS else 0
SECURE_REDIRECT_EXEMPT = [r"^healthz$", r"^readyz$"]  # asked by machines, often without HTTPS
X_FRAME_OPTIONS = "DENY"
SECURE_REFERRER_POLICY = "same-origin"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [SELF],
        "script-src": [SELF],
        # The component library sets sizes and colours through style attributes and one style element.
        "style-src": [SELF, "'unsafe-inline'"],
        "img-src": [SELF, "data:"],
        "font-src": [SELF],
        "connect-src": [SELF],
        "object-src": [NONE],
        "base-uri": [NONE],
        "form-action": [SELF],
        "frame-ancestors": [NONE],
    }
}

LANGUAGE_CODE = "en"
TIME_ZONE = os.environ.get("TORVIX_TIME_ZONE", "UTC")
USE_TZ = True

STATIC_URL = "/static/"
# Of what listens on this machine for its stands: simulated ones, adapters. Two applications on one machine need two.
FIRST_STAND_PORT = int(os.environ.get("TORVIX_FIRST_STAND_PORT", "7421"))
BENCH_SPOOL = Path(os.environ.get("TORVIX_SPOOL", ROOT / "var" / "spool"))
STATICFILES_DIRS = [WEB_BUILD] if WEB_BUILD.is_dir() else []
# Vite's hashes stand in the file names already, so the build is served straight from its folder and nothing collected.
WHITENOISE_USE_FINDERS = True
WHITENOISE_IMMUTABLE_FILE_TEST = r"-[A-Za-z0-9_-]{8}\.\w+$"

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "filters": {"place": {"()": "shop.logs.LogContext"}},
    "formatters": {"line": {"format": "%(asctime)s %(levelname)s %(name)s stand=%(stand)s pull=%(pull)s %(message)s"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "line", "filters": ["place"]}},
    "root": {"handlers": ["console"], "level": os.environ.get("TORVIX_LOG_LEVEL", "WARNING")},
}
