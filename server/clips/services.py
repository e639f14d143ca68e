"""Bring clips in, copy them, put them away."""

import unicodedata
from datetime import timedelta
from uuid import UUID

from django.conf import settings
from django.core.cache import cache
from django.db import transaction
from django.shortcuts import get_object_or_404
from django.utils import timezone

from core.space import Levels, clip_levels
from core.units import format as fmt
from server.accounts.models import User
from server.accounts.quotas import upload_allowed
from server.clips import store
from server.clips.models import Clip, SuggestedPair, Upload
from server.config.problems import Problem
from server.jobs.models import Status
from server.songs.models import Song

CHUNK_BYTES = 8 * 1024**2
_UPLOADS_KEPT = timedelta(days=2)


def levels_of(clip: Clip) -> Levels:
    """Levels of a ready clip over time. They belong to the bytes: read once, whatever is dragged."""
    assert clip.blob is not None
    key = f"levels:{clip.blob.digest}"
    held = cache.get(key)
    if held is not None:
        return Levels.model_validate(held)
    found = clip_levels(store.path_of(clip.blob), clip.name)
    cache.set(key, found.model_dump(), 3600)
    return found


def plain_name(name: str) -> str:
    """A file's name as text: without folders and control characters, at most 200 long."""
    return shown_name(name.replace("\\", "/").rsplit("/", 1)[-1])


def shown_name(name: str) -> str:
    """A name that somebody typed: without control characters, at most 200 long."""
    kept = "".join(c for c in name if unicodedata.category(c)[0] != "C").strip()
    return kept[:200] or "unnamed"


def begin_upload(user: User, song: Song, name: str, size_bytes: int) -> Upload:
    """Raises Problem for an empty or too large file, or where the disk has no room."""
    shown = plain_name(name)
    if size_bytes == 0:
        raise Problem(422, f"“{shown}” is empty: the file has 0 bytes.", "empty")
    if size_bytes > settings.LARGEST_UPLOAD_BYTES:
        raise Problem(
            413,
            f"“{shown}” is {fmt.significant(size_bytes / 1e9, 3)} GB; up to 4.3 GB can be brought "
            "in. Cut it, or bring it in as FLAC.",
            "too-large",
        )
    with transaction.atomic():
        upload_allowed(user, size_bytes)
        return Upload.objects.create(owner=user, song=song, name=shown, size_bytes=size_bytes)


def _name(upload: Upload) -> str:
    return f"{upload.pk}.part"


def receive(user: User, upload_id: UUID, offset: int, data: bytes) -> Upload:
    """Append a piece that starts at `offset`. Raises Problem 409 where it does not fit on.

    A piece that came twice is taken once; the answer always says how much is there.
    """
    with transaction.atomic():
        upload = get_object_or_404(Upload.objects.select_for_update(), owner=user, pk=upload_id)
        if offset + len(data) > upload.size_bytes:
            raise Problem(422, "More came in than was announced.", "upload-overfull")
        if offset != upload.received_bytes:
            raise Problem(
                409,
                "The pieces are out of step; go on from what is there.",
                "upload-offset",
                received_bytes=upload.received_bytes,
            )
        store.put_piece(_name(upload), offset, data)
        upload.received_bytes = offset + len(data)
        upload.save(update_fields=["received_bytes"])
    return upload


def finish_upload(user: User, upload_id: UUID) -> Clip:
    """Turn a complete upload into a clip and queue its decoding. Raises Problem if incomplete."""
    from server.clips.tasks import decode_clip

    with transaction.atomic():
        upload = get_object_or_404(Upload.objects.select_for_update(), owner=user, pk=upload_id)
        if upload.received_bytes != upload.size_bytes:
            raise Problem(
                409,
                f"“{upload.name}” has not arrived whole: {upload.received_bytes} of "
                f"{upload.size_bytes} bytes. Send the rest.",
                "upload-incomplete",
                received_bytes=upload.received_bytes,
            )
        clip = Clip.objects.create(song=upload.song, name=upload.name, upload_path=_name(upload))
        upload.delete()
        decode_clip.defer(clip_id=str(clip.pk))
    return clip


def drop_upload(user: User, upload_id: UUID) -> None:
    upload = get_object_or_404(Upload, owner=user, pk=upload_id)
    store.drop_pieces(_name(upload))
    upload.delete()


def accept_truncated(clip: Clip) -> Clip:
    """Use what is there of a file that stops early."""
    from server.clips.tasks import decode_clip

    if clip.usable_seconds is None or clip.status != Status.FAILED:
        raise Problem(409, "This clip does not stop early.", "not-truncated")
    with transaction.atomic():
        clip.accept_truncated, clip.status, clip.problem, clip.attempt = True, Status.QUEUED, "", 0
        clip.save()
        decode_clip.defer(clip_id=str(clip.pk))
    return clip


def copy_clips(song: Song, to: Song) -> None:
    """Copy the ready clips and suggested pairs of a song; the audio itself is shared."""
    made: dict[UUID, Clip] = {}
    for clip in song.clips.filter(status=Status.DONE, deleted_at=None):
        made[clip.pk] = Clip.objects.create(
            song=to,
            name=clip.name,
            blob=clip.blob,
            report=clip.report,
            status=Status.DONE,
            progress=1.0,
            accept_truncated=clip.accept_truncated,
        )
    for pair in song.pairs.all():
        if pair.clip_a_id in made and pair.clip_b_id in made:
            SuggestedPair.objects.create(
                song=to,
                clip_a=made[pair.clip_a_id],
                clip_b=made[pair.clip_b_id],
                title=pair.title,
                finding=pair.finding,
            )


def sweep_uploads() -> None:
    """Forget uploads that nobody went on with for two days."""
    for upload in Upload.objects.filter(created_at__lt=timezone.now() - _UPLOADS_KEPT):
        store.drop_pieces(_name(upload))
        upload.delete()
