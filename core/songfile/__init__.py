"""A song, or a whole studio, as one file: written, read and upgraded; no database is known here."""

from core.songfile.archive import (
    DEVICES,
    SET_LISTS,
    SONG,
    STUDIO,
    Archive,
    Entry,
    SongFileError,
    plain_name,
    read_song,
    written,
    zipped,
)
from core.songfile.marks import HEAD, Marking, mark, unmarked
from core.songfile.shapes import (
    SONG_VERSION,
    FiledClip,
    FiledLine,
    FiledMeasurement,
    FiledPicture,
    FiledRig,
    FiledSnapshot,
    FiledTest,
    FiledVariant,
    KeptSong,
    MarkText,
    SongFile,
    SongValues,
)

__all__ = [
    "DEVICES", "HEAD", "SET_LISTS", "SONG", "SONG_VERSION", "STUDIO", "Archive", "Entry", "FiledClip", "FiledLine",
    "FiledMeasurement", "FiledPicture", "FiledRig", "FiledSnapshot", "FiledTest", "FiledVariant", "KeptSong", "MarkText", "Marking", "SongFile",
    "SongFileError", "SongValues", "mark", "plain_name", "read_song", "unmarked", "written", "zipped",
]  # fmt: skip
