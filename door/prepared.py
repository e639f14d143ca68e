"""What a new folder of data begins with, kept beside the packages: the next one has it without making it again.

It is the database as it is laid out, with the demo and nobody's things, and the demo's sounds.
"""

import contextlib
import os
import shutil
from pathlib import Path

from database import Cluster
from setup import VENV
from show import Trouble

KEPT = VENV / "prepared"


def keep(cluster: Cluster, data: Path, key: str, kept: Path = KEPT) -> None:
    """Remember how a folder that was just made stands; nothing where there is no room, or no right to."""
    made, fresh = kept / key, kept / f"{key}.new"
    with contextlib.suppress(OSError, Trouble):
        if made.is_dir():
            return
        kept.mkdir(parents=True, exist_ok=True)
        for older in kept.iterdir():
            shutil.rmtree(older)
        fresh.mkdir(mode=0o700)
        cluster.dump(fresh / "database")
        for name in ("audio", "demo"):
            if (data / name).is_dir():
                shutil.copytree(data / name, fresh / name)
        fresh.rename(made)


def bring(cluster: Cluster, data: Path, key: str, kept: Path = KEPT) -> bool:
    """Fill an empty folder with what was kept under this key; False where it has to be made."""
    made = kept / key
    if not made.is_dir() or not os.access(made, os.R_OK) or not cluster.is_empty:
        return False
    try:
        for name in ("audio", "demo"):
            if (made / name).is_dir():
                shutil.copytree(made / name, data / name, dirs_exist_ok=True)
        cluster.fill(made / "database", "What was kept could not be read.")
    except (OSError, Trouble):
        return False
    return True
