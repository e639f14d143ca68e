"""Settings for one machine, on loopback, over plain HTTP. `production.py` adds what HTTPS needs.

Everything that differs between machines comes from the environment; `./fonodrome` sets it.
"""

import os
from pathlib import Path

from csp.constants import NONCE, NONE, SELF

BASE_DIR = Path(__file__).resolve().parents[2]
DATA_DIR = Path(os.environ.get("FONODROME_DATA", BASE_DIR / "var"))


def _secret() -> str:
    if given := os.environ.get("FONODROME_SECRET_KEY"):
        return given
    kept = DATA_DIR / "secret-key"
    return kept.read_text().strip() if kept.is_file() else "only-for-building-and-checking-" * 2


SECRET_KEY = _secret()
DEBUG = False
ALLOWED_HOSTS = os.environ.get("FONODROME_HOSTS", "127.0.0.1,localhost,[::1]").split(",")

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "axes",
    "csp",
    "ninja",
    "procrastinate.contrib.django",
    "server.config",
    "server.accounts",
    "server.songs",
    "server.clips",
    "server.verify",
    "server.bench",
    "server.renders",
    "server.trials",
    "server.wishes",
    "server.log",
    "server.snapshots",
    "server.setlists",
    "server.tokens",
    "server.shares",
    "server.devices",
    "server.rigs",
    "server.thread",
    "server.jobs",
]

MIDDLEWARE = [
    "server.config.lean.LeanCompute",
    "server.config.answering.ApiAnswers",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "axes.middleware.AxesMiddleware",
]

ROOT_URLCONF = "server.config.urls"
WSGI_APPLICATION = "server.config.wsgi.application"
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "NAME": os.environ.get("FONODROME_DB_NAME", "fonodrome"),
        "USER": os.environ.get("FONODROME_DB_USER", "fonodrome"),
        "PASSWORD": os.environ.get("FONODROME_DB_PASSWORD", ""),
        "HOST": os.environ.get("FONODROME_DB_HOST", "127.0.0.1"),
        "PORT": os.environ.get("FONODROME_DB_PORT", "5432"),
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
    }
}

AUTH_USER_MODEL = "accounts.User"
AUTHENTICATION_BACKENDS = [
    "axes.backends.AxesStandaloneBackend",
    "django.contrib.auth.backends.ModelBackend",
]
PASSWORD_HASHERS = [
    "django.contrib.auth.hashers.Argon2PasswordHasher",
    "django.contrib.auth.hashers.PBKDF2PasswordHasher",
]
_VALIDATORS = "django.contrib.auth.password_validation"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"{_VALIDATORS}.UserAttributeSimilarityValidator"},
    {"NAME": f"{_VALIDATORS}.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": f"{_VALIDATORS}.CommonPasswordValidator"},
    {"NAME": f"{_VALIDATORS}.NumericPasswordValidator"},
]

# Addresses or networks of proxies that tell the truth about who asked them.
TRUSTED_PROXIES = [p for p in os.environ.get("FONODROME_TRUSTED_PROXIES", "").split(",") if p]
AXES_CLIENT_IP_CALLABLE = "server.config.address.client_address"
AXES_FAILURE_LIMIT = 5
AXES_COOLOFF_TIME = 0.25
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_RESET_ON_SUCCESS = True
AXES_VERBOSE = False

# CPU seconds that one person's, or one address's, what-if questions may take: each second, and at once.
# Of each of the web processes its share, so that they give as much together however many there are.
WEB_PROCESSES = max(1, int(os.environ.get("FONODROME_WEB_PROCESSES", "1")))
WHAT_IF_CPU_A_SECOND = float(os.environ.get("FONODROME_WHAT_IF_CPU", "1.5")) / WEB_PROCESSES
WHAT_IF_CPU_AT_ONCE_S = 30.0 / WEB_PROCESSES

# What is kept and made for one person; 0: without a limit.
MOST_SONGS = int(os.environ.get("FONODROME_MOST_SONGS", "1000"))
MOST_KEPT_BYTES = int(float(os.environ.get("FONODROME_MOST_GB", "50")) * 1e9)
MOST_UPLOADS = int(os.environ.get("FONODROME_MOST_UPLOADS", "20"))
MOST_JOBS = int(os.environ.get("FONODROME_MOST_JOBS", "250"))
MOST_DEMOS_AN_HOUR = int(os.environ.get("FONODROME_MOST_DEMOS", "20"))

SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_AGE = 60 * 60 * 24 * 30
CSRF_COOKIE_SAMESITE = "Lax"
SECURE_REFERRER_POLICY = "same-origin"
SECURE_CROSS_ORIGIN_OPENER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [SELF],
        "script-src": [SELF],
        "style-src": [SELF, NONCE],
        "img-src": [SELF, "data:", "blob:"],
        "font-src": [SELF],
        "connect-src": [SELF],
        "media-src": [SELF, "blob:"],
        "worker-src": [SELF],
        "object-src": [NONE],
        "base-uri": [NONE],
        "form-action": [SELF],
        "frame-ancestors": [NONE],
    }
}

LANGUAGE_CODE = "en"
TIME_ZONE = "UTC"
USE_TZ = True

STATIC_URL = "/static/"
STATIC_ROOT = BASE_DIR / "web" / "dist"
WHITENOISE_IMMUTABLE_FILE_TEST = r"^.+[-.][0-9a-zA-Z_-]{8}\.[a-z0-9]+$"
WHITENOISE_USE_FINDERS = False

MEDIA_ROOT = DATA_DIR / "audio"
STORAGES = {
    "default": {
        "BACKEND": "django.core.files.storage.FileSystemStorage",
        "OPTIONS": {"location": str(MEDIA_ROOT), "base_url": None},
    },
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
# A bucket that several machines share; what each has read of it lies in its own audio folder.
OBJECTS_BUCKET = os.environ.get("FONODROME_OBJECTS", "")
OBJECTS_KEPT_BYTES = int(float(os.environ.get("FONODROME_OBJECTS_KEPT_GB", "20")) * 1e9)
if OBJECTS_BUCKET:
    STORAGES["objects"] = {
        "BACKEND": "storages.backends.s3.S3Storage",
        "OPTIONS": {
            "bucket_name": OBJECTS_BUCKET,
            "endpoint_url": os.environ.get("FONODROME_OBJECTS_URL") or None,
            "access_key": os.environ.get("FONODROME_OBJECTS_KEY"),
            "secret_key": os.environ.get("FONODROME_OBJECTS_SECRET"),
            "region_name": os.environ.get("FONODROME_OBJECTS_REGION", "us-east-1"),
            "default_acl": None,
            "file_overwrite": True,
            "max_memory_size": 8 << 20,
        },
    }
UPLOAD_ROOT = DATA_DIR / "uploads"
SCRATCH_ROOT = DATA_DIR / "scratch"
PARTS_ROOT = DATA_DIR / "parts"
DATA_UPLOAD_MAX_MEMORY_SIZE = 24 * 1024 * 1024
LARGEST_UPLOAD_BYTES = 4 * 1024**3

PROCRASTINATE_IMPORT_PATHS = [
    "server.clips.tasks",
    "server.verify.tasks",
    "server.bench.tasks",
    "server.renders.tasks",
    "server.wishes.tasks",
    "server.jobs.tasks",
]
PROCRASTINATE_WORKER_DEFAULTS = {"update_heartbeat_interval": 2, "stalled_worker_timeout": 8}

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"line": {"()": "server.config.logs.JsonLines"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "line"}},
    # Refusals are answers, not faults: the sentence goes to the person, not into the log.
    "loggers": {"django.request": {"level": "ERROR"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
}
