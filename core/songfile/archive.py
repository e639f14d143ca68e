"""The ZIP of a song or of a studio: written as it is read, the same bytes each time; read with limits.

What is read may be damaged, foreign or hostile: nothing is unpacked by a name from the file, and no more
than is said is ever read.
"""

import json
import re
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, BinaryIO
from zlib import error as zlib_error

from pydantic import BaseModel, ValidationError

from core.errors import FonodromeError
from core.songfile.shapes import SONG_VERSION, SongFile

MOST_ENTRIES, MOST_ENTRIES_OF_A_STUDIO = 4000, 40_000
MOST_DOCUMENT_BYTES = 32 * 1024**2
_DOCUMENTS_ANYWAY, _DOCUMENTS_BY_SIZE = 64 * 1024**2, 4
"""So much is read of all documents together, and so many times the file's own size on top."""
_PIECE = 1 << 20
_WHEN = (1980, 1, 1, 0, 0, 0)
_UNSAFE = re.compile(r'[\x00-\x1f\x7f"\\/:*?<>|]+')
SONG, DEVICES, STUDIO = "song.json", "devices.json", "studio.json"
SET_LISTS = "set-lists.json"


class SongFileError(FonodromeError):
    """A file that cannot be read as a song or a studio."""

    code = "song-file"


def written(document: BaseModel) -> bytes:
    """JSON as it stands in a file: keys in their order, letters as they are."""
    return (
        json.dumps(document.model_dump(mode="json"), ensure_ascii=False, indent=1) + "\n"
    ).encode()


def plain_name(name: str, most: int = 80) -> str:
    """A file name that any system takes."""
    found = " ".join(_UNSAFE.sub(" ", name).split()).strip(" .")
    return found[:most].strip(" .") or "sound"


class _Sink:
    """A file that can only be written to; what was written is taken away piece by piece."""

    def __init__(self) -> None:
        self.held = bytearray()

    def write(self, data: bytes) -> int:
        self.held += data
        return len(data)

    def flush(self) -> None: ...

    def take(self) -> bytes:
        data = bytes(self.held)
        self.held.clear()
        return data


Entry = tuple[str, bytes | Path]


def zipped(entries: Iterator[Entry]) -> Iterator[bytes]:
    """A ZIP in pieces, in the order of its entries: nothing is compressed, no clock is in it.

    Files are read as they are sent: memory stays small however large they are.
    """
    sink = _Sink()
    with zipfile.ZipFile(sink, "w", zipfile.ZIP_STORED, allowZip64=True) as archive:  # type: ignore[call-overload]
        for name, content in entries:
            info = zipfile.ZipInfo(name, _WHEN)
            info.external_attr = 0o644 << 16
            info.create_system = 3
            if isinstance(content, bytes):
                archive.writestr(info, content)
                yield sink.take()
                continue
            info.file_size = content.stat().st_size
            with content.open("rb") as source, archive.open(info, "w") as target:
                while piece := source.read(_PIECE):
                    target.write(piece)
                    yield sink.take()
            yield sink.take()
    yield sink.take()


def _no_number(word: str) -> None:
    raise ValueError(word)


def _can_be_kept(value: Any) -> None:
    """Raises ValueError for letters that no database takes."""
    if isinstance(value, str):
        if "\0" in value or any("\ud800" <= letter <= "\udfff" for letter in value):
            raise ValueError("a letter that cannot be kept")
    elif isinstance(value, dict):
        for key, one in value.items():
            _can_be_kept(key)
            _can_be_kept(one)
    elif isinstance(value, list):
        for one in value:
            _can_be_kept(one)


class Archive:
    """A ZIP that was given, looked at before anything of it is taken."""

    def __init__(self, file: Path) -> None:
        """Raises SongFileError for what is no ZIP, or one that no song can be."""
        try:
            self._zip = zipfile.ZipFile(file)
        except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError, EOFError):
            raise SongFileError(
                "This is no song's file, or it is damaged: it cannot be opened."
            ) from None
        self._left = _DOCUMENTS_ANYWAY + _DOCUMENTS_BY_SIZE * file.stat().st_size
        self._taken: set[str] = set()
        self.entries = {i.filename: i for i in self._zip.infolist() if not i.is_dir()}
        sort, most = ("studio", MOST_ENTRIES_OF_A_STUDIO) if STUDIO in self.entries else ("song", MOST_ENTRIES)  # fmt: skip
        if len(self._zip.infolist()) > most:
            self.close()
            raise SongFileError(
                f"This file holds {len(self._zip.infolist())} entries; a {sort} has up to {most}. "
                "Nothing was taken."
            )  # fmt: skip
        if len(self.entries) < sum(not i.is_dir() for i in self._zip.infolist()):
            self.close()
            raise SongFileError("Two entries of this file have one name. Nothing was taken.")

    def close(self) -> None:
        self._zip.close()

    def __enter__(self) -> "Archive":
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def document(self, name: str) -> Any:
        """A JSON document. Raises SongFileError where it is missing, too large or no JSON."""
        info = self.entries.get(name)
        if info is None:
            raise SongFileError(f"This is no file of Fonodrome: it has no “{name}”.")
        data = bytearray()
        for piece in self._pieces(info, MOST_DOCUMENT_BYTES):
            data += piece
            self._left -= len(piece)
            if self._left < 0:
                raise SongFileError("This file unpacks to far more than it is. Nothing was taken.")
        try:
            found = json.loads(data, parse_constant=_no_number)
            _can_be_kept(found)
        except (ValueError, RecursionError):
            raise SongFileError(
                f"“{name}” is damaged: it cannot be read. Nothing was taken."
            ) from None
        return found

    def _pieces(self, info: zipfile.ZipInfo, most: int) -> Iterator[bytes]:
        if info.file_size > most:
            raise SongFileError(f"“{info.filename[:60]}” is too large to be what it is called.")
        read = 0
        try:
            with self._zip.open(info) as stream:
                while piece := stream.read(_PIECE):
                    read += len(piece)
                    # More than was said: a bomb, or damaged.
                    if read > most:
                        raise SongFileError(f"“{info.filename[:60]}” is larger than it says.")
                    yield piece
        except (
            zipfile.BadZipFile,
            RuntimeError,
            NotImplementedError,
            EOFError,
            OSError,
            zlib_error,
        ):
            raise SongFileError(f"“{info.filename[:60]}” is damaged.") from None

    def take(
        self, name: str, most: int, target: BinaryIO, tick: Callable[[int], None] | None = None
    ) -> int:
        """Copy an entry out, once. Raises SongFileError where it is missing, damaged or longer than
        `most`.
        """
        info = self.entries.get(name)
        if info is None:
            raise SongFileError(f"“{name[:60]}” is missing.")
        if name in self._taken:
            raise SongFileError(f"“{name[:60]}” stands for two things.")
        self._taken.add(name)
        size = 0
        for piece in self._pieces(info, most):
            target.write(piece)
            size += len(piece)
            if tick is not None:
                tick(len(piece))
        return size


def read_song(data: Any) -> SongFile:
    """A song's document of any known version. Raises SongFileError with one sentence."""
    if not isinstance(data, dict) or data.get("format") != "fonodrome-song":
        raise SongFileError("This is no song of Fonodrome.")
    version = data.get("version")
    if isinstance(version, int) and version > SONG_VERSION:
        raise SongFileError(
            f"This song was written by a newer Fonodrome (version {version}); this one reads up to "
            f"{SONG_VERSION}. Nothing was taken."
        )
    if version == 1:
        data = {**data, "version": 2}
    try:
        return SongFile.model_validate(data)
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(p) for p in first["loc"])
        message = str(first["msg"]).removeprefix("Value error, ")
        raise SongFileError(
            f"{place}: {message[:1].lower()}{message[1:]}. Nothing was taken."
        ) from None
