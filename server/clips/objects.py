"""An object store that several machines share. Each machine keeps what it has read in its own audio folder: files
are named by their content, so that a copy is never out of date.

Without FONODROME_OBJECTS there is none, and the audio folder is all there is.
"""

import contextlib
import hashlib
import os
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from uuid import uuid4

from django.conf import settings
from django.core.files import File
from django.core.files.base import ContentFile
from django.core.files.storage import Storage, storages
from django.db import connection, transaction

from core.errors import FonodromeError

_PIECE = 1 << 20
_LOCK = 7_302
_TRIM_EVERY_S = 600.0


class StoreAway(OSError):
    """The object store does not answer, or not as it should."""

    sentence = "The store of sounds cannot be reached. Nothing was changed; try again in a moment."


def objects() -> Storage | None:
    """The store; None where there is none."""
    return storages["objects"] if "objects" in settings.STORAGES else None


@contextlib.contextmanager
def answering() -> Iterator[None]:
    """What the store says of itself is said as StoreAway. What is not there stays FileNotFoundError."""
    from boto3.exceptions import Boto3Error
    from botocore.exceptions import BotoCoreError, ClientError

    try:
        yield
    except (BotoCoreError, Boto3Error, ClientError) as fault:
        raise StoreAway(str(fault)) from fault


@contextlib.contextmanager
def alone(digest: str) -> Iterator[None]:
    """Whoever puts these bytes in, or takes them out, waits for whoever does so at the same time."""
    with transaction.atomic():
        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_advisory_xact_lock(%s, hashtext(%s))", [_LOCK, digest])
        yield


def put(store: Storage, name: str, path: Path) -> None:
    """Have a file in the store under this name; the same bytes are sent once."""
    with answering():
        if not store.exists(name):
            with path.open("rb") as stream:
                store.save(name, File(stream, name))


def fetch(store: Storage, name: str, digest: str, target: Path) -> None:
    """Copy an object to where it is read. Left undone where it is not there; raises FonodromeError where it is not
    what was put in, StoreAway where the store does not answer.
    """
    with contextlib.suppress(FileNotFoundError):
        os.utime(target)
        return
    target.parent.mkdir(parents=True, exist_ok=True)
    part = target.with_name(f"{target.name}.{uuid4().hex}.part")
    sha = hashlib.sha256()
    try:
        with answering(), store.open(name) as source, part.open("wb") as out:
            while piece := source.read(_PIECE):
                sha.update(piece)
                out.write(piece)
        if sha.hexdigest() != digest:
            raise FonodromeError(
                "A sound in the store is not what was put there. Bring it in again."
            )
        os.replace(part, target)
    except FileNotFoundError:
        return
    finally:
        part.unlink(missing_ok=True)
    TRIM.now_and_then()


class Trim:
    """Lets go of what was read longest ago, where the copies of a machine take too much room."""

    def __init__(self) -> None:
        self._at = 0.0
        self._guard = threading.Lock()

    def now_and_then(self) -> None:
        with self._guard:
            if time.monotonic() - self._at < _TRIM_EVERY_S:
                return
            self._at = time.monotonic()
        self.all()

    def all(self) -> int:
        """Returns how many went. What is open stays readable to who has it open."""
        found = []
        for path in Path(settings.MEDIA_ROOT).glob("*/*"):
            with contextlib.suppress(FileNotFoundError):
                told = path.stat()
                found.append((told.st_mtime, told.st_size, path))
        total, gone = sum(size for _, size, _ in found), 0
        for _, size, path in sorted(found):
            if total <= settings.OBJECTS_KEPT_BYTES:
                break
            path.unlink(missing_ok=True)
            total, gone = total - size, gone + 1
        return gone


TRIM = Trim()


# Pieces of what is on its way --------------------------------------------------------------------
def _folder(name: str) -> str:
    return f"uploads/{name}"


def put_piece(store: Storage, name: str, offset: int, data: bytes) -> None:
    """The piece that begins at `offset`; one that comes again takes the place of the one before."""
    with answering():
        store.save(f"{_folder(name)}/{offset:015d}", ContentFile(data))


def _pieces(store: Storage, name: str) -> list[str]:
    with answering():
        return sorted(store.listdir(_folder(name))[1])


def put_together(store: Storage, name: str, target: Path) -> None:
    """All pieces as one file. Raises FonodromeError where one is missing."""
    part = target.with_name(f"{target.name}.{uuid4().hex}.part")
    try:
        with part.open("wb") as out:
            for piece in _pieces(store, name):
                if int(piece) != out.tell():
                    raise FonodromeError("A part of this file is missing. Bring it in again.")
                with answering(), store.open(f"{_folder(name)}/{piece}") as source:
                    out.write(source.read())
            if not out.tell():
                raise FileNotFoundError(name)
        os.replace(part, target)
    finally:
        part.unlink(missing_ok=True)


def drop_pieces(store: Storage, name: str) -> None:
    for piece in _pieces(store, name):
        with answering():
            store.delete(f"{_folder(name)}/{piece}")


def listed(store: Storage) -> Iterator[tuple[str, str, Any]]:
    """Folder, name and time of all that is in the store."""
    with answering():
        folders, _ = store.listdir("")
        for folder in folders:
            deeper = store.listdir(folder)[0] if folder == "uploads" else [""]
            for inner in deeper:
                place = f"{folder}/{inner}" if inner else folder
                for name in store.listdir(place)[1]:
                    yield place, name, store.get_modified_time(f"{place}/{name}")
