"""Start null tests, judge them against a limit, and make their signals again."""

from collections.abc import Iterable, Sequence
from typing import Any
from uuid import UUID, uuid4

from django.db import transaction
from django.shortcuts import get_object_or_404
from pydantic import Field

from core.edge import Edge
from core.errors import FonodromeError, MeasureError
from core.measure import (
    Limit,
    Measurement,
    NullOptions,
    NullResult,
    Reach,
    Steps,
    judge,
    judged,
    reach_of,
)
from core.measure.balance import LONGEST_S, Balance, balance_of
from core.measure.matched import MatchedAudio, Which, kept_wav, matched_so_far
from core.measure.two_paths import TwoPaths, two_paths
from core.proof import Proof, ProofFile, proof_of_null
from core.routing import Correction, Rig, Wanted, correction, inputs_to_correct, load_rig
from core.units import format as fmt
from server.accounts.models import User
from server.accounts.quotas import in_turn
from server.clips.models import Clip
from server.clips.queries import ready_clip_of
from server.clips.store import path_of, scratch_folder
from server.config.problems import Problem
from server.jobs.models import Status
from server.log.services import write
from server.renders.models import Render
from server.renders.services import before, clip_of_render
from server.rigs.models import Variant
from server.rigs.queries import past_of, rigs_of, variant_of
from server.songs.models import Song
from server.verify.models import NullTest


class Side(Edge):
    """What can be heard as one side of a null test."""

    render: UUID
    path: str = Field("", max_length=45, description="One of its paths; empty for the whole")
    before: bool = Field(False, description="What it was before its last change")


MOST_AT_ONCE = 24
MOST_STEMS = 8


def paths_of(user: User, song: Song, a: UUID, b: UUID, most_ms: float) -> TwoPaths:
    """How two clips of the song add up. Raises Problem where they cannot be compared."""
    clips = _of_song(user, song, (a, b))
    if a == b:
        raise Problem(422, "Choose two different clips: A and B are the same.", "same")
    first, second = (path_of(clip.blob) for clip in clips if clip.blob)
    try:
        return two_paths(first, second, a_name=clips[0].name, b_name=clips[1].name, most_ms=most_ms)
    except FonodromeError as error:
        raise Problem(422, error.sentence, error.code) from None


def _of_song(user: User, song: Song, wanted: Iterable[UUID]) -> list[Clip]:
    clips = [ready_clip_of(user, pk) for pk in wanted]
    if any(clip.song_id != song.pk for clip in clips):
        raise Problem(422, "All clips must belong to this song.", "other-song")
    return clips


def start_batch(
    user: User, song: Song, reference: UUID, others: list[UUID], limit: Limit
) -> list[NullTest]:
    """Queue one null test for each of several clips against one reference. Raises Problem."""
    chosen = [pk for pk in dict.fromkeys(others) if pk != reference]
    if not chosen:
        raise Problem(422, "Choose at least one clip besides the reference.", "nothing")
    if len(chosen) > MOST_AT_ONCE:
        raise Problem(422, f"At most {MOST_AT_ONCE} clips are tested together.", "too-many")
    batch = uuid4()
    with transaction.atomic():
        return [
            start_null_test(user, song, reference, pk, NullOptions(), limit, batch) for pk in chosen
        ]


def proof(test: NullTest) -> Proof:
    """The proof sheet of a test. Raises Problem where there is no result."""
    result = result_of(test)
    if result is None:
        raise Problem(409, "This test has no result yet.", "no-result")
    files = [
        ProofFile(
            role=role, name=clip.name, sha256=clip.blob_id or "", rate_hz=facts.rate_hz,
            channels=facts.channels, seconds=facts.seconds,
        )
        for role, clip, facts in (("A", test.clip_a, result.a), ("B", test.clip_b, result.b))
    ]  # fmt: skip
    files += [
        ProofFile(role=f"Stem {k} of A", name=clip.name, sha256=clip.blob_id or "")
        for k, clip in enumerate(test.stems_in_order(), 1)
    ]
    options = NullOptions.model_validate(test.options)
    return proof_of_null(result, options, files, test.song.title, test.finished_at)


def start_null_test(
    user: User, song: Song, clip_a: UUID, clip_b: UUID, options: NullOptions, limit: Limit,
    batch: UUID | None = None, stems: Sequence[UUID] = (),
) -> NullTest:  # fmt: skip
    """Queue a null test of two ready clips of the song. Raises Problem where one is not ready.

    stems: clips that A was mixed of.
    """
    from server.verify.tasks import run_null_test

    clips = _of_song(user, song, (clip_a, clip_b))
    given = _of_song(user, song, dict.fromkeys(stems))
    if {clip.blob_id for clip in given} & {clip.blob_id for clip in clips}:
        raise Problem(422, "A or B itself cannot be one of the stems of A.", "not-a-stem")
    if len(given) > MOST_STEMS:
        raise Problem(422, f"At most {MOST_STEMS} stems are looked for.", "too-many")
    with transaction.atomic():
        test = NullTest.objects.create(
            song=song,
            clip_a=clips[0],
            clip_b=clips[1],
            options=options.model_dump(mode="json"),
            limit=limit.model_dump(mode="json"),
            batch=batch,
        )
        for clip in given:
            test.stems.add(clip)
        in_turn(run_null_test, user, test_id=str(test.pk))
    return test


def null_of_renders(user: User, song: Song, a: Side, b: Side) -> NullTest:
    """Queue a null test of two sides that can be heard. Raises Problem, and Http404 for others'."""
    rows = Render.objects.filter(variant__rig__in=rigs_of(user), variant__rig__song=song)
    whole = rows.select_related("variant__rig__song", "blob", "stems", "clip")
    whole = whole.defer(*past_of("variant"))

    def of(side: Side) -> Clip:
        render = get_object_or_404(whole, pk=side.render)
        if side.before:
            found = before(render)
            if found is None:
                raise Problem(
                    422, "Nothing was rendered of it before the last change.", "no-before"
                )
            render = found
        return clip_of_render(render, side.path)

    if a == b:
        raise Problem(422, "Choose two different sounds: A and B are the same.", "same")
    clips = [of(a), of(b)]
    if clips[0].pk == clips[1].pk:
        raise Problem(422, "Both are the same sound, sample for sample: nothing is left.", "same")
    return start_null_test(user, song, clips[0].pk, clips[1].pk, NullOptions(), Limit())


def summary_of(found: Measurement, limit: Limit) -> dict[str, Any]:
    """What the list of tests shows."""
    opinion = judge(found, limit)
    return {
        "sentence": opinion.sentence,
        "passed": opinion.passed,
        "verdict": opinion.verdict,
        "verdict_name": opinion.verdict_name,
        "null_depth_db": found.null_depth_db,
    }


def log_test(test_id: UUID) -> None:
    """The line that a finished test makes in the song's log."""
    test = NullTest.objects.select_related("clip_a", "clip_b").get(pk=test_id)
    told: dict[str, Any] = test.summary or {}
    depth = told.get("null_depth_db")
    write(
        test.song_id, "verify", "null test", f"{test.clip_a.name} against {test.clip_b.name}",
        text=told.get("sentence") or "",
        number="silent" if depth is None else f"{fmt.number(depth, 1)} dB",
        tone="passed" if told.get("passed") else "plain", place=f"verify/{test.pk}",
    )  # fmt: skip


def result_of(test: NullTest) -> NullResult | None:
    if test.measurement is None:
        return None
    found = Measurement.model_validate(test.measurement)
    return judged(found, Limit.model_validate(test.limit))


def reach(test: NullTest, steps: Steps) -> Reach:
    """The best null within reach of steps. Raises Problem where there is no result to go by."""
    if test.measurement is None:
        raise Problem(409, "This test has no result yet.", "no-result")
    try:
        return reach_of(Measurement.model_validate(test.measurement), steps)
    except MeasureError as error:
        raise Problem(422, error.sentence, "unrelated") from None


def balance(test: NullTest) -> Balance:
    """What B's level has to be for peaks, and for what rings on. Raises Problem without a result."""
    audio = matched_audio(test, "b", 0.0, LONGEST_S, most_channels=2)
    try:
        return balance_of(audio.pairs(), audio.rate_hz)
    finally:
        audio.close()


def _changed(test: NullTest, variant: Variant, made: Render | None, rig: Rig) -> bool:
    """Whether a variant is not what was tested any more: written into it, it would count twice."""
    if made is not None:
        return load_rig(made.document) != rig
    since = variant.edits.filter(undone=False, created_at__gt=test.finished_at or test.created_at)
    return since.exists()


class Corrections(Edge):
    """Where a rig can take what a test found of B."""

    variant: UUID
    named: str
    is_b: bool = Field(description="B is a render of this very variant")
    changed: bool = Field(description="The variant was changed since: test it again first")
    places: list[Correction]


def corrections(test: NullTest, user: User, variant_id: UUID | None) -> Corrections:
    """What to set at each input of a variant for B to be as A: of the one that B was rendered from,
    else of the one asked for. Raises Problem where nothing was matched or no rig is meant.
    """
    found = result_of(test)
    if found is None:
        raise Problem(409, "This test has no result yet.", "no-result")
    if found.gain_db is None or found.offset_ms is None:
        raise Problem(422, "Nothing relates the two sounds: there is nothing to set.", "unrelated")
    made = Render.objects.filter(
        blob=test.clip_b.blob, bare=False, variant__rig__in=rigs_of(user),
        variant__rig__song=test.song, variant__deleted_at=None,
    ).select_related("variant__rig").defer(*past_of("variant")).order_by("-created_at").first()  # fmt: skip
    if made is None and variant_id is None:
        raise Problem(422, "Choose the rig that B stands for.", "no-rig")
    variant = made.variant if made else variant_of(user, variant_id)
    if variant.rig.song_id != test.song_id:
        raise Problem(422, "Choose a rig of this song.", "other-song")
    rig = load_rig(variant.document)
    wanted = Wanted(level_db=-found.gain_db, later_ms=-found.offset_ms, turned=found.polarity < 0)
    return Corrections(
        variant=variant.pk, named=f"{variant.rig.name} {variant.letter}", is_b=made is not None,
        changed=_changed(test, variant, made, rig),
        places=[correction(rig, port, wanted) for port, _ in inputs_to_correct(rig)],
    )  # fmt: skip


def set_limit(test: NullTest, limit: Limit) -> NullTest:
    """Judge a test against another limit; the measurement stays as it is."""
    with transaction.atomic():
        # Alone with the row: a measurement that comes at this moment is judged by this limit, or here.
        held = NullTest.objects.select_for_update().get(pk=test.pk)
        held.limit = limit.model_dump(mode="json")
        held.save(update_fields=["limit"])
        judge_again(test.pk)
    test.refresh_from_db()
    return test


def judge_again(pk: UUID) -> None:
    """Bring a test's summary to its measurement and its limit as both stand. Within a transaction."""
    test = NullTest.objects.select_for_update().get(pk=pk)
    if test.measurement is None:
        return
    found, limit = Measurement.model_validate(test.measurement), Limit.model_validate(test.limit)
    test.summary = summary_of(found, limit)
    test.save(update_fields=["summary"])


def kept_after(test: NullTest, after: int | None) -> bytes | None:
    """The residual after a step that only an excerpt was kept of; None where matching does it."""
    found = None if after is None else result_of(test)
    if after is None or found is None or matched_so_far(found, after) is not None:
        return None
    if test.rests is None:
        raise Problem(
            409, "What that step leaves was not kept. Run the test again to hear it.", "no-rest"
        )
    return kept_wav(path_of(test.rests), found, after)


def matched_audio(
    test: NullTest, which: Which, start_s: float, length_s: float | None, most_channels: int,
    after: int | None = None,
) -> MatchedAudio:  # fmt: skip
    """Open one of the test's three signals; `after`: with only so many corrections done. Raises Problem while there is no result."""
    if test.status != Status.DONE or test.clip_a.blob is None or test.clip_b.blob is None:
        raise Problem(409, "This test has no result to hear yet.", "no-result")
    return MatchedAudio(
        path_of(test.clip_a.blob),
        path_of(test.clip_b.blob),
        NullOptions.model_validate(test.options),
        Measurement.model_validate(test.measurement),
        which,
        start_s=start_s,
        length_s=length_s,
        most_channels=most_channels,
        after=after,
        scratch=scratch_folder(),
    )
