"""Start null tests, judge them against a limit, and make their signals again."""

from typing import Any
from uuid import UUID

from django.db import transaction
from django.shortcuts import get_object_or_404
from pydantic import Field

from core.edge import Edge
from core.measure import Limit, Measurement, NullOptions, NullResult, judge, judged
from core.measure.matched import MatchedAudio, Which
from server.accounts.models import User
from server.clips.models import Clip
from server.clips.queries import ready_clip_of
from server.clips.store import path_of, scratch_folder
from server.config.problems import Problem
from server.jobs.models import Status
from server.renders.models import Render
from server.renders.services import before, clip_of_render
from server.rigs.queries import rigs_of
from server.songs.models import Song
from server.verify.models import NullTest


class Side(Edge):
    """What can be heard as one side of a null test."""

    render: UUID
    path: str = Field("", max_length=45, description="One of its paths; empty for the whole")
    before: bool = Field(False, description="What it was before its last change")


def start_null_test(
    user: User, song: Song, clip_a: UUID, clip_b: UUID, options: NullOptions, limit: Limit
) -> NullTest:
    """Queue a null test of two ready clips of the song. Raises Problem where one is not ready."""
    from server.verify.tasks import run_null_test

    clips = [ready_clip_of(user, pk) for pk in (clip_a, clip_b)]
    if any(clip.song_id != song.pk for clip in clips):
        raise Problem(422, "Both clips must belong to this song.", "other-song")
    with transaction.atomic():
        test = NullTest.objects.create(
            song=song,
            clip_a=clips[0],
            clip_b=clips[1],
            options=options.model_dump(mode="json"),
            limit=limit.model_dump(mode="json"),
        )
        run_null_test.defer(test_id=str(test.pk))
    return test


def null_of_renders(user: User, song: Song, a: Side, b: Side) -> NullTest:
    """Queue a null test of two sides that can be heard. Raises Problem, and Http404 for others'."""
    rows = Render.objects.filter(variant__rig__in=rigs_of(user), variant__rig__song=song)
    whole = rows.select_related("variant__rig__song", "blob", "stems", "clip")

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


def result_of(test: NullTest) -> NullResult | None:
    if test.measurement is None:
        return None
    found = Measurement.model_validate(test.measurement)
    return judged(found, Limit.model_validate(test.limit))


def set_limit(test: NullTest, limit: Limit) -> NullTest:
    """Judge a test against another limit; the measurement stays as it is."""
    test.limit = limit.model_dump(mode="json")
    if test.measurement is not None:
        test.summary = summary_of(Measurement.model_validate(test.measurement), limit)
    test.save(update_fields=["limit", "summary"])
    return test


def matched_audio(
    test: NullTest, which: Which, start_s: float, length_s: float | None, most_channels: int
) -> MatchedAudio:
    """Open one of the test's three signals. Raises Problem while there is no result."""
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
        scratch=scratch_folder(),
    )
