"""Blind trials. Nothing that is answered here tells what X is before it has been answered."""

from datetime import datetime
from typing import Literal
from uuid import UUID

from django.db.models import QuerySet
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Router
from pydantic import Field

from core.edge import Edge
from core.render.trial import PRACTICE, TrialVerdict, needed
from server.config.auth import user_of
from server.songs.queries import song_of, songs_of
from server.trials import services
from server.trials.models import Trial

router = Router(tags=["trials"])


class TrialIn(Edge):
    a: UUID = Field(description="A render")
    b: UUID
    start_s: float = Field(0, ge=0, le=7200)
    length_s: float = Field(10, gt=0, le=30)
    total: int = Field(16, ge=4, le=50)
    matched: bool = True


class PracticeIn(Edge):
    kind: Literal["level", "repeat", "compression", "polarity"]
    clip: UUID
    total: int = Field(8, ge=4, le=50)


class AnswerIn(Edge):
    number: int = Field(ge=1, le=50)
    choice: Literal["a", "b"]


class TrialOut(Edge):
    """A trial as its listener may see it: hits only when it is over, or while practising."""

    id: UUID
    title_a: str
    title_b: str
    practice: str
    about: str
    matched: bool
    length_s: float
    total: int
    answered: int
    needed: int | None
    over: bool
    hits: list[bool] | None = Field(description="Per answer; null while it runs unless practising")
    verdict: TrialVerdict | None
    created_at: datetime


class PracticeOut(Edge):
    kind: str
    title: str
    about: str


def _mine(request: HttpRequest) -> QuerySet[Trial]:
    return Trial.objects.filter(song__in=songs_of(user_of(request))).select_related(
        "blob_a", "blob_b", "song"
    )


def _out(trial: Trial) -> TrialOut:
    over = trial.ended_at is not None
    told = over or bool(trial.practice)
    return TrialOut(
        id=trial.pk, title_a=trial.title_a, title_b=trial.title_b, practice=trial.practice,
        about=trial.about, matched=trial.matched, length_s=trial.length_s, total=trial.total,
        answered=len(trial.answers), needed=needed(trial.total), over=over,
        hits=[x == said for x, said in zip(trial.order, trial.answers, strict=False)] if told else None,
        verdict=services.verdict(trial) if told else None, created_at=trial.created_at,
    )  # fmt: skip


@router.get("/songs/{uuid:song_id}/trials", response=list[TrialOut])
def list_trials(request: HttpRequest, song_id: UUID) -> list[TrialOut]:
    song = song_of(user_of(request), song_id)
    return [_out(trial) for trial in _mine(request).filter(song=song)[:50]]


@router.get("/practice-trials", response=list[PracticeOut])
def list_practice(request: HttpRequest) -> list[PracticeOut]:
    return [PracticeOut(kind=k, title=t, about=a) for k, (t, a) in PRACTICE.items()]


@router.post("/songs/{uuid:song_id}/trials", response=TrialOut)
def begin_trial(request: HttpRequest, song_id: UUID, payload: TrialIn) -> TrialOut:
    user = user_of(request)
    song = song_of(user, song_id)
    return _out(
        services.begin(
            user, song, payload.a, payload.b, payload.start_s, payload.length_s, payload.total,
            payload.matched,
        )
    )  # fmt: skip


@router.post("/songs/{uuid:song_id}/practice", response=TrialOut)
def begin_practice(request: HttpRequest, song_id: UUID, payload: PracticeIn) -> TrialOut:
    user = user_of(request)
    song = song_of(user, song_id)
    return _out(services.practise(user, song, payload.kind, payload.clip, payload.total))


@router.get("/trials/{uuid:trial_id}", response=TrialOut)
def get_trial(request: HttpRequest, trial_id: UUID) -> TrialOut:
    return _out(get_object_or_404(_mine(request), pk=trial_id))


@router.get("/trials/{uuid:trial_id}/audio/{which}", response={200: None})
def trial_audio(
    request: HttpRequest, trial_id: UUID, which: Literal["a", "b", "x"]
) -> HttpResponse:
    """A, B or X as a 24-bit WAV: as long and never the same bytes twice."""
    trial = get_object_or_404(_mine(request), pk=trial_id)
    answer = HttpResponse(services.excerpt(trial, which), content_type="audio/wav")
    answer["Cache-Control"] = "no-store"
    return answer


@router.post("/trials/{uuid:trial_id}/answers", response=TrialOut)
def answer_trial(request: HttpRequest, trial_id: UUID, payload: AnswerIn) -> TrialOut:
    trial = get_object_or_404(_mine(request), pk=trial_id)
    return _out(services.answer(trial.pk, payload.choice, payload.number))


@router.post("/trials/{uuid:trial_id}/end", response=TrialOut)
def end_trial(request: HttpRequest, trial_id: UUID) -> TrialOut:
    trial = get_object_or_404(_mine(request), pk=trial_id)
    return _out(services.end(trial.pk))
