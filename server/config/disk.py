"""Whether something broke because a disk is full, and what is said then."""

import errno
import shutil

from django.conf import settings
from django.db import DatabaseError

DISK_FULL = "The disk is full. Make room and try again; nothing was changed."
_FULL_BELOW_BYTES = 1 << 20
_DATABASE_FULL = "53100"


def tells_of_full_disk(error: BaseException) -> bool:
    """Whether it broke for want of room: on this disk, by a quota, or on the database's."""
    if isinstance(error, OSError):
        return error.errno in (errno.ENOSPC, errno.EDQUOT)
    if isinstance(error, DatabaseError):
        return getattr(error.__cause__, "sqlstate", None) == _DATABASE_FULL
    # The sound library says that it could not write, and not why.
    unsaid = type(error).__name__ == "LibsndfileError"
    return unsaid and shutil.disk_usage(settings.DATA_DIR).free < _FULL_BELOW_BYTES
