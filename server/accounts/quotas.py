"""How much one person may keep and ask for, and whose turn it is. Each limit is a setting; 0: none."""

from datetime import timedelta
from typing import Any

from django.conf import settings
from django.db import connection, transaction
from django.db.models import Sum
from django.http import HttpRequest
from django.utils import timezone
from django.utils.crypto import salted_hmac

from server.accounts.models import DemoOpened, User
from server.bench.models import Measurement
from server.clips import store
from server.clips.models import Clip, Upload
from server.config.address import client_address, is_local
from server.config.problems import Problem
from server.jobs.models import Status
from server.renders.models import Export, Render
from server.songs.models import Song
from server.verify.models import NullTest
from server.wishes.models import Search

_OPEN = (Status.QUEUED, Status.RUNNING)
_UPLOADS_LOCK = 7_301
_DEMOS_LOCK = 7_304
_HOUR = timedelta(hours=1)


def _beyond(count: float, limit: float) -> bool:
    return limit > 0 and count >= limit


def song_allowed(user: User) -> None:
    """Raises Problem for one song too many."""
    most = settings.MOST_SONGS
    if _beyond(Song.objects.filter(owner=user, deleted_at=None).count(), most):
        raise Problem(
            409, f"You have {most} songs, as many as are kept here for one person. Delete one first.",
            "quota",
        )  # fmt: skip


def kept_bytes(user: User) -> int:
    """Sound that somebody brought in: each file once, and what is on its way as a whole."""
    clips = Clip.objects.filter(song__owner=user, deleted_at=None).exclude(blob=None)
    sizes = dict(clips.values_list("blob", "blob__size_bytes"))
    coming = Upload.objects.filter(owner=user).aggregate(all=Sum("size_bytes"))["all"] or 0
    return sum(sizes.values()) + coming


def upload_allowed(user: User, size_bytes: int) -> None:
    """Raises Problem where there is no room for it. Within a transaction, to whose end nobody else asks:
    what is promised to others counts as taken.
    """
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_advisory_xact_lock(%s)", [_UPLOADS_LOCK])
    if _beyond(Upload.objects.filter(owner=user).count(), settings.MOST_UPLOADS):
        raise Problem(
            429, f"{settings.MOST_UPLOADS} files are on their way already. Let one arrive first.", "quota"
        )  # fmt: skip
    told = Upload.objects.aggregate(size=Sum("size_bytes"), there=Sum("received_bytes"))
    promised = (told["size"] or 0) - (told["there"] or 0)
    if not store.room_for(size_bytes + promised):
        raise Problem(507, "The disk is too full for this file. Nothing was changed.", "disk-full")
    kept, most = kept_bytes(user), settings.MOST_KEPT_BYTES
    if most and kept + size_bytes > most:
        raise Problem(
            507, f"This would be more than the {most / 1e9:.0f} GB that are kept here for one person: "
            f"{kept / 1e9:.1f} GB are there. Delete clips you no longer need.", "quota",
        )  # fmt: skip


def open_jobs(user: User) -> int:
    """Rows of somebody that wait or are worked at."""
    return sum(
        model._default_manager.filter(status__in=_OPEN, **{path: user}).count()
        for model, path in (
            (Clip, "song__owner"), (Render, "variant__rig__song__owner"), (NullTest, "song__owner"),
            (Measurement, "song__owner"), (Search, "variant__rig__song__owner"),
            (Export, "render__variant__rig__song__owner"),
        )
    )  # fmt: skip


def in_turn(task: Any, user: User, **arguments: str) -> None:
    """Queue a job behind those of its owner, not behind everybody's: who waits for many gives way to who
    waits for few. Raises Problem for one too many.
    """
    waiting = open_jobs(user)
    # Its own row is there already.
    if settings.MOST_JOBS and waiting > settings.MOST_JOBS:
        raise Problem(
            429, f"{settings.MOST_JOBS} things are being made for you already. Let some of them end.", "quota"
        )  # fmt: skip
    task.configure(priority=-waiting).defer(**arguments)


def demo_allowed(request: HttpRequest) -> None:
    """Raises Problem where one address opens studio after studio. This machine may."""
    most = settings.MOST_DEMOS_AN_HOUR
    if not most or is_local(request):
        return
    mark = salted_hmac("fonodrome.demos", client_address(request)).hexdigest()[:32]
    with transaction.atomic():
        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_advisory_xact_lock(%s, hashtext(%s))", [_DEMOS_LOCK, mark])
        DemoOpened.objects.filter(at__lt=timezone.now() - _HOUR).delete()
        if DemoOpened.objects.filter(mark=mark).count() >= most:
            raise Problem(
                429, "Many demo studios were opened from here. Wait an hour, or sign up.", "quota"
            )
        DemoOpened.objects.create(mark=mark)
