"""Start renders, and find those that are still true."""

import hashlib
import json
import math
import tempfile
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any
from uuid import UUID

from django.core.cache import cache
from django.db import transaction
from django.db.models import Max, Q
from django.utils import timezone

from core.errors import FonodromeError
from core.render import RENDERER
from core.render.balance import (
    BalancedSetting,
    BalanceOut,
    Law,
    MixLevel,
    balance,
    moving_of,
    route_ratio_db,
    settings_for,
)
from core.render.balance import mix_level as mixed
from core.render.clip import Material, bare_rig, load_impulse
from core.render.export import take_stems
from core.render.feeds import Feed, Placement, one_clip
from core.render.heard import HeardOut, HeardPart, heard
from core.render.moved import MovedOut, plan_where_it_moves
from core.render.moves import WrittenMove, resolve_moves
from core.render.moves_midi import moves_midi
from core.render.report import RenderDetail, RenderJob, RenderReport
from core.render.search import AgainstOut, LateOut, Products, against, late, products_of
from core.render.stems import PlaceOut, best_place, find_places
from core.routing import compile_rig, impulses_used, load_rig
from core.routing.document.fields import parameters_of
from core.routing.document.kinds import Node
from core.routing.document.rig import Rig as Document
from core.routing.plan.model import Plan
from core.tempo import TempoMap, TempoSection
from core.units import format as fmt
from server.accounts.models import User
from server.accounts.quotas import in_turn
from server.clips.models import Blob, Clip
from server.clips.queries import ready_clip_of
from server.clips.store import adopt, path_of, room_for, scratch_folder
from server.config.problems import Problem
from server.jobs.models import Status
from server.jobs.runner import request_cancel
from server.jobs.waiting import OPEN
from server.log.services import write, write_settled
from server.renders.models import Render
from server.rigs.feeds import among, clips_of_feeds, content_of, feeds_of, stored_feeds
from server.rigs.models import Rig, Variant
from server.rigs.queries import context_for, context_of, past_of
from server.songs.models import Song

LONGEST_S, LONGEST_WHOLE_S = 600.0, 3600.0
"""With stems, and without."""
_BYTES_A_SECOND = 8 * 192_000


def impulses_of(song: Song, rig: Document) -> dict[str, Clip]:
    """The clips that a rig's impulse responses name, by that name."""
    names = impulses_used(rig)
    if not names:
        return {}
    found = song.clips.filter(name__in=names, status=Status.DONE, deleted_at=None)
    return {clip.name: clip for clip in found.select_related("blob")}


def digest_of(
    plan: Plan, job: RenderJob, clips: dict[str, Clip], song: Song, rig: Document,
    moves: list[dict[str, Any]], capture: str = "",
) -> str:  # fmt: skip
    """What a render is made of: the plan, the clips' bytes, the job, and the renderer.

    Moves count with the tempo map that they are written against, impulse responses by their bytes.
    """
    heard = {name: clip.blob_id for name, clip in sorted(impulses_of(song, rig).items())}
    moved = [moves, song.tempo_map] if moves else []
    asked = [job.model_dump(exclude={"feeds"}), content_of(job.feeds, clips)]
    text = json.dumps([RENDERER, plan.digest, asked, heard, moved, capture], sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()


def material_of(
    song: Song, rig: Document, moves: list[dict[str, Any]], rate_hz: int, start_s: float
) -> tuple[Plan, Material]:
    """The plan with its moves, and the impulse responses, at a clip's rate. Raises FonodromeError."""
    tempo = TempoMap([TempoSection.model_validate(s) for s in song.tempo_map])
    written = [WrittenMove.model_validate(m) for m in moves]
    plan, resolved = resolve_moves(rig, context_of(song), written, tempo, rate_hz, start_s)
    return plan, Material(impulses_at(song, rig, rate_hz), resolved)


def impulses_at(song: Song, rig: Document, rate_hz: int) -> dict[str, Any]:
    """Impulse responses that a rig names, at a rate. Raises AudioError."""
    return {
        name: load_impulse(path_of(clip.blob), name, rate_hz)
        for name, clip in impulses_of(song, rig).items()
        if clip.blob
    }


def set_moves(variant: Variant, moves: list[WrittenMove]) -> Variant:
    """Keep a variant's written moves. Raises FonodromeError for what cannot be moved."""
    song = variant.rig.song
    stored = [m.model_dump(mode="json") for m in moves]
    # What cannot be is told by the points: every piece of a ramp would be a plan of its own.
    points = [
        {**m, "points": [{**point, "ramp": False} for point in m["points"]]} for m in stored
    ]  # fmt: skip
    material_of(song, load_rig(variant.document), points, song.sample_rate_hz, 0.0)
    if stored != variant.moves:
        before, name = _moves_words(variant.moves), f"{variant.rig.name} {variant.letter}"
        with transaction.atomic():
            variant.moves = stored
            variant.save(update_fields=["moves"])
            write_settled(
                song.pk, "listen", "moves", f"{name}: {_moves_words(stored)}",
                f"{name}: {before}", place="listen",
                hand={"variant": str(variant.pk)},
            )  # fmt: skip
    return variant


def _moves_words(moves: list[dict[str, Any]]) -> str:
    """'2 moves, 7 points'."""
    points = sum(len(m.get("points", ())) for m in moves)
    return f"{fmt.plural(len(moves), 'move')}, {fmt.plural(points, 'point')}"


def moves_file(variant: Variant) -> bytes:
    """As MIDI. Raises FonodromeError where nothing is written."""
    song = variant.rig.song
    moves = [WrittenMove.model_validate(m) for m in variant.moves]
    nodes = load_rig(variant.document).nodes
    names = {
        (m.part, m.field): f"{nodes[m.part].shown} {label}"
        for m in moves if m.part in nodes
        for label in [_label(nodes[m.part], m.field)]
    }  # fmt: skip
    sections = [TempoSection.model_validate(s) for s in song.tempo_map]
    return moves_midi(moves, sections, song.title, names)


def _label(node: Node, field: str) -> str:
    """A setting with its unit, as it is called where it is set."""
    found = next((p for p in parameters_of(type(node)) if p.field == field), None)
    return field if found is None else f"{found.label}, {found.unit}".rstrip(", ")


def moved_of(variant: Variant) -> MovedOut:
    """What the checks say where a variant's settings move. Raises FonodromeError."""
    song, rig = variant.rig.song, load_rig(variant.document)
    tempo = TempoMap([TempoSection.model_validate(s) for s in song.tempo_map])
    written = [WrittenMove.model_validate(m) for m in variant.moves]
    return plan_where_it_moves(rig, context_for(variant, rig, measured=False), written, tempo)


def places_of(variant: Variant, output: str) -> list[PlaceOut]:
    """Where a variant's inputs can be balanced, on the way to an output."""
    rig = load_rig(variant.document)
    plan = compile_rig(rig, context_of(variant.rig.song))
    if output not in plan.outputs:
        raise Problem(422, "The rig has no such output.", "no-way")
    return find_places(rig, plan, output)


def start_render(
    user: User, variant: Variant, job: RenderJob, clip_id: UUID | None = None,
    capture_id: UUID | None = None,
) -> Render:  # fmt: skip
    """Queue a render, or give the one that is there already; what was asked before of the same
    variant and stretch, and is not made yet, is let go. clip_id: what plays into the first source
    where nothing was ever chosen. Raises Problem for another's clip.
    """
    from server.renders.tasks import run_render

    song = variant.rig.song
    for one in (clip_id, capture_id):
        if one is not None and ready_clip_of(user, one).song_id != song.pk:
            raise Problem(422, "The clip must belong to this song.", "other-song")
    capture = ready_clip_of(user, capture_id) if capture_id else None
    rig = load_rig(variant.document)
    plan = compile_rig(rig, context_of(song))
    feeds = feeds_of(variant.rig, rig, clip_id)
    clips = clips_of_feeds(song, feeds)
    job = job.model_copy(update={"feeds": _there(feeds, clips)})
    first = next((clips[p.clip] for f in job.feeds if f.sounds for p in f.placements), None)
    if first is None:
        raise Problem(422, _no_clip(song, feeds), "no-clip")
    if job.output not in plan.outputs:
        raise Problem(422, "The rig has no such output.", "no-way")
    document, moves = variant.document, variant.moves
    if job.bare:
        rig = bare_rig(job, _wide(job.feeds, clips))
        plan, document, moves = compile_rig(rig, context_of(song)), rig.model_dump(mode="json"), []
        job = job.model_copy(update={"place": None})
    if job.place == "auto":
        best = best_place(rig, plan, job.output)
        job = job.model_copy(update={"place": best.id if best else None})
    _check_size(clips, job)
    heard = capture.blob_id if capture is not None and capture.blob_id else ""
    digest = digest_of(plan, job, clips, song, rig, moves, heard)
    open_ones = (Status.QUEUED, Status.RUNNING, Status.DONE)
    with transaction.atomic():
        # One at a time: of twenty changes in two seconds only the last is made.
        Variant.objects.select_for_update().get(pk=variant.pk)
        # What is about to stop is not what was asked for.
        mine = Render.objects.filter(
            variant=variant, digest=digest, status__in=open_ones, cancel_requested=False
        ).first()
        _let_go(variant, job, capture, mine)
        if mine is not None:
            return _newest_again(mine)
        render = Render.objects.create(
            variant=variant, clip=first, feeds=[f.model_dump(mode="json") for f in job.feeds],
            output=job.output, place=job.place or "", start_s=job.start_s, length_s=job.length_s,
            digest=digest, document=document, moves=moves, capture=capture, bare=job.bare,
            tail=job.tail,
        )  # fmt: skip
        if capture is not None:
            name = f"{variant.rig.name} {variant.letter}"
            write(
                song.pk, "listen", "capture", f"“{capture.name}” is heard in place of {name}",
                place="listen", hand={"variant": str(variant.pk), "clip": str(first.pk)},
            )  # fmt: skip
        same = Render.objects.filter(digest=digest, status=Status.DONE).exclude(blob=None).first()
        if same is not None:
            for name in ("blob", "stems", "report", "detail"):
                setattr(render, name, getattr(same, name))
            render.status, render.progress = Status.DONE, 1.0
            render.save()
        else:
            in_turn(run_render, user, render_id=str(render.pk))
    return render


def _newest_again(render: Render) -> Render:
    """What was rendered before and is true again counts as the newest of its kind."""
    render.created_at = timezone.now()
    render.save(update_fields=["created_at"])
    return render


def _let_go(variant: Variant, job: RenderJob, capture: Clip | None, but: Render | None) -> None:
    """Stop what was asked of the same variant, output and stretch and is not made yet."""
    before = Render.objects.filter(
        variant=variant, output=job.output, start_s=job.start_s, length_s=job.length_s,
        capture=capture, bare=job.bare, status__in=(Status.QUEUED, Status.RUNNING),
    )  # fmt: skip
    for render in before if but is None else before.exclude(pk=but.pk):
        request_cancel(render)


def _there(feeds: Sequence[Feed], clips: dict[str, Clip]) -> tuple[Feed, ...]:
    """Feeds without the clips that are gone: their sources are silent, and the interface says so."""
    return tuple(
        f.model_copy(update={"placements": tuple(p for p in f.placements if p.clip in clips)})
        for f in feeds
    )


def _no_clip(song: Song, feeds: Sequence[Feed]) -> str:
    placed = [p.clip for f in feeds if f.sounds for p in f.placements]
    reading = song.clips.filter(status__in=OPEN, deleted_at=None)
    one = (reading.filter(pk__in=placed) if placed else reading).first()
    if one is not None:
        return f"“{one.name}” is still being read: it can be heard as soon as that is done."
    if placed:
        return "The clips that were placed at the sources are not in this song any more. Choose others."
    return "No source has a clip: there is nothing to play. Choose one for a source."


def _wide(feeds: Sequence[Feed], clips: dict[str, Clip]) -> dict[str, bool]:
    """Sources into which something with two sides plays."""

    def two(place: Placement) -> bool:
        report = clips[place.clip].report or {}
        return place.sides == "both" and int(report.get("channels", 2)) > 1

    return {f.source: any(two(p) for p in f.placements) for f in feeds if f.sounds}


def _check_size(clips: dict[str, Clip], job: RenderJob) -> None:
    whole = seconds_of(job.feeds, clips)
    seconds = min(whole - job.start_s, job.length_s or whole)
    longest = LONGEST_WHOLE_S if job.place is None else LONGEST_S
    if seconds > longest:
        raise Problem(
            422, f"That stretch lasts {seconds / 60:.0f} minutes; up to {longest / 60:.0f} are "
            "rendered at once. Choose a shorter one.", "too-long",
        )  # fmt: skip
    if not room_for(int(max(0.0, seconds) * _BYTES_A_SECOND)):
        raise Problem(
            507, "The disk is too full for this render. Nothing was changed.", "disk-full"
        )


def seconds_of(feeds: Sequence[Feed], clips: dict[str, Clip]) -> float:
    """Where in the song the last clip ends."""
    ends = [0.0]
    for feed in feeds:
        for place in feed.placements if feed.sounds else ():
            if place.clip in clips:
                whole = float((clips[place.clip].report or {}).get("seconds", 0.0)) - place.from_s
                long = max(0.0, whole if place.length_s is None else min(whole, place.length_s))
                ends.append(place.at_s + place.repeats * long)
    return max(ends)


def rate_of(clips: dict[str, Clip], song: Song) -> int:
    """The highest rate of clips (Hz): what a rig is rendered at."""
    rates = [int((c.report or {}).get("rate_hz", song.sample_rate_hz)) for c in clips.values()]
    return max(rates, default=song.sample_rate_hz)


def job_of(render: Render) -> RenderJob:
    return RenderJob(
        feeds=tuple(Feed.model_validate(f) for f in render.feeds), output=render.output,
        place=render.place or None, start_s=render.start_s, length_s=render.length_s,
        tail=render.tail, bare=render.bare,
    )  # fmt: skip


def is_older(
    render: Render, clip: UUID | None = None, known: Mapping[str, Clip] | None = None
) -> bool:
    """Whether the rig, what plays into it, its moves, tempo or delays have changed since.

    clip: what plays into the first source where nothing was ever chosen; without it what played then.
    known: the usable clips that many renders may name, where they are at hand (`clips_named`).
    """
    song, job = render.variant.rig.song, job_of(render)
    try:
        rig = load_rig(render.variant.document)
        wanted = feeds_of(render.variant.rig, rig, clip)
        feeds = wanted if render.variant.rig.feeds or clip is not None else job.feeds
        clips = clips_of_feeds(song, feeds) if known is None else among(known, feeds)
        feeds = _there(feeds, clips)
        job = job.model_copy(update={"feeds": feeds})
        if render.bare:
            rig = bare_rig(job, _wide(feeds, clips))
        plan = compile_rig(rig, context_of(song))
    except FonodromeError:
        return True
    heard = render.capture.blob_id if render.capture is not None and render.capture.blob_id else ""
    moves = [] if render.bare else render.variant.moves
    return digest_of(plan, job, clips, song, rig, moves, heard) != render.digest


def clips_named(rig: Rig, renders: Sequence[Render], clip: UUID | None) -> Mapping[str, Clip]:
    """The usable clips that play into a rig or into any of its renders, asked for once."""
    feeds = [*stored_feeds(rig), *(feed for render in renders for feed in job_of(render).feeds)]
    if clip is not None:
        feeds += one_clip("any", str(clip))
    return clips_of_feeds(rig.song, feeds)


def file_name(render: Render, form: str, *, stems: bool = False) -> str:
    """Song, rig, variant, clip and stretch, in characters that every disk takes."""
    seconds = float((render.report or {}).get("seconds", 0.0))
    said = [
        render.variant.rig.song.title,
        "clips past the rig" if render.bare else f"{render.variant.rig.name} {render.variant.letter}",
        render.clip.name.rpartition(".")[0] or render.clip.name,
        f"{render.start_s:.1f} to {render.start_s + seconds:.1f} s",
        *(["capture"] if render.capture_id else []), *(["stems"] if stems else []),
    ]  # fmt: skip
    plain = ", ".join(said)
    kept = "".join(c if c.isprintable() and c not in '\\/:*?"<>|' else "-" for c in plain)
    return f"{kept[:180]}.{form}"


def newest(rows: Any) -> Any:
    """Of renders with the same variant, output and stretch only the newest, and the newest that can be heard."""
    keys = (
        "variant",
        "output",
        "place",
        "start_s",
        "length_s",
        "capture",
        "bare",
        "tail",
    )

    def last(some: Any) -> Any:
        return some.order_by().values(*keys).annotate(last=Max("created_at")).values("last")

    # What is being made, and what can be heard meanwhile.
    heard = last(rows.exclude(blob=None).filter(status=Status.DONE))
    return rows.filter(Q(created_at__in=last(rows)) | Q(created_at__in=heard))


def measured(render: Render) -> tuple[RenderReport, RenderDetail]:
    """What was measured of a finished render with stems. Raises Problem for one without."""
    if render.status != Status.DONE or render.report is None or render.detail is None:
        raise Problem(409, "This render is not done yet.", "no-result")
    report = RenderReport.model_validate(render.report)
    if not report.stems:
        why = report.needs_render or "It was rendered as a whole: choose a place to balance."
        raise Problem(409, f"This render cannot be balanced. {why}", "no-stems")
    return report, RenderDetail.model_validate(render.detail)


def balance_of(render: Render, law: Law, moving: Sequence[str] = ()) -> BalanceOut:
    return balance(*measured(render), law, moving)


def level_of(render: Render, gains: list[float]) -> MixLevel:
    return mixed(*measured(render), gains)


def heard_of(sides: Sequence[tuple[Render, Sequence[float], float]]) -> HeardOut:
    """What is heard of renders, each with gains of its stems and of the whole. Raises Problem."""
    parts = []
    for render, gains, whole in sides:
        blob = render.stems if gains else render.blob
        if blob is None:
            raise Problem(409, "This render is not done yet, or has no stems.", "no-result")
        linear = tuple(float(g) * whole for g in gains) or (whole,)
        if not all(math.isfinite(g) for g in linear):
            raise Problem(422, "A gain has to be a number.", "gains")
        parts.append(HeardPart(path_of(blob), linear))
    return heard(parts)


def _two(
    a: Render, gains: Sequence[float], b: Render, other: Sequence[float]
) -> tuple[Blob, Blob, RenderReport]:
    """A's sound, B's stems and what is told of them. Raises Problem."""
    first, report = a.stems if gains else a.blob, b.report
    if first is None or b.stems is None or report is None:
        raise Problem(409, "One of the two is not done yet, or has no paths.", "no-result")
    told = RenderReport.model_validate(report)
    if len(other) != len(told.stems) or not all(map(math.isfinite, (*gains, *other))):
        raise Problem(422, "As many gains are needed as the sound has stems.", "gains")
    return first, b.stems, told


def late_of(
    a: Render, gains: Sequence[float], b: Render, other: Sequence[float], moving: Sequence[str],
    step_ms: float, reach_ms: float,
) -> LateOut:  # fmt: skip
    """A less B with a path of B later or earlier, once for two sounds. Raises Problem."""
    first, second, told = _two(a, gains, b, other)
    moves = moving_of(told, moving)
    asked = [first.digest, list(gains), second.digest, list(other), moves, step_ms, reach_ms]
    key = "late:" + hashlib.sha256(repr(asked).encode()).hexdigest()
    held = cache.get(key)
    if held is None:
        found = late(path_of(first), gains, path_of(second), other, moves, step_ms, reach_ms)
        held = found.model_dump()
        cache.set(key, held, 3600)
    return LateOut.model_validate(held)


def against_of(
    a: Render, gains: Sequence[float], b: Render, other: Sequence[float], moving: Sequence[str],
    step_db: float,
) -> AgainstOut:  # fmt: skip
    """A less B with a path of B moved: products are found once for two sounds. Raises Problem."""
    first, second, told = _two(a, gains, b, other)
    key = hashlib.sha256(f"{first.digest} {list(gains)} {second.digest}".encode()).hexdigest()
    held = cache.get(f"products:{key}")
    if held is None:
        held = products_of(path_of(first), gains, path_of(second), len(told.stems)).model_dump()
        cache.set(f"products:{key}", held, 3600)
    return against(Products.model_validate(held), other, moving_of(told, moving), step_db)


def before(render: Render) -> Render | None:
    """What was rendered of the same variant, output and stretch before the last change."""
    same = Render.objects.filter(
        variant=render.variant, output=render.output, start_s=render.start_s,
        length_s=render.length_s, tail=render.tail, bare=render.bare, capture=render.capture,
        status=Status.DONE, created_at__lt=render.created_at,
    )  # fmt: skip
    other = same.exclude(digest=render.digest).exclude(blob=None)
    whole = other.select_related("variant__rig__song", "blob", "stems", "clip")
    whole = whole.defer(*past_of("variant"))
    return whole.order_by("-created_at").first()


def _path_of(render: Render, path: str) -> tuple[Blob, str]:
    """The sound of one path of a render, and what it is called. Raises Problem."""
    stems = RenderReport.model_validate(render.report or {}).stems if render.report else []
    wanted = [i for i, stem in enumerate(stems) if stem.id == path]
    if render.stems is None or not wanted:
        raise Problem(422, "That render has no such path. Choose another one.", "no-path")
    with tempfile.TemporaryDirectory(dir=scratch_folder()) as held:
        target = Path(held) / "path.wav"
        take_stems(path_of(render.stems), target, len(stems), wanted)
        return adopt(target), stems[wanted[0]].name.partition(",")[0]


def clip_of_render(render: Render, path: str = "") -> Clip:
    """A clip of the song with the very bytes of a render, or of one of its paths, made once.

    Raises Problem.
    """
    from server.clips.tasks import decode_clip

    if render.status != Status.DONE or render.blob is None:
        raise Problem(409, "That render is not done yet.", "no-result")
    song, blob, name = render.variant.rig.song, render.blob, file_name(render, "wav")
    if path:
        blob, called = _path_of(render, path)
        name = f"{called}, {name}"
    there = song.clips.filter(blob=blob, deleted_at=None, status=Status.DONE).first()
    if there is not None:
        return there
    clip = Clip.objects.create(song=song, name=name[:200], blob=blob)
    decode_clip(clip_id=str(clip.pk))
    clip.refresh_from_db()
    return clip


def settings_of(render: Render, wet_db: float, moving: Sequence[str] = ()) -> list[BalancedSetting]:
    """What the rig has to be set to for a balance, from what it was when it was rendered."""
    report, detail = measured(render)
    route = route_ratio_db(report, detail, moving)
    if route is None:
        raise Problem(409, "There is nothing to balance here: one side is silent.", "no-stems")
    return settings_for(load_rig(render.document), report, wet_db, route, moving)
