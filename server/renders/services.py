"""Start renders, and find those that are still true."""

import hashlib
import json
from typing import Any
from uuid import UUID

from django.db import transaction
from django.db.models import Max

from core.errors import FonodromeError
from core.render import RENDERER
from core.render.balance import (
    BalancedSetting,
    BalanceOut,
    Law,
    MixLevel,
    balance,
    route_ratio_db,
    settings_for,
)
from core.render.balance import mix_level as mixed
from core.render.clip import Material, bare_rig, load_impulse
from core.render.moves import WrittenMove, resolve_moves
from core.render.report import RenderDetail, RenderJob, RenderReport
from core.render.stems import PlaceOut, best_place, find_places
from core.routing import compile_rig, impulses_used, load_rig
from core.routing.document.rig import Rig as Document
from core.routing.plan.model import Plan
from core.tempo import TempoMap, TempoSection
from server.accounts.models import User
from server.clips.models import Clip
from server.clips.queries import ready_clip_of
from server.clips.store import path_of, room_for
from server.config.problems import Problem
from server.jobs.models import Status
from server.renders.models import Render
from server.rigs.models import Variant
from server.rigs.queries import context_of
from server.songs.models import Song

LONGEST_S = 600.0
_BYTES_A_SECOND = 8 * 192_000


def impulses_of(song: Song, rig: Document) -> dict[str, Clip]:
    """The clips that a rig's impulse responses name, by that name."""
    names = impulses_used(rig)
    if not names:
        return {}
    found = song.clips.filter(name__in=names, status=Status.DONE, deleted_at=None)
    return {clip.name: clip for clip in found.select_related("blob")}


def digest_of(
    plan: Plan, clip_digest: str, job: RenderJob, song: Song, rig: Document,
    moves: list[dict[str, Any]], capture: str = "",
) -> str:  # fmt: skip
    """What a render is made of: the plan, the clip's bytes, the job, and the renderer.

    Moves count with the tempo map that they are written against, impulse responses by their bytes.
    """
    heard = {name: clip.blob_id for name, clip in sorted(impulses_of(song, rig).items())}
    moved = [moves, song.tempo_map] if moves else []
    text = json.dumps(
        [RENDERER, plan.digest, clip_digest, job.model_dump(), heard, moved, capture],
        sort_keys=True,
    )  # fmt: skip
    return hashlib.sha256(text.encode()).hexdigest()


def material_of(
    song: Song, rig: Document, moves: list[dict[str, Any]], rate_hz: int, start_s: float
) -> tuple[Plan, Material]:
    """The plan with its moves, and the impulse responses, at a clip's rate. Raises FonodromeError."""
    tempo = TempoMap([TempoSection.model_validate(s) for s in song.tempo_map])
    written = [WrittenMove.model_validate(m) for m in moves]
    plan, resolved = resolve_moves(rig, context_of(song), written, tempo, rate_hz, start_s)
    impulses = {
        name: load_impulse(path_of(clip.blob), name, rate_hz)
        for name, clip in impulses_of(song, rig).items()
        if clip.blob
    }
    return plan, Material(impulses, resolved)


def set_moves(variant: Variant, moves: list[WrittenMove]) -> Variant:
    """Keep a variant's written moves. Raises FonodromeError for what cannot be moved."""
    song = variant.rig.song
    stored = [m.model_dump(mode="json") for m in moves]
    material_of(song, load_rig(variant.document), stored, song.sample_rate_hz, 0.0)
    variant.moves = stored
    variant.save(update_fields=["moves"])
    return variant


def places_of(variant: Variant, output: str) -> list[PlaceOut]:
    """Where a variant's inputs can be balanced, on the way to an output."""
    rig = load_rig(variant.document)
    plan = compile_rig(rig, context_of(variant.rig.song))
    if output not in plan.outputs:
        raise Problem(422, "The rig has no such output.", "no-way")
    return find_places(rig, plan, output)


def start_render(
    user: User, variant: Variant, clip_id: UUID, job: RenderJob, capture_id: UUID | None = None
) -> Render:
    """Queue a render, or give the one that is there already. Raises Problem for another's clip."""
    from server.renders.tasks import run_render

    clip, song = ready_clip_of(user, clip_id), variant.rig.song
    capture = ready_clip_of(user, capture_id) if capture_id else None
    if any(c is not None and c.song_id != song.pk for c in (clip, capture)):
        raise Problem(422, "The clip must belong to this song.", "other-song")
    rig = load_rig(variant.document)
    plan = compile_rig(rig, context_of(song))
    if job.source not in plan.sources or job.output not in plan.outputs:
        raise Problem(422, "The rig has no such source or output.", "no-way")
    document, moves = variant.document, variant.moves
    if job.bare:
        rig = bare_rig(job, int((clip.report or {}).get("channels", 2)))
        plan, document, moves = compile_rig(rig, context_of(song)), rig.model_dump(mode="json"), []
        job = job.model_copy(update={"place": None})
    if job.place == "auto":
        best = best_place(rig, plan, job.output)
        job = job.model_copy(update={"place": best.id if best else None})
    _check_size(clip, job)
    assert clip.blob
    heard = capture.blob_id if capture is not None and capture.blob_id else ""
    digest = digest_of(plan, clip.blob.digest, job, song, rig, moves, heard)
    open_ones = (Status.QUEUED, Status.RUNNING, Status.DONE)
    with transaction.atomic():
        mine = Render.objects.filter(variant=variant, digest=digest, status__in=open_ones).first()
        if mine is not None:
            return mine
        render = Render.objects.create(
            variant=variant, clip=clip, source=job.source, output=job.output,
            place=job.place or "", start_s=job.start_s, length_s=job.length_s, digest=digest,
            document=document, moves=moves, capture=capture, bare=job.bare, tail=job.tail,
        )  # fmt: skip
        same = Render.objects.filter(digest=digest, status=Status.DONE).exclude(blob=None).first()
        if same is not None:
            for name in ("blob", "stems", "report", "detail"):
                setattr(render, name, getattr(same, name))
            render.status, render.progress = Status.DONE, 1.0
            render.save()
        else:
            run_render.defer(render_id=str(render.pk))
    return render


def _check_size(clip: Clip, job: RenderJob) -> None:
    whole = float((clip.report or {}).get("seconds", 0.0))
    seconds = min(whole - job.start_s, job.length_s or whole)
    if seconds > LONGEST_S:
        raise Problem(
            422, f"That stretch lasts {seconds / 60:.0f} minutes; up to {LONGEST_S / 60:.0f} are "
            "rendered at once. Choose a shorter one.", "too-long",
        )  # fmt: skip
    if not room_for(int(max(0.0, seconds) * _BYTES_A_SECOND)):
        raise Problem(
            507, "The disk is too full for this render. Nothing was changed.", "disk-full"
        )


def job_of(render: Render) -> RenderJob:
    return RenderJob(
        source=render.source, output=render.output, place=render.place or None,
        start_s=render.start_s, length_s=render.length_s, tail=render.tail, bare=render.bare,
    )  # fmt: skip


def is_older(render: Render) -> bool:
    """Whether the rig, its moves, its tempo or its delays have changed since."""
    if render.clip.blob is None:
        return True
    if render.bare:
        return False
    song = render.variant.rig.song
    try:
        rig = load_rig(render.variant.document)
        plan = compile_rig(rig, context_of(song))
    except FonodromeError:
        return True
    heard = render.capture.blob_id if render.capture is not None and render.capture.blob_id else ""
    now = digest_of(
        plan, render.clip.blob.digest, job_of(render), song, rig, render.variant.moves, heard
    )
    return now != render.digest


def newest(rows: Any) -> Any:
    """Of renders with the same variant, clip, way and stretch only the newest."""
    keys = (
        "variant",
        "clip",
        "source",
        "output",
        "place",
        "start_s",
        "length_s",
        "capture",
        "bare",
        "tail",
    )
    latest = rows.order_by().values(*keys).annotate(last=Max("created_at")).values("last")
    return rows.filter(created_at__in=latest)


def measured(render: Render) -> tuple[RenderReport, RenderDetail]:
    """What was measured of a finished render with stems. Raises Problem for one without."""
    if render.status != Status.DONE or render.report is None or render.detail is None:
        raise Problem(409, "This render is not done yet.", "no-result")
    report = RenderReport.model_validate(render.report)
    if not report.stems:
        why = report.needs_render or "It was rendered as a whole: choose a place to balance."
        raise Problem(409, f"This render cannot be balanced. {why}", "no-stems")
    return report, RenderDetail.model_validate(render.detail)


def balance_of(render: Render, law: Law) -> BalanceOut:
    return balance(*measured(render), law)


def level_of(render: Render, gains: list[float]) -> MixLevel:
    return mixed(*measured(render), gains)


def settings_of(render: Render, wet_db: float) -> list[BalancedSetting]:
    """What the rig has to be set to for a balance, from what it was when it was rendered."""
    report, detail = measured(render)
    route = route_ratio_db(report, detail)
    if route is None:
        raise Problem(409, "There is nothing to balance here: dry or wet is silent.", "no-stems")
    return settings_for(load_rig(render.document), report, wet_db, route)
