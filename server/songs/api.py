"""Songs."""

from datetime import datetime
from typing import Any
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import Field, field_validator

from core.blend import KeptBlend
from core.delay import (
    DelayLine,
    FigureRequest,
    KeptFigure,
    check_lines,
    figure_midi,
    figure_wav,
    slug,
)
from core.devices import DeviceProfile
from core.edge import Edge, Word
from core.errors import FonodromeError
from core.space import KeptSpace
from core.tempo import TempoSection, check_sections, write_midi
from core.tempo.song import MOST_SECTIONS
from core.units import parse_time
from server.config.answers import named
from server.config.auth import user_of
from server.songs import services
from server.songs.models import Song
from server.songs.queries import song_of, songs_of

router = Router(tags=["songs"])
Tempo = list[TempoSection]


def _a_title(value: str | None) -> str | None:
    if value is not None and not value.strip():
        raise ValueError("A song needs a name.")
    return value.strip() if value is not None else None


class Hand(Edge):
    """What is in hand through all steps, as it was left."""

    step: str = Field("route", max_length=20)
    variant: UUID | None = None
    clip: UUID | None = None
    selected: str = Field("", max_length=60, description="Node of the variant")
    tools: dict[str, Word] = Field({}, max_length=12, description="Step to its open tool")
    found: list[Word] = Field([], max_length=20, description="Findings of the demo, ticked off")
    put_away: bool = Field(False, description="The list of findings is put away")
    at: float = Field(0, ge=0, description="When, in milliseconds since 1970")


class SongCreate(Edge):
    title: str = Field(max_length=120)
    players: str = Field("", max_length=200)
    tempo_map: Tempo = Field(min_length=1, max_length=MOST_SECTIONS)
    sample_rate_hz: int = Field(48_000, ge=8_000, le=384_000)

    _title = field_validator("title")(_a_title)


class SongChanges(Edge):
    """Only the fields that are given change."""

    title: str | None = Field(None, max_length=120)
    players: str | None = Field(None, max_length=200)
    tempo_map: Tempo | None = Field(None, min_length=1, max_length=MOST_SECTIONS)
    sample_rate_hz: int | None = Field(None, ge=8_000, le=384_000)
    delay_value: str | None = Field(None, min_length=1, max_length=60)
    device: DeviceProfile | None = None
    delays: list[DelayLine] | None = Field(None, min_length=1, max_length=32)
    figure: KeptFigure | None = None
    space: KeptSpace | None = None
    blend: KeptBlend | None = None

    _title = field_validator("title")(_a_title)


class SongEdit(Edge):
    base_revision: int = Field(ge=1, description="The revision that the edit was made on")
    changes: SongChanges


class SongOut(Edge):
    id: UUID
    title: str
    players: str
    tempo_map: Tempo
    sample_rate_hz: int
    delay_value: str
    device: DeviceProfile | None
    delays: list[DelayLine] = Field(description="Named delays; the first is the one in hand")
    written: list[str] = Field(description="How each delay is written in a rig: '@slap'")
    figure: KeptFigure | None
    space: KeptSpace | None
    blend: KeptBlend | None
    hand: Hand
    revision: int
    updated_at: datetime
    beat_ms: float = Field(description="Length of a beat of the first section")


def _out(song: Song) -> SongOut:
    frame = TempoSection.model_validate(song.tempo_map[0]).frame(song.sample_rate_hz)
    computed = {"beat_ms", "delays", "written"}
    own = {name: getattr(song, name) for name in SongOut.model_fields if name not in computed}
    own["delays"] = services.delays_of(song)
    own["written"] = [slug(line["name"]) for line in own["delays"]]
    return SongOut.model_validate({**own, "beat_ms": 1e3 * frame.length_s(frame.beat)})


def _values(model: Edge) -> dict[str, Any]:
    return model.model_dump(mode="json", exclude_unset=True)


@router.get("/songs", response=list[SongOut])
def list_songs(request: HttpRequest) -> list[SongOut]:
    return [_out(song) for song in songs_of(user_of(request))]


@router.post("/songs", response=SongOut)
def create_song(request: HttpRequest, payload: SongCreate) -> SongOut:
    values = payload.model_dump(mode="json")
    return _out(services.create_song(user_of(request), values))


@router.get("/songs/{uuid:song_id}", response=SongOut)
def get_song(request: HttpRequest, song_id: UUID) -> SongOut:
    return _out(song_of(user_of(request), song_id))


@router.patch("/songs/{uuid:song_id}", response=SongOut)
def edit_song(request: HttpRequest, song_id: UUID, payload: SongEdit) -> SongOut:
    song = song_of(user_of(request), song_id)
    changes = _values(payload.changes)
    if payload.changes.tempo_map is not None:
        check_sections(payload.changes.tempo_map)
    section = TempoSection.model_validate((changes.get("tempo_map") or song.tempo_map)[0])
    frame = section.frame(song.sample_rate_hz)
    if (value := changes.get("delay_value")) and parse_time(value, frame)[0] <= 0:
        raise FonodromeError("A delay time must be above 0 ms.", part=value)
    if lines := payload.changes.delays:
        check_lines(lines)
        for line in lines:
            line.times_s(frame)
    return _out(services.edit_song(user_of(request), song_id, payload.base_revision, changes))


@router.put("/songs/{uuid:song_id}/hand", response={204: None})
def keep_in_hand(request: HttpRequest, song_id: UUID, payload: Hand) -> tuple[int, None]:
    services.keep_in_hand(user_of(request), song_id, payload.model_dump(mode="json"))
    return 204, None


@router.get("/songs/{uuid:song_id}/tempo-map.mid")
def save_tempo_map(request: HttpRequest, song_id: UUID) -> HttpResponse:
    song = song_of(user_of(request), song_id)
    sections = [TempoSection.model_validate(s) for s in song.tempo_map]
    return _file(write_midi(sections, song.title), "audio/midi", "tempo map.mid")


@router.post("/songs/{uuid:song_id}/figure.wav")
def save_figure(request: HttpRequest, song_id: UUID, payload: FigureRequest) -> HttpResponse:
    song_of(user_of(request), song_id)
    return _file(figure_wav(payload), "audio/wav", "figure.wav")


@router.post("/songs/{uuid:song_id}/figure.mid")
def save_figure_midi(request: HttpRequest, song_id: UUID, payload: FigureRequest) -> HttpResponse:
    song_of(user_of(request), song_id)
    return _file(figure_midi(payload), "audio/midi", "figure.mid")


def _file(content: bytes, kind: str, name: str) -> HttpResponse:
    return named(HttpResponse(content, content_type=kind), name)


@router.post("/songs/{uuid:song_id}/duplicate", response=SongOut)
def duplicate_song(request: HttpRequest, song_id: UUID) -> SongOut:
    return _out(services.duplicate_song(user_of(request), song_id))


@router.delete("/songs/{uuid:song_id}", response={204: None})
def delete_song(request: HttpRequest, song_id: UUID) -> tuple[int, None]:
    services.delete_song(user_of(request), song_id)
    return 204, None


@router.post("/songs/{uuid:song_id}/restore", response=SongOut)
def restore_song(request: HttpRequest, song_id: UUID) -> SongOut:
    return _out(services.restore_song(user_of(request), song_id))
