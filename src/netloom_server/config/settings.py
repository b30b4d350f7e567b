"""Django settings. Everything that differs from place to place comes from the data folder."""

from __future__ import annotations

import os
import secrets
from pathlib import Path

ROOT = Path(__file__).resolve().parents[3]
DATA = Path(os.environ.get("NETLOOM_DATA") or Path.home() / ".local/share/netloom").resolve()
LOOPBACK_ONLY = False  # set by the demo: whatever a line says, nothing leaves this computer
PROFILES = Path(os.environ.get("NETLOOM_PROFILES") or ROOT / "profiles")
WEB_DIST = ROOT / "web" / "dist"


def _kept_secret(name: str) -> str:
    """A random secret in a file that only its owner can read, made at first need."""
    path = DATA / "keys" / name
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        with os.fdopen(descriptor, "w") as out:
            out.write(secrets.token_urlsafe(48))
    return path.read_text()


SECRET_KEY = _kept_secret("session.key")
DEBUG = False
ALLOWED_HOSTS = os.environ.get("NETLOOM_HOSTS", "127.0.0.1,localhost,[::1]").split(",")

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "rest_framework",
    "drf_spectacular",
    "axes",
    "netloom_server.accounts",
    "netloom_server.installation",
    "netloom_server.runs",
    "netloom_server.backups",
    "netloom_server.consoles",
    "netloom_server.papers",
    "netloom_server.routing",
    "netloom_server.firmware",
]
MIDDLEWARE = [
    "netloom_server.config.traced.Traced",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "netloom_server.config.headers.ContentPolicy",
    "axes.middleware.AxesMiddleware",
]
ROOT_URLCONF = "netloom_server.config.urls"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [Path(__file__).resolve().parent.parent / "templates"],
        "APP_DIRS": False,
        "OPTIONS": {"context_processors": ["django.template.context_processors.request"]},
    }
]
DATABASES = {
    "default": {
        "ENGINE": "netloom_server.base.sqlite",
        "NAME": DATA / "netloom.sqlite3",
        "CONN_MAX_AGE": None,
        "OPTIONS": {
            "timeout": 20,
            "transaction_mode": "IMMEDIATE",
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL; PRAGMA foreign_keys=ON;",
        },
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
AUTH_USER_MODEL = "accounts.User"
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
PASSWORD_HASHERS = ["django.contrib.auth.hashers.Argon2PasswordHasher"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
AXES_FAILURE_LIMIT = 8
AXES_COOLOFF_TIME = 0.25  # hours
AXES_LOCKOUT_PARAMETERS = ["username", "ip_address"]
AXES_LOCKOUT_CALLABLE = "netloom_server.base.problems.locked_out"
AXES_RESET_ON_SUCCESS = True
AXES_CLIENT_IP_CALLABLE = "netloom_server.accounts.authentication.source_of"
AXES_VERBOSE = False

STATIC_URL = "/static/"
STATICFILES_DIRS = [WEB_DIST] if WEB_DIST.exists() else []
STATIC_ROOT = None
WHITENOISE_USE_FINDERS = True
WHITENOISE_AUTOREFRESH = True  # an interface that is built anew has other names; a server that runs goes on with it
WHITENOISE_MAX_AGE = 3600

SESSION_COOKIE_NAME = "netloom_session"
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_AGE = 14 * 24 * 3600
CSRF_COOKIE_NAME = "netloom_csrf"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = bool(os.environ.get("NETLOOM_SECURE"))
CSRF_COOKIE_SAMESITE = "Lax"
CSRF_FAILURE_VIEW = "netloom_server.base.problems.forbidden"
X_FRAME_OPTIONS = "DENY"
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
DATA_UPLOAD_MAX_MEMORY_SIZE = 5_000_000
FILE_UPLOAD_MAX_MEMORY_SIZE = 5_000_000

REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": [
        "netloom_server.accounts.authentication.OwnerToken",
        "rest_framework.authentication.SessionAuthentication",
    ],
    "DEFAULT_PERMISSION_CLASSES": ["netloom_server.accounts.permissions.ByRole"],
    "DEFAULT_RENDERER_CLASSES": ["netloom_server.base.forms.Json"],
    "DEFAULT_PARSER_CLASSES": ["netloom_server.base.forms.BoundedJson"],
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "EXCEPTION_HANDLER": "netloom_server.base.problems.as_response",
    "UNAUTHENTICATED_USER": "django.contrib.auth.models.AnonymousUser",
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Netloom",
    "VERSION": "1",
    "SERVE_INCLUDE_SCHEMA": False,
    "COMPONENT_SPLIT_REQUEST": True,
    "POSTPROCESSING_HOOKS": [
        "drf_spectacular.hooks.postprocess_schema_enums",
        "netloom_server.base.schema.with_errors",
    ],
}

USE_TZ = True
TIME_ZONE = "UTC"
LANGUAGE_CODE = "en-gb"
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"plain": {"format": "%(asctime)s %(levelname)s %(name)s: %(message)s"}},
    "handlers": {"stderr": {"class": "logging.StreamHandler", "formatter": "plain", "level": "WARNING"}},
    "root": {"handlers": ["stderr"], "level": "WARNING"},
    "loggers": {"netloom": {"level": "INFO"}, "django.request": {"level": "ERROR"}},
}
