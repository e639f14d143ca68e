"""Settings for the tests: fast hashing, no throttling but in its own test, files in a temp folder.

The folder's name is handed down, so that workers which a test starts find the same files.
"""

import os
import tempfile
from pathlib import Path

from server.config.settings import *  # noqa: F403

DATA_DIR = Path(
    os.environ.setdefault("FONODROME_TEST_DATA", tempfile.mkdtemp(prefix="fonodrome-test-"))
)
MEDIA_ROOT = DATA_DIR / "audio"
UPLOAD_ROOT = DATA_DIR / "uploads"
SCRATCH_ROOT = DATA_DIR / "scratch"
STORAGES = {
    **STORAGES,  # noqa: F405
    "default": {
        "BACKEND": "django.core.files.storage.FileSystemStorage",
        "OPTIONS": {"location": str(MEDIA_ROOT), "base_url": None},
    },
}
PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
AXES_ENABLED = False
ALLOWED_HOSTS = ["*"]
DATABASES = {"default": {**DATABASES["default"], "CONN_MAX_AGE": None}}  # noqa: F405
TEST_RUNNER = "server.config.test_runner.Runner"
