"""`backup` and `restore`: everything that people put in, in one file; while it runs, and back again."""

import fcntl
import hashlib
import io
import json
import os
import tarfile
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO

from database import Cluster
from show import Step, Trouble, say

FORMAT = "fonodrome-backup-1"
_CHUNK = 1 << 20


def backup(data: Path, target: Path, *, replace: bool = False) -> int:
    """Database and audio into one tar file. The sound behind every row that the dump holds is there before
    the row is, and never changes: so what is copied after the dump belongs to it.
    """
    if not _holds_data(data):
        raise Trouble(f"There is no Fonodrome data in {data}. Use --data DIR.")
    if target.exists() and not replace:
        raise Trouble(f"{target} is there already. Choose another name, or say --replace.")
    if os.environ.get("FONODROME_OBJECTS") or os.environ.get("FONODROME_DB_HOST"):
        raise Trouble(
            "The database or the sounds are kept elsewhere (FONODROME_DB_HOST, FONODROME_OBJECTS): back both up "
            "where they are, as docs/operate.md says."
        )
    part = target.with_name(f"{target.name}.part")
    try:
        with _database(data) as cluster, tempfile.TemporaryDirectory(dir=target.parent) as held:
            dump = Path(held) / "database.dump"
            with Step("Database"):
                cluster.dump(dump)
            files = _blobs(data)
            with Step("Audio") as step, _private(part) as out:
                _write(out, dump, data, files, step)
        part.replace(target)
    except OSError as error:
        if error.errno == 28:
            raise Trouble(f"The disk of {target.parent} is full. Nothing was written.") from None
        raise Trouble(f"{target} cannot be written ({error.strerror}).") from None
    finally:
        part.unlink(missing_ok=True)
    size = target.stat().st_size / 1e6
    say(f"{target} holds everything: the database and {len(files)} sounds, {size:.0f} MB.")
    return 0


def restore(data: Path, source: Path, *, replace: bool = False) -> int:
    """Everything in a backup into a data folder. What is there is never overwritten: with `replace` it is
    put aside. The file is read and checked to its end before anything is changed.
    """
    data.mkdir(parents=True, exist_ok=True)
    with _locked(data):
        if _holds_data(data) and not replace:
            raise Trouble(
                f"{data} holds data already, and nothing of it is overwritten. Use --data with an empty folder, "
                "or say --replace: what is there is put aside."
            )
        with tempfile.TemporaryDirectory(dir=data, prefix="restoring-") as held:
            fresh = Path(held)
            with Step("Reading the backup") as step:
                count = _read(source, fresh, step)
            _put_aside(data)
            with Step("Database"):
                _fill(data, fresh / "database.dump")
            (fresh / "audio").mkdir(exist_ok=True)
            (fresh / "audio").rename(data / "audio")
            if (fresh / "secret-key").is_file():
                (fresh / "secret-key").replace(data / "secret-key")
        # An older backup is brought up to date by the next start.
        (data / "prepared").unlink(missing_ok=True)
    say(f"Restored: the database and {count} sounds. Start it: ./fonodrome start --data {data}")
    return 0


# What is there -----------------------------------------------------------------------------------
def _holds_data(data: Path) -> bool:
    return any((data / name).exists() for name in ("pg", "audio", "prepared"))


@contextmanager
def _database(data: Path) -> Iterator[Cluster]:
    """The database, started where it does not run."""
    cluster = Cluster(data / "pg")
    was_running = cluster._running_port() is not None
    cluster.start()
    try:
        yield cluster
    finally:
        if not was_running:
            cluster.stop()


@contextmanager
def _locked(data: Path) -> Iterator[None]:
    with (data / "lock").open("a+") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            raise Trouble(
                f"Fonodrome runs on {data}. Stop it first, or use another --data."
            ) from None
        yield


@contextmanager
def _private(path: Path) -> Iterator[IO[bytes]]:
    """A file that nobody else may read: it holds everybody's songs."""
    with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as out:
        yield out


def _blobs(data: Path) -> list[Path]:
    """Sounds, each under its own digest."""
    folder = data / "audio"
    return sorted(p for p in folder.glob("*/*") if p.is_file() and len(p.name) == 64)


# Writing -----------------------------------------------------------------------------------------
def _write(out: IO[bytes], dump: Path, data: Path, files: list[Path], step: Step) -> None:
    told = {
        "format": FORMAT, "made": time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime()),
        "sounds": len(files), "database": _digest(dump),
    }  # fmt: skip
    with tarfile.open(fileobj=out, mode="w") as tar:
        _add_text(tar, "backup.json", json.dumps(told))
        tar.add(dump, "database.dump", filter=_plain)
        if (data / "secret-key").is_file():
            tar.add(data / "secret-key", "secret-key", filter=_plain)
        for i, path in enumerate(files):
            tar.add(path, f"audio/{path.parent.name}/{path.name}", filter=_plain)
            if i % 50 == 0:
                step.progress(f"{i} of {len(files)}")


def _add_text(tar: tarfile.TarFile, name: str, text: str) -> None:
    body = text.encode()
    entry = tarfile.TarInfo(name)
    entry.size = len(body)
    tar.addfile(_plain(entry), io.BytesIO(body))


def _plain(entry: tarfile.TarInfo) -> tarfile.TarInfo:
    entry.uid = entry.gid = 0
    entry.uname = entry.gname = ""
    entry.mode = 0o600
    return entry


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


# Reading -----------------------------------------------------------------------------------------
def _read(source: Path, into: Path, step: Step) -> int:
    """Unpack a backup, every byte checked. Raises Trouble for what is none, or is broken."""
    no_backup = Trouble(f"{source} is no backup of Fonodrome, or is broken. Nothing was changed.")
    count = 0
    try:
        with tarfile.open(source) as tar:
            first = tar.next()
            if first is None or first.name != "backup.json" or first.size > 65_536:
                raise no_backup
            told = json.load(tar.extractfile(first) or _nothing())
            if told.get("format") != FORMAT:
                raise Trouble(f"{source} was made by another version; this one reads {FORMAT}.")
            while (entry := tar.next()) is not None:
                digest = _unpack(tar, entry, into, no_backup)
                if entry.name == "database.dump" and digest != told["database"]:
                    raise no_backup
                if entry.name.startswith("audio/"):
                    if digest != entry.name.rsplit("/", 1)[-1]:
                        raise no_backup
                    count += 1
                    step.progress(f"{count} of {told['sounds']}")
    except FileNotFoundError:
        raise Trouble(f"There is no {source}.") from None
    except (tarfile.TarError, ValueError, KeyError, EOFError):
        raise no_backup from None
    except OSError as error:
        if error.errno == 28:
            raise Trouble("The disk is full. Make room; nothing was changed.") from None
        raise
    if not (into / "database.dump").is_file() or count != told["sounds"]:
        raise no_backup
    return count


def _nothing() -> IO[bytes]:
    raise ValueError


def _unpack(tar: tarfile.TarFile, entry: tarfile.TarInfo, into: Path, no_backup: Trouble) -> str:
    """Write one entry; its digest. No entry names a place outside the folder, or is anything but a file."""
    parts = Path(entry.name).parts
    known = entry.name in ("database.dump", "secret-key") or (
        len(parts) == 3
        and parts[0] == "audio"
        and len(parts[2]) == 64
        and set(parts[2]) <= set("0123456789abcdef")
        and parts[1] == parts[2][:2]
    )
    held = tar.extractfile(entry) if entry.isfile() and known else None
    if held is None:
        raise no_backup
    target, sha = into.joinpath(*parts), hashlib.sha256()
    target.parent.mkdir(parents=True, exist_ok=True)
    with _private(target) as out:
        while block := held.read(_CHUNK):
            sha.update(block)
            out.write(block)
    if target.stat().st_size != entry.size:
        raise no_backup
    return sha.hexdigest()


def _put_aside(data: Path) -> None:
    """What is there, out of the way and not deleted."""
    if not _holds_data(data):
        return
    aside = data / f"before-{time.strftime('%Y%m%d-%H%M%S')}"
    aside.mkdir()
    cluster = Cluster(data / "pg")
    if cluster._running_port() is not None:
        cluster.stop()
    if cluster._data.exists():
        cluster._data.rename(cluster.folder / f"{cluster._data.name}.{aside.name}")
    for name in ("audio", "secret-key"):
        if (data / name).exists():
            (data / name).rename(aside / name)
    say(f"  What was there is in {aside} and {cluster.folder}.")


def _fill(data: Path, dump: Path) -> None:
    with _database(data) as cluster:
        cluster.fill(dump, "The database in the backup could not be read back.")
