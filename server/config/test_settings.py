"""Settings for the tests: fast hashing, no throttling but in its own test, files in a temp folder."""

import tempfile
from pathlib import Path

from server.config.settings import *  # noqa: F403

DATA_DIR = Path(tempfile.mkdtemp(prefix="fonodrome-test-"))
MEDIA_ROOT = DATA_DIR / "audio"
UPLOAD_ROOT = DATA_DIR / "uploads"
SCRATCH_ROOT = DATA_DIR / "scratch"
STORAGES["default"]["OPTIONS"] = {"location": str(MEDIA_ROOT), "base_url": None}  # noqa: F405
PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
AXES_ENABLED = False
ALLOWED_HOSTS = ["*"]
DATABASES["default"]["CONN_MAX_AGE"] = 0  # noqa: F405
