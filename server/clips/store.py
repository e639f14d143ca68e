"""Content-addressed files behind Django's storage: of this machine alone, or of an object store (objects.py)."""

import hashlib
import os
import shutil
from pathlib import Path
from uuid import uuid4

from django.conf import settings
from django.core.files.storage import default_storage

from server.clips import objects
from server.clips.models import Blob

_ROOM_KEPT_BYTES = 500 * 1024**2
_PIECE = 1 << 22


def local_path(blob: Blob) -> Path:
    return Path(default_storage.path(blob.storage_name))


def path_of(blob: Blob) -> Path:
    """Where the bytes of a blob can be read as a local file; from the object store, where there is one.

    Raises objects.StoreAway and FonodromeError where they cannot be had from there.
    """
    path, store = local_path(blob), objects.objects()
    if store is not None:
        objects.fetch(store, blob.storage_name, blob.digest, path)
    return path


def room_for(size_bytes: int) -> bool:
    """Whether the data folder's disk takes so much more and keeps a reserve."""
    Path(settings.DATA_DIR).mkdir(parents=True, exist_ok=True)
    return shutil.disk_usage(settings.DATA_DIR).free - size_bytes > _ROOM_KEPT_BYTES


def digest_of(path: Path) -> str:
    with path.open("rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()


def adopt(path: Path, *, keep: bool = False, link: bool = False) -> Blob:
    """Take a file into the store under its digest; `keep` copies instead of moving, `link` gives it
    a second name: for a file that is not written any more.
    """
    blob = Blob(digest=digest_of(path), size_bytes=path.stat().st_size)
    target = local_path(blob)
    target.parent.mkdir(parents=True, exist_ok=True)
    if not target.exists():
        part = target.with_name(f"{target.name}.{uuid4().hex}.part")
        try:
            if link:
                try:
                    os.link(path, part)
                except OSError:
                    shutil.copyfile(path, part)
            elif keep:
                shutil.copyfile(path, part)
            else:
                shutil.move(path, part)
            os.replace(part, target)
        except OSError:
            # Half a copy on a full disk.
            part.unlink(missing_ok=True)
            raise
    else:
        # Wanted again: what goes by its age is young now.
        os.utime(target)
        if not keep and not link:
            path.unlink()
    store = objects.objects()
    if store is None:
        return _row(blob)
    with objects.alone(blob.digest):
        objects.put(store, blob.storage_name, target)
        return _row(blob)


def _row(blob: Blob) -> Blob:
    return Blob.objects.get_or_create(digest=blob.digest, defaults={"size_bytes": blob.size_bytes})[
        0
    ]


def upload_path(name: str) -> Path:
    Path(settings.UPLOAD_ROOT).mkdir(parents=True, exist_ok=True)
    return Path(settings.UPLOAD_ROOT) / name


def put_piece(name: str, offset: int, data: bytes) -> None:
    """A piece of a file on its way, from `offset` on; what came after it before counts no more."""
    store = objects.objects()
    if store is not None:
        objects.put_piece(store, name, offset, data)
        return
    path = upload_path(name)
    with path.open("r+b" if path.exists() else "w+b") as out:
        out.truncate(offset)
        out.seek(offset)
        out.write(data)


def whole(name: str) -> Path:
    """A file that has arrived, as one. Raises FonodromeError where a piece is missing."""
    path, store = upload_path(name), objects.objects()
    if store is not None:
        objects.put_together(store, name, path)
    return path


def drop_pieces(name: str) -> None:
    upload_path(name).unlink(missing_ok=True)
    store = objects.objects()
    if store is not None:
        objects.drop_pieces(store, name)


def scratch_folder() -> Path:
    Path(settings.SCRATCH_ROOT).mkdir(parents=True, exist_ok=True)
    return Path(settings.SCRATCH_ROOT)
