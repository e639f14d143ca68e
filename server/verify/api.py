"""Null tests."""

from datetime import datetime
from typing import Any
from uuid import UUID

from django.db.models import QuerySet
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Query, Router
from pydantic import Field

from core.edge import Edge
from core.measure import Limit, NullOptions, NullResult, Reach, Steps
from core.measure.balance import Balance
from core.measure.matched import LONGEST_EXCERPT_S, Which
from core.measure.two_paths import MOST_MS, TwoPaths
from core.proof import Proof
from core.routing import Order
from server.config.answers import named
from server.config.auth import user_of
from server.config.proof import ProofAs, proof_answer
from server.jobs.runner import request_cancel
from server.rigs.queries import variant_of
from server.songs.queries import song_of
from server.verify import orders, services
from server.verify.models import NullTest

router = Router(tags=["verify"])
_NAMES = {"a": "A", "b": "B matched", "residual": "residual"}


class NullTestStart(Edge):
    clip_a: UUID = Field(description="The reference")
    clip_b: UUID = Field(description="What is matched to it")
    stems: list[UUID] = Field(
        [], max_length=100, description="What A was mixed of: a share that differs in B is told"
    )
    options: NullOptions = NullOptions()
    limit: Limit = Limit()


class NullTestOut(Edge):
    id: UUID
    a_name: str
    b_name: str
    clip_a: UUID
    clip_b: UUID
    batch: UUID | None = Field(description="Shared by tests that were asked for together")
    status: str = Field(description="queued, running, done, failed or cancelled")
    progress: float
    stage: str
    problem: str
    attempt: int
    created_at: datetime
    started_at: datetime | None
    finished_at: datetime | None
    sentence: str | None
    passed: bool | None
    verdict_name: str | None
    null_depth_db: float | None


class Stem(Edge):
    id: UUID
    name: str


class NullTestDetail(NullTestOut):
    stems: list[Stem] = Field(description="What A was mixed of, as far as it was given")
    options: NullOptions
    limit: Limit
    result: NullResult | None


class LimitChange(Edge):
    limit: Limit


class Excerpt(Edge):
    """Without a length: the whole compared stretch, every channel, as a download."""

    start_s: float = Field(0.0, ge=0)
    length_s: float | None = Field(None, gt=0, le=LONGEST_EXCERPT_S)
    after: int | None = Field(
        None, ge=0, le=40, description="With only so many of `to_set` done; none for all that match"
    )


def _tests_of(request: HttpRequest) -> QuerySet[NullTest]:
    mine = NullTest.objects.filter(song__owner=user_of(request), song__deleted_at=None)
    whole = mine.select_related("clip_a__blob", "clip_b__blob", "song")
    # Of the two clips a test says the names; pages ask for all tests while one is made.
    return whole.defer("clip_a__report", "clip_b__report")


def _test_of(request: HttpRequest, test_id: UUID) -> NullTest:
    return get_object_or_404(_tests_of(request).filter(deleted_at=None), pk=test_id)


def _common(test: NullTest) -> dict[str, Any]:
    own = ("id", "batch", "status", "progress", "stage", "problem", "attempt", "created_at")
    values = {name: getattr(test, name) for name in (*own, "started_at", "finished_at")}
    summary = test.summary or {}
    for name in ("sentence", "passed", "verdict_name", "null_depth_db"):
        values[name] = summary.get(name)
    return values | {
        "a_name": test.clip_a.name,
        "b_name": test.clip_b.name,
        "clip_a": test.clip_a_id,
        "clip_b": test.clip_b_id,
    }


def _detail(test: NullTest) -> NullTestDetail:
    return NullTestDetail.model_construct(
        **_common(test),
        stems=[Stem(id=clip.pk, name=clip.name) for clip in test.stems_in_order()],
        options=NullOptions.model_validate(test.options),
        limit=Limit.model_validate(test.limit),
        result=services.result_of(test),
    )


@router.get("/songs/{uuid:song_id}/null-tests", response=list[NullTestOut])
def list_null_tests(request: HttpRequest, song_id: UUID) -> list[NullTestOut]:
    song = song_of(user_of(request), song_id)
    rows = _tests_of(request).filter(song=song, deleted_at=None).defer("measurement")
    return [NullTestOut(**_common(test)) for test in rows]


@router.post("/songs/{uuid:song_id}/null-tests", response=NullTestOut)
def start_null_test(request: HttpRequest, song_id: UUID, payload: NullTestStart) -> NullTestOut:
    song = song_of(user_of(request), song_id)
    test = services.start_null_test(
        user_of(request), song, payload.clip_a, payload.clip_b, payload.options, payload.limit,
        stems=payload.stems,
    )  # fmt: skip
    return NullTestOut(**_common(test))


class PathsAsked(Edge):
    a: UUID
    b: UUID = Field(description="What is moved onto A")
    most_ms: float = Field(30.0, gt=0, le=MOST_MS, description="Delays are looked for up to this")


@router.get("/songs/{uuid:song_id}/two-paths", response=TwoPaths)
def compare_two_paths(request: HttpRequest, song_id: UUID, asked: Query[PathsAsked]) -> TwoPaths:
    """What delay and polarity make two clips of one sound loudest together, in full and by octave."""
    user = user_of(request)
    return services.paths_of(user, song_of(user, song_id), asked.a, asked.b, asked.most_ms)


class BatchStart(Edge):
    reference: UUID
    others: list[UUID] = Field(min_length=1, max_length=200)
    limit: Limit = Limit()


@router.post("/songs/{uuid:song_id}/null-batches", response=list[NullTestOut])
def start_null_batch(request: HttpRequest, song_id: UUID, payload: BatchStart) -> list[NullTestOut]:
    """One reference against many: a test for each, that can be listed together."""
    user = user_of(request)
    tests = services.start_batch(
        user, song_of(user, song_id), payload.reference, payload.others, payload.limit
    )
    return [NullTestOut(**_common(test)) for test in tests]


class NullOfRenders(Edge):
    a: services.Side
    b: services.Side


@router.post("/songs/{uuid:song_id}/null-of-renders", response=NullTestOut)
def null_of_renders(request: HttpRequest, song_id: UUID, payload: NullOfRenders) -> NullTestOut:
    """A null test of two renders, or of paths of them, as they are: their bytes become clips of the song."""
    user = user_of(request)
    test = services.null_of_renders(user, song_of(user, song_id), payload.a, payload.b)
    return NullTestOut(**_common(test))


@router.get("/null-tests/{uuid:test_id}", response=NullTestDetail)
def get_null_test(request: HttpRequest, test_id: UUID) -> NullTestDetail:
    return _detail(_test_of(request, test_id))


@router.patch("/null-tests/{uuid:test_id}", response=NullTestDetail)
def set_limit(request: HttpRequest, test_id: UUID, payload: LimitChange) -> NullTestDetail:
    return _detail(services.set_limit(_test_of(request, test_id), payload.limit))


@router.get("/null-tests/{uuid:test_id}/reach", response=Reach)
def null_test_reach(request: HttpRequest, test_id: UUID, steps: Query[Steps]) -> Reach:
    """The best null that controls with these steps allow, and the nearest settings."""
    return services.reach(_test_of(request, test_id), steps)


@router.get("/null-tests/{uuid:test_id}/balance", response=Balance)
def null_test_balance(request: HttpRequest, test_id: UUID) -> Balance:
    """B's level for the peaks and for what rings on between them, against its matched level."""
    return services.balance(_test_of(request, test_id))


@router.get("/variants/{uuid:variant_id}/orders", response=list[Order])
def list_orders(request: HttpRequest, variant_id: UUID) -> list[Order]:
    """What a rig could connect the other way: devices side by side, inserts as sends."""
    return orders.orders(variant_of(user_of(request), variant_id))


class OrderIn(Edge):
    order: str = Field(max_length=120)
    clip: UUID | None = Field(None, description="Plays where nothing was chosen for the rig")


@router.post("/variants/{uuid:variant_id}/orders", response=orders.Ordered)
def begin_order(request: HttpRequest, variant_id: UUID, payload: OrderIn) -> orders.Ordered:
    """Make the other way as a variant, and render both; a null test of the two answers it."""
    return orders.begin(user_of(request), variant_id, payload.order, payload.clip)


class RigMeant(Edge):
    variant: UUID | None = Field(None, description="Where B was rendered from none of the song's")


@router.get("/null-tests/{uuid:test_id}/corrections", response=services.Corrections)
def null_test_corrections(
    request: HttpRequest, test_id: UUID, meant: Query[RigMeant]
) -> services.Corrections:
    """What to set at each input of a rig for B to be as A, as edits of that rig."""
    return services.corrections(_test_of(request, test_id), user_of(request), meant.variant)


@router.get("/null-tests/{uuid:test_id}/proof", response=Proof)
def null_test_proof(
    request: HttpRequest, test_id: UUID, to: Query[ProofAs]
) -> Proof | HttpResponse:
    """One page for people without the app: files by digest, settings, figures, causes, what to set."""
    return proof_answer(services.proof(_test_of(request, test_id)), to.form)


@router.post("/null-tests/{uuid:test_id}/cancel", response=NullTestOut)
def cancel_null_test(request: HttpRequest, test_id: UUID) -> NullTestOut:
    test = _test_of(request, test_id)
    request_cancel(test)
    return NullTestOut(**_common(test))


@router.delete("/null-tests/{uuid:test_id}", response={204: None})
def delete_null_test(request: HttpRequest, test_id: UUID) -> tuple[int, None]:
    test = _test_of(request, test_id)
    request_cancel(test)
    NullTest.objects.filter(pk=test.pk).update(deleted_at=timezone.now())
    return 204, None


@router.post("/null-tests/{uuid:test_id}/restore", response=NullTestOut)
def restore_null_test(request: HttpRequest, test_id: UUID) -> NullTestOut:
    test = get_object_or_404(_tests_of(request), pk=test_id)
    NullTest.objects.filter(pk=test.pk).update(deleted_at=None)
    return NullTestOut(**_common(test))


@router.get("/null-tests/{uuid:test_id}/audio/{which}", response={200: None})
def null_test_audio(
    request: HttpRequest, test_id: UUID, which: Which, excerpt: Query[Excerpt]
) -> HttpResponseBase:
    """A, the matched B or the residual as a 32-bit float WAV, at its own level."""
    test = _test_of(request, test_id)
    whole = excerpt.length_s is None
    kept = services.kept_after(test, excerpt.after) if which == "residual" else None
    if kept is not None:
        return HttpResponse(kept, content_type="audio/wav")
    audio = services.matched_audio(
        test, which, excerpt.start_s, excerpt.length_s, 8 if whole else 2, excerpt.after
    )
    response = StreamingHttpResponse(audio.wav(), content_type="audio/wav")
    response["Content-Length"] = str(audio.size_bytes)
    response["Cache-Control"] = "private, max-age=3600"
    if whole:
        named(response, f"{test.clip_a.name.rsplit('.', 1)[0]} - {_NAMES[which]}.wav")
    return response
