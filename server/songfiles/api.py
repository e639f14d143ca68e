"""A song, or all of a studio, as one file, out and in."""

from uuid import UUID

from django.conf import settings
from django.http import HttpRequest, StreamingHttpResponse
from ninja import Router
from pydantic import Field

from core.edge import Edge
from core.songfile import zipped
from server.config.answers import named
from server.config.auth import user_of
from server.songfiles.bring import bring, received
from server.songfiles.collect import Filed, studio_entries
from server.songfiles.one import Clash
from server.songs.queries import song_of

router = Router(tags=["song files"])


class TakenSong(Edge):
    id: UUID
    title: str


class TakenOut(Edge):
    songs: list[TakenSong]
    left_out: list[str] = Field(description="What of the file could not be used, a sentence each")


@router.get("/songs/{uuid:song_id}/file", response={200: None})
def song_file(request: HttpRequest, song_id: UUID) -> StreamingHttpResponse:
    """The song with its audio, rigs, tests, snapshots and log, as a ZIP: the same bytes each time."""
    song = song_of(user_of(request), song_id)
    filed = Filed(song)
    answer = StreamingHttpResponse(zipped(filed.entries()), content_type="application/zip")
    return named(answer, f"{song.title}.song.zip")


@router.get("/studio/file", response={200: None})
def studio_file(request: HttpRequest) -> StreamingHttpResponse:
    """All songs and devices of a person."""
    entries = studio_entries(user_of(request))
    answer = StreamingHttpResponse(zipped(entries), content_type="application/zip")
    return named(answer, "Fonodrome studio.zip")


@router.post("/songs/file", response=TakenOut)
def take_song_file(request: HttpRequest, clash: Clash = "ask") -> TakenOut:
    """Take the song or the studio that the body is. Where a name is there already it asks first."""
    length = request.headers.get("Content-Length", "")
    size = int(length) if length.isdigit() else None
    path = received(request, size, settings.LARGEST_UPLOAD_BYTES)
    try:
        done = bring(user_of(request), path, clash)
    finally:
        path.unlink(missing_ok=True)
    return TakenOut(
        songs=[TakenSong(id=s.pk, title=s.title) for s in done.songs], left_out=done.left_out[:100]
    )
