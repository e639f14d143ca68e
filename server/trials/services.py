"""Begin, answer and end blind trials."""

import secrets
import tempfile
from pathlib import Path
from uuid import UUID

from django.db import transaction
from django.shortcuts import get_object_or_404
from django.utils import timezone

from core.audio.floats import write_float
from core.render.trial import (
    PRACTICE,
    TrialVerdict,
    judge,
    matched_gains,
    practice_pair,
    read_excerpt,
    trial_excerpt,
)
from server.accounts.models import User
from server.clips.queries import ready_clip_of
from server.clips.store import adopt, path_of, scratch_folder
from server.config.problems import Problem
from server.jobs.models import Status
from server.log.services import write
from server.renders.models import Render
from server.rigs.queries import past_of, rigs_of
from server.songs.models import Song
from server.trials.models import Trial

PRACTICE_S = 6.0


def _order(total: int) -> str:
    return "".join(secrets.choice("ab") for _ in range(total))


def _render_of(user: User, song: Song, render_id: UUID) -> Render:
    render = get_object_or_404(
        Render.objects.filter(variant__rig__in=rigs_of(user), variant__rig__song=song)
        .select_related("variant__rig", "blob").defer(*past_of("variant")), pk=render_id,
    )  # fmt: skip
    if render.status != Status.DONE or render.blob is None:
        raise Problem(409, "That render is not done yet.", "no-result")
    return render


def _title(render: Render) -> str:
    variant = render.variant
    own = variant.name if variant.name != variant.rig.name else ""
    return f"{variant.rig.name} {variant.letter}{', ' if own else ''}{own}"


def begin(
    user: User, song: Song, a: UUID, b: UUID, start_s: float, length_s: float, total: int,
    matched: bool,
) -> Trial:  # fmt: skip
    """A trial of two renders over the same stretch. Raises Problem and FonodromeError."""
    if a == b:
        raise Problem(422, "Choose two different renders: A and B are the same.", "same")
    renders = [_render_of(user, song, one) for one in (a, b)]
    blobs = [r.blob for r in renders]
    assert blobs[0]
    assert blobs[1]
    sounds = [
        read_excerpt(path_of(blob), r.variant.letter, start_s, length_s)
        for blob, r in zip(blobs, renders, strict=True)
        if blob
    ]
    if sounds[0][1] != sounds[1][1]:
        raise Problem(422, "The two renders have different sample rates.", "rates")
    gains = matched_gains(sounds[0][0], sounds[1][0], sounds[0][1], match=matched)
    seconds = min(s.shape[1] for s, _ in sounds) / sounds[0][1]
    names = [_title(r) for r in renders]
    return Trial.objects.create(
        song=song, title_a=names[0][:120], title_b=names[1][:120], blob_a=blobs[0],
        blob_b=blobs[1], gain_a=gains[0], gain_b=gains[1], matched=matched, start_s=start_s,
        length_s=seconds, total=total, order=_order(total),
    )  # fmt: skip


def practise(user: User, song: Song, kind: str, clip_id: UUID, total: int) -> Trial:
    """A practice trial made from a clip. Raises Problem and FonodromeError."""
    clip = ready_clip_of(user, clip_id)
    if clip.song_id != song.pk:
        raise Problem(422, "The clip must belong to this song.", "other-song")
    assert clip.blob
    sound, rate = read_excerpt(path_of(clip.blob), clip.name, 0.0, PRACTICE_S)
    pair = practice_pair(kind, sound, rate)
    gains = matched_gains(*pair, rate, match=kind != "level")
    blobs = []
    with tempfile.TemporaryDirectory(dir=scratch_folder()) as held:
        for name, one in zip("ab", pair, strict=True):
            target = Path(held) / f"{name}.wav"
            write_float(target, one, rate)
            blobs.append(adopt(target))
    title, about = PRACTICE[kind]
    return Trial.objects.create(
        song=song, title_a="as it is", title_b=title, blob_a=blobs[0], blob_b=blobs[1],
        gain_a=gains[0], gain_b=gains[1], matched=kind != "level", length_s=pair[0].shape[1] / rate,
        practice=kind, about=about, total=total, order=_order(total),
    )  # fmt: skip


def excerpt(trial: Trial, which: str) -> bytes:
    """The sound of A, B, or of the X that is being asked about."""
    place = len(trial.answers)
    if which == "x":
        if trial.ended_at is not None or place >= trial.total:
            raise Problem(409, "This test is over: nothing is asked any more.", "ended")
        which = trial.order[place]
    blob, gain = (trial.blob_a, trial.gain_a) if which == "a" else (trial.blob_b, trial.gain_b)
    return trial_excerpt(path_of(blob), trial.start_s, trial.length_s, gain, secrets.randbits(64))


def hits(trial: Trial) -> int:
    return sum(x == said for x, said in zip(trial.order, trial.answers, strict=False))


def verdict(trial: Trial) -> TrialVerdict:
    return judge(hits(trial), len(trial.answers))


def answer(trial_id: UUID, choice: str, number: int) -> Trial:
    """Answer the X of this number (from 1); the last answer ends the trial."""
    with transaction.atomic():
        trial = Trial.objects.select_for_update().get(pk=trial_id)
        if trial.ended_at is not None:
            raise Problem(409, "This trial is over.", "ended")
        if number != len(trial.answers) + 1:
            raise Problem(409, f"Number {number} is not being asked now.", "out-of-step")
        trial.answers += choice
        trial.save(update_fields=["answers"])
        if len(trial.answers) == trial.total:
            _close(trial)
    return trial


def end(trial_id: UUID) -> Trial:
    """Stop early: what was answered counts, and the log says that it was stopped."""
    with transaction.atomic():
        trial = Trial.objects.select_for_update().get(pk=trial_id)
        if trial.ended_at is None:
            _close(trial)
    return trial


def _close(trial: Trial) -> None:
    trial.ended_at = timezone.now()
    trial.save(update_fields=["ended_at"])
    if not trial.answers:
        return
    found = verdict(trial)
    stopped = (
        ""
        if len(trial.answers) == trial.total
        else f" Stopped after {len(trial.answers)} of {trial.total}."
    )
    level = "at equal loudness" if trial.matched else "not matched in loudness"
    write(
        trial.song_id, "listen", "practice by ear" if trial.practice else "test by ear",
        f"{trial.title_a} against {trial.title_b}",
        text=f"{found.sentence}{stopped} {trial.length_s:.1f} s {level}.",
        number=f"{found.hits} of {found.trials}", place="listen",
        data={"trial": str(trial.pk), "hits": found.hits, "trials": found.trials, "chance": found.chance},
    )  # fmt: skip
