"""The bench: test signals, measurements, and what they found."""

from datetime import datetime
from typing import Any
from uuid import UUID

from django.db.models import QuerySet
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Query, Router
from pydantic import Field

from core.bench import KINDS, BenchKind, BenchPlan, BenchResult, TestSignal, signal_wav
from core.bench.signal import Halt
from core.bench.stand_in import STAND_INS
from core.edge import Edge
from core.proof import Proof
from server.bench import services
from server.bench.models import Measurement
from server.config.answers import named
from server.config.auth import user_of
from server.config.proof import ProofAs, proof_answer
from server.jobs.runner import request_cancel
from server.songs.queries import song_of

router = Router(tags=["bench"])


class StandInOut(Edge):
    """A simulated device."""

    key: str
    name: str
    words: str


class BenchKindOut(Edge):
    kind: BenchKind
    seconds: float
    halts: list[Halt]
    stand_ins: list[StandInOut]


class MeasurementStart(Edge):
    signal: TestSignal
    plan: BenchPlan = BenchPlan()
    stand_in: str = Field("", max_length=20, description="A simulated device; empty with a take")
    take: UUID | None = Field(None, description="A clip that holds the recorded signal")


class MeasurementOut(Edge):
    id: UUID
    kind: BenchKind
    device: str
    stand_in: str
    take: UUID | None
    status: str
    progress: float
    stage: str
    problem: str
    created_at: datetime
    finished_at: datetime | None
    sentence: str | None
    main: float | None = Field(description="Its first figure")
    main_name: str
    main_unit: str


class MeasurementDetail(MeasurementOut):
    signal: TestSignal
    plan: BenchPlan
    result: BenchResult | None


class Asks(Edge):
    rate_hz: int = Field(48_000, ge=8_000, le=192_000)
    room_s: float = Field(4.0, ge=0.2, le=15)


def _mine(request: HttpRequest) -> QuerySet[Measurement]:
    return Measurement.objects.filter(
        song__owner=user_of(request), song__deleted_at=None
    ).select_related("take__blob", "song")


def _one(request: HttpRequest, measurement_id: UUID) -> Measurement:
    return get_object_or_404(_mine(request).filter(deleted_at=None), pk=measurement_id)


def _common(row: Measurement) -> dict[str, Any]:
    names = (
        "id", "stand_in", "status", "progress", "stage", "problem", "created_at", "finished_at",
    )  # fmt: skip
    values = {name: getattr(row, name) for name in names}
    return values | services.summary_of(row) | {"kind": row.signal["kind"], "take": row.take_id}


def _detail(row: Measurement) -> MeasurementDetail:
    return MeasurementDetail(
        **_common(row), signal=row.signal, plan=row.plan, result=services.result_of(row)
    )


@router.get("/bench", response=list[BenchKindOut])
def bench_kinds(request: HttpRequest, asks: Query[Asks]) -> list[BenchKindOut]:
    """What can be measured, the halts of each signal, and the simulated devices for it."""
    user_of(request)
    found = []
    for kind in KINDS:
        signal = TestSignal(kind=kind, **asks.model_dump())
        devices = [
            StandInOut(key=d.key, name=d.name, words=d.words) for d in STAND_INS if kind in d.kinds
        ]
        found.append(
            BenchKindOut(kind=kind, seconds=signal.seconds, halts=signal.halts, stand_ins=devices)
        )
    return found


@router.get("/bench/signals/{kind}.wav", response={200: None})
def bench_signal(request: HttpRequest, kind: BenchKind, asks: Query[Asks]) -> HttpResponse:
    """A test signal as a 24-bit WAV, to be played through the device and recorded."""
    user_of(request)
    signal = TestSignal(kind=kind, **asks.model_dump())
    answer = HttpResponse(signal_wav(signal), content_type="audio/wav")
    named(answer, f"Fonodrome test signal, {kind}.wav")
    answer["Cache-Control"] = "private, max-age=3600"
    return answer


@router.get("/songs/{uuid:song_id}/measurements", response=list[MeasurementOut])
def list_measurements(request: HttpRequest, song_id: UUID) -> list[MeasurementOut]:
    song = song_of(user_of(request), song_id)
    rows = _mine(request).filter(song=song, deleted_at=None)
    return [MeasurementOut(**_common(row)) for row in rows]


@router.post("/songs/{uuid:song_id}/measurements", response=MeasurementOut)
def start_measurement(
    request: HttpRequest, song_id: UUID, payload: MeasurementStart
) -> MeasurementOut:
    """Read a take of a test signal, or send it through a simulated device."""
    user = user_of(request)
    row = services.start_measurement(
        user, song_of(user, song_id), payload.signal, payload.plan, payload.stand_in, payload.take
    )
    return MeasurementOut(**_common(row))


@router.get("/measurements/{uuid:measurement_id}", response=MeasurementDetail)
def get_measurement(request: HttpRequest, measurement_id: UUID) -> MeasurementDetail:
    return _detail(_one(request, measurement_id))


@router.post("/measurements/{uuid:measurement_id}/cancel", response=MeasurementOut)
def cancel_measurement(request: HttpRequest, measurement_id: UUID) -> MeasurementOut:
    row = _one(request, measurement_id)
    request_cancel(row)
    return MeasurementOut(**_common(row))


@router.delete("/measurements/{uuid:measurement_id}", response={204: None})
def delete_measurement(request: HttpRequest, measurement_id: UUID) -> tuple[int, None]:
    row = _one(request, measurement_id)
    request_cancel(row)
    Measurement.objects.filter(pk=row.pk).update(deleted_at=timezone.now())
    return 204, None


@router.post("/measurements/{uuid:measurement_id}/restore", response=MeasurementOut)
def restore_measurement(request: HttpRequest, measurement_id: UUID) -> MeasurementOut:
    row = get_object_or_404(_mine(request), pk=measurement_id)
    Measurement.objects.filter(pk=row.pk).update(deleted_at=None)
    row.refresh_from_db()
    return MeasurementOut(**_common(row))


@router.get("/measurements/{uuid:measurement_id}/proof", response=Proof)
def measurement_proof(
    request: HttpRequest, measurement_id: UUID, to: Query[ProofAs]
) -> Proof | HttpResponse:
    """One page for people without the app: settings, figures beside the plan, what to set."""
    return proof_answer(services.proof(_one(request, measurement_id)), to.form)
