"""Settings, all of which can be set from the environment (EKTOPOS_…); `docs/deploy.md` says what
each does."""

from __future__ import annotations

import os
import secrets
from pathlib import Path

from csp.constants import NONE, SELF, UNSAFE_INLINE


def _text(name: str, default: str = "") -> str:
    return os.environ.get(f"EKTOPOS_{name}", default)


def _list(name: str, default: str = "") -> list[str]:
    return [part.strip() for part in _text(name, default).split(",") if part.strip()]


def _number(name: str, default: float) -> float:
    """A setting in numbers; a wrong one is said before anything starts."""
    try:
        return float(_text(name, str(default)))
    except ValueError:
        raise SystemExit(f"EKTOPOS_{name} must be a number, not “{_text(name)}”.") from None


# Everything that is written is for its owner only: database, files, packages, the key.
os.umask(0o077)

ROOT = Path(__file__).resolve().parent.parent
DATA_FOLDER = Path(_text("DATA") or ROOT / "data").resolve()
DATA_FOLDER.mkdir(parents=True, exist_ok=True)
WEB_FOLDER = ROOT / "web" / "dist"

FOLDERS = [Path(part) for part in _text("FOLDERS").split(os.pathsep) if part]
"""Folders below which projects may follow folders."""

DEBUG = _text("DEBUG") == "1"
ALLOWED_HOSTS = _list("HOSTS", "127.0.0.1,localhost,[::1]")
ACCESS_TOKEN = _text("TOKEN")
"""Asked for once in each browser, if set; without it, whoever reaches the address is in."""
if ACCESS_TOKEN and len(ACCESS_TOKEN) < 16:
    raise SystemExit("EKTOPOS_TOKEN must have at least 16 characters.")


def _secret() -> str:
    """A key of this data folder's own, made once, whole or not at all."""
    path = DATA_FOLDER / "secret.key"
    if not path.exists():
        temporary = path.with_suffix(f".{os.getpid()}")
        temporary.write_text(secrets.token_urlsafe(50))
        temporary.replace(path)
    return path.read_text()


SECRET_KEY = _text("SECRET") or _secret()

INSTALLED_APPS = [
    "django.contrib.contenttypes",
    "csp",
    "django_tasks",
    "django_tasks_db",
    "server.workshop",
]
MIDDLEWARE = [
    # First of all the host, so that no page elsewhere reads anything through a name of its own that
    # leads here.
    "django.middleware.common.CommonMiddleware",
    "django.middleware.security.SecurityMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "csp.middleware.CSPMiddleware",
    "server.access.own_resources",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "server.access.plain_refusals",
    "server.access.programs_are_trusted",
    "django.middleware.csrf.CsrfViewMiddleware",
    # Inside of that, so that the page which asks for the token has its cookie.
    "server.access.token_asked",
]
ROOT_URLCONF = "server.urls"
WSGI_APPLICATION = "server.wsgi.application"
TEMPLATES: list[dict[str, object]] = []
APPEND_SLASH = False

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA_FOLDER / _text("DATABASE", "ektopos.sqlite3"),
        "OPTIONS": {
            # A writer waits for another instead of failing, and takes the lock before it reads.
            "timeout": 20,
            "transaction_mode": "IMMEDIATE",
            # FULL: what was acknowledged is on the disk, also when the power goes.
            "init_command": (
                "PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL; PRAGMA foreign_keys=ON;"
            ),
        },
        # A file, not memory: browser tests read it from other threads.
        "TEST": {"NAME": DATA_FOLDER / "test.sqlite3"},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

# `database` needs nothing else; `rq` wants a Redis or Valkey server and the package's extra of that
# name.
TASK_BACKENDS = {
    "database": {"BACKEND": "django_tasks_db.DatabaseBackend"},
    "immediate": {"BACKEND": "django_tasks.backends.immediate.ImmediateBackend"},
    "rq": {"BACKEND": "django_tasks_rq.RQBackend"},
}
TASKS_BY = _text("TASKS", "database")
if TASKS_BY not in TASK_BACKENDS:
    raise SystemExit(f"EKTOPOS_TASKS must be one of {', '.join(TASK_BACKENDS)}, not “{TASKS_BY}”.")
TASKS = {"default": TASK_BACKENDS[TASKS_BY]}
if TASKS_BY == "rq":
    INSTALLED_APPS += ["django_rq", "django_tasks_rq"]
    RQ_QUEUES = {"default": {"URL": _text("REDIS", "redis://127.0.0.1:6379/0")}}
JOB_MEMORY = int(_number("JOB_MEMORY_MB", 0) * 2**20) or int(
    0.6 * os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
)
"""Bytes that the process of one job may take."""
JOB_MINUTES = _number("JOB_MINUTES", 60)
"""After which a job is stopped."""

STATIC_URL = "/static/"
WHITENOISE_ROOT = WEB_FOLDER if WEB_FOLDER.is_dir() else None
WHITENOISE_INDEX_FILE = False
USE_TZ = True
TIME_ZONE = _text("TIME_ZONE", "UTC")
LANGUAGE_CODE = "en-gb"

# What the browser may do with what comes from here. Styles are made by the interface while it runs;
# scripts never are.
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [NONE],
        "script-src": [SELF],
        "style-src": [SELF, UNSAFE_INLINE],
        "img-src": [SELF, "data:", "blob:"],
        "font-src": [SELF, "data:"],
        "connect-src": [SELF, "blob:", "data:"],
        "worker-src": [SELF, "blob:"],
        "manifest-src": [SELF],
        "base-uri": [NONE],
        "form-action": [SELF],
        "frame-ancestors": [NONE],
        "object-src": [NONE],
    }
}
X_FRAME_OPTIONS = "DENY"
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
CSRF_COOKIE_NAME = "ektopos_csrf"
CSRF_COOKIE_SAMESITE = "Strict"
CSRF_FAILURE_VIEW = "server.access.forged"
CSRF_TRUSTED_ORIGINS = _list("ORIGINS")
HTTPS = _text("HTTPS") == "1"
"""Behind a proxy that speaks HTTPS and says so in X-Forwarded-Proto."""
if HTTPS:
    SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
    SECURE_SSL_REDIRECT = True
    SECURE_HSTS_SECONDS = int(_number("HSTS_SECONDS", 31536000))
    SECURE_HSTS_INCLUDE_SUBDOMAINS = True
    SECURE_HSTS_PRELOAD = True
    CSRF_COOKIE_SECURE = True

MAX_UPLOAD_BYTES = int(_number("MAX_UPLOAD_MB", 4096) * 2**20)
FILE_UPLOAD_HANDLERS = ["django.core.files.uploadhandler.TemporaryFileUploadHandler"]
FILE_UPLOAD_TEMP_DIR = DATA_FOLDER / "uploads"
FILE_UPLOAD_TEMP_DIR.mkdir(exist_ok=True)
DATA_UPLOAD_MAX_MEMORY_SIZE = 32 * 2**20

CACHE_BYTES = int(_number("CACHE_MB", 4096) * 2**20)
"""How large the cache of pictures may grow."""
GRACE_HOURS = _number("GRACE_HOURS", 24)
"""How long what nothing refers to any more is kept."""

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "root": {"handlers": ["console"], "level": _text("LOG_LEVEL", "WARNING")},
}
