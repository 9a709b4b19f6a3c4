"""Settings, all of which can be set from the environment (EKTOPOS_…)."""

from __future__ import annotations

import os
import secrets
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
DATA_FOLDER = Path(os.environ.get("EKTOPOS_DATA", ROOT / "data"))
DATA_FOLDER.mkdir(parents=True, exist_ok=True)
WEB_FOLDER = ROOT / "web" / "dist"

DEBUG = os.environ.get("EKTOPOS_DEBUG") == "1"
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]", "testserver"]


def _secret() -> str:
    """A key of this data folder's own, made once."""
    path = DATA_FOLDER / "secret.key"
    if not path.exists():
        path.write_text(secrets.token_urlsafe(50))
        path.chmod(0o600)
    return path.read_text()


SECRET_KEY = os.environ.get("EKTOPOS_SECRET") or _secret()

INSTALLED_APPS = ["django.contrib.contenttypes", "django_tasks", "django_tasks_db", "server.workshop"]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "server.origin.SameOriginMiddleware",
]
ROOT_URLCONF = "server.urls"
WSGI_APPLICATION = "server.wsgi.application"
TEMPLATES: list[dict[str, object]] = []

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA_FOLDER / os.environ.get("EKTOPOS_DATABASE", "ektopos.sqlite3"),
        "OPTIONS": {
            # A writer waits for another instead of failing, and takes the lock before it reads.
            "timeout": 20,
            "transaction_mode": "IMMEDIATE",
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL; PRAGMA foreign_keys=ON;",
        },
        # A file, not memory: browser tests read it from other threads.
        "TEST": {"NAME": DATA_FOLDER / "test.sqlite3"},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

# `database` needs nothing else; `rq` wants a Redis or Valkey server and the package's extra of that name.
TASK_BACKENDS = {
    "database": {"BACKEND": "django_tasks_db.DatabaseBackend"},
    "immediate": {"BACKEND": "django_tasks.backends.immediate.ImmediateBackend"},
    "rq": {"BACKEND": "django_tasks_rq.RQBackend"},
}
TASKS = {"default": TASK_BACKENDS[os.environ.get("EKTOPOS_TASKS", "database")]}
if os.environ.get("EKTOPOS_TASKS") == "rq":
    INSTALLED_APPS += ["django_rq", "django_tasks_rq"]
    RQ_QUEUES = {"default": {"URL": os.environ.get("EKTOPOS_REDIS", "redis://127.0.0.1:6379/0")}}

STATIC_URL = "/static/"
WHITENOISE_ROOT = WEB_FOLDER if WEB_FOLDER.is_dir() else None
WHITENOISE_INDEX_FILE = False
SECURE_CONTENT_TYPE_NOSNIFF = True
USE_TZ = True
LANGUAGE_CODE = "en-gb"

MAX_UPLOAD_BYTES = 4 * 2**30
FILE_UPLOAD_HANDLERS = ["django.core.files.uploadhandler.TemporaryFileUploadHandler"]
FILE_UPLOAD_TEMP_DIR = DATA_FOLDER / "uploads"
FILE_UPLOAD_TEMP_DIR.mkdir(exist_ok=True)
DATA_UPLOAD_MAX_MEMORY_SIZE = 32 * 2**20

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
}
