"""Pictures of a note: opened by what they are, turned upright, made small enough, and nothing else kept.

What a camera writes beside a picture (where, when, by what) is left behind; what is stored was written
here, not by whoever sent it.
"""

import io
import struct
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import timedelta
from uuid import uuid4

from django.utils import timezone
from PIL import Image, ImageOps

from server.clips import store
from server.config.problems import Problem
from server.log.models import LogEntry, NotePicture
from server.songs.models import Song

MOST_OF_A_NOTE, MOST_OF_A_SONG = 4, 1000
MOST_BYTES_SENT = 12 * 1024**2
MOST_BYTES = 4 * 1024**2
"""As stored."""
LONGEST_SIDE, SMALL_HEIGHT = 2048, 96
_MOST_DOTS = 30_000_000
_FORMATS = ("JPEG", "PNG", "WEBP")
_QUALITY = 86
_PNG_BYTES = 1_500_000
_WAITS = timedelta(days=1)
_NONE = "This is no picture that can be opened: take a JPEG, a PNG or a WebP."


@dataclass(frozen=True)
class Taken:
    data: bytes
    kind: str
    width: int
    height: int
    small: bytes
    """A JPEG to be shown in a row."""


@contextmanager
def _read() -> Iterator[None]:
    """Whatever is wrong with a picture, wherever it shows, is one sentence. Raises Problem."""
    try:
        with warnings.catch_warnings():
            # Dots are counted here; what else is odd beside them does not matter.
            warnings.simplefilter("ignore")
            yield
    except (
        OSError, SyntaxError, ValueError, TypeError, ArithmeticError, LookupError, MemoryError,
        AttributeError, struct.error, Image.DecompressionBombError,
    ):  # fmt: skip
        raise Problem(422, _NONE, "picture") from None


def _opened(data: bytes) -> Image.Image:
    """Raises Problem where there are too many dots; within `_read`."""
    found = Image.open(io.BytesIO(data), formats=_FORMATS)
    width, height = found.size
    if width * height > _MOST_DOTS:
        raise Problem(
            422, f"This picture has {width} × {height} dots; up to 30 million can be taken. Make it smaller first.", "picture",
        )  # fmt: skip
    # A large JPEG is read at a half, a quarter or an eighth of its size.
    found.draft("RGB", (LONGEST_SIDE, LONGEST_SIDE))
    found.load()
    return found


def _turned(picture: Image.Image) -> Image.Image:
    """Upright, as far as what stands beside the dots can be read."""
    try:
        return ImageOps.exif_transpose(picture)
    except (OSError, SyntaxError, ValueError, TypeError, LookupError, struct.error):
        return picture


def _flat(picture: Image.Image) -> Image.Image:
    """In red, green and blue, on white where it was clear."""
    if picture.mode in ("RGB", "L"):
        return picture
    if "A" in picture.mode or "transparency" in picture.info:
        over = picture.convert("RGBA")
        white = Image.new("RGBA", over.size, "white")
        return Image.alpha_composite(white, over).convert("RGB")
    return picture.convert("RGB")


def _written(picture: Image.Image, kind: str) -> bytes:
    out = io.BytesIO()
    more = {"quality": _QUALITY} if kind == "jpeg" else {"optimize": True}
    picture.save(out, kind.upper(), **more)
    return out.getvalue()


def _small(picture: Image.Image) -> bytes:
    found = picture.copy()
    found.thumbnail((3 * SMALL_HEIGHT, SMALL_HEIGHT))
    return _written(found.convert("RGB"), "jpeg")


def taken(data: bytes) -> Taken:
    """A picture as it will be stored. Raises Problem for what is none, or too large."""
    with _read():
        found = _opened(data)
        drawn = found.format != "JPEG"
        upright = _flat(_turned(found))
        upright.thumbnail((LONGEST_SIDE, LONGEST_SIDE))
    # Nothing of what came beside the dots is written.
    upright.info.clear()
    written, kind = (_written(upright, "png"), "png") if drawn else (b"", "jpeg")
    if not drawn or len(written) > _PNG_BYTES:
        written, kind = _written(upright, "jpeg"), "jpeg"
    return Taken(written, kind, *upright.size, _small(upright))


def as_it_was(data: bytes) -> Taken:
    """A picture out of a song's file, which stays as it is. Raises Problem where it cannot be shown."""
    with _read():
        found = _opened(data)
        small = _small(_flat(found))
    if max(found.size) > LONGEST_SIDE or found.format not in ("JPEG", "PNG") or len(data) > MOST_BYTES:  # fmt: skip
        raise Problem(422, "It is larger than a picture of a note can be.", "picture")
    return Taken(data, found.format.lower(), *found.size, small)


def kept(song: Song, picture: Taken, entry: LogEntry | None = None, place: int = 0) -> NotePicture:
    """Store it: for an entry, or until a note is written with it. Raises Problem where there is no room."""
    if not store.room_for(len(picture.data)):
        raise Problem(507, "The disk is too full for this picture.", "disk-full")
    path = store.scratch_folder() / f"picture-{uuid4().hex}"
    path.write_bytes(picture.data)
    try:
        return NotePicture.objects.create(
            song=song, entry=entry, place=place, blob=store.adopt(path), kind=picture.kind,
            width=picture.width, height=picture.height, small=picture.small,
        )  # fmt: skip
    finally:
        path.unlink(missing_ok=True)


def take(song: Song, data: bytes) -> NotePicture:
    """One that waits for its note; one that waited for a day is let go. Raises Problem."""
    if len(data) > MOST_BYTES_SENT:
        raise Problem(413, "A picture is at most 12 MB.", "too-large")
    if song.pictures.count() >= MOST_OF_A_SONG:
        raise Problem(
            422, f"A song's log holds {MOST_OF_A_SONG} pictures, and this one has them.", "full"
        )
    song.pictures.filter(entry=None, created_at__lt=timezone.now() - _WAITS).delete()
    return kept(song, taken(data))


def give(entry: LogEntry, wanted: list[str]) -> None:
    """Put pictures that wait to a note, in their order. Raises Problem where one does not wait any more."""
    waiting = {
        str(p.pk): p
        for p in NotePicture.objects.select_for_update().filter(
            song_id=entry.song_id, entry=None, pk__in=wanted
        )
    }
    if len(waiting) < len(set(wanted)):
        raise Problem(409, "A picture of this note is not here any more. Add it again.", "picture")
    for place, key in enumerate(dict.fromkeys(wanted)):
        NotePicture.objects.filter(pk=waiting[key].pk).update(entry=entry, place=place)
