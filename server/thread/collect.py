"""What nobody has any more: guests of long ago, what was deleted, old renders, sounds without an owner."""

import shutil
import time
from dataclasses import dataclass, fields
from datetime import timedelta
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.sessions.models import Session
from django.db import transaction
from django.db.models import Exists, ForeignObjectRel, Model, OuterRef, QuerySet
from django.utils import timezone

from server.accounts.models import User
from server.clips import objects
from server.clips.models import Blob, Clip, Upload
from server.clips.store import local_path
from server.jobs.models import Status
from server.renders.models import Export, Render
from server.renders.services import newest
from server.shares.models import ShareLink
from server.songs.models import Song
from server.thread.services import KEPT, sweep_deleted
from server.wishes.models import Search

GUESTS_KEPT = timedelta(days=7)
RENDERS_KEPT = timedelta(days=30)
EXPORTS_KEPT = timedelta(days=1)
_YOUNG = timedelta(days=1)
"""What is younger may be on its way to an owner."""


@dataclass
class Collected:
    """How many of each went, or would go."""

    guests: int = 0
    deleted_long_ago: int = 0
    old_renders: int = 0
    old_searches: int = 0
    old_exports: int = 0
    ended_sessions: int = 0
    sounds: int = 0
    files: int = 0
    megabytes: float = 0.0

    def lines(self) -> list[str]:
        found = [(f.name.replace("_", " "), getattr(self, f.name)) for f in fields(self)]
        return [f"{name:18} {value:g}" for name, value in found]


def collect(*, dry_run: bool = False) -> Collected:
    """Remove it; with `dry_run` count it. Nobody's newest render, nothing that a link shows, nothing
    younger than a day.
    """
    now, done = timezone.now(), Collected()
    for name, rows in (
        ("guests", _guests(now)),
        ("old_renders", _old_renders(now)),
        (
            "old_searches",
            Search.objects.filter(
                created_at__lt=now - KEPT, status__in=(Status.DONE, Status.FAILED, Status.CANCELLED)
            ),
        ),
        (
            "old_exports",
            Export.objects.filter(created_at__lt=now - EXPORTS_KEPT).exclude(
                status__in=(Status.QUEUED, Status.RUNNING)
            ),
        ),
        ("ended_sessions", Session.objects.filter(expire_date__lt=now)),
    ):
        setattr(done, name, rows.count())
        if not dry_run:
            rows.delete()
    done.deleted_long_ago = _long_deleted(now) if dry_run else sweep_deleted()
    _sounds(now, done, dry_run=dry_run)
    _files(done, dry_run=dry_run)
    _strays(done, dry_run=dry_run)
    done.megabytes = round(done.megabytes, 1)
    return done


def _guests(now: Any) -> QuerySet[User]:
    """Who opened the demo, and has not been there for a week."""
    since = now - GUESTS_KEPT
    at_work = Song.objects.filter(owner=OuterRef("pk"), updated_at__gte=since)
    return User.objects.filter(~Exists(at_work), is_guest=True, date_joined__lt=since).exclude(
        last_login__gte=since
    )


def _old_renders(now: Any) -> QuerySet[Render]:
    """Older than 30 days, with a newer one of the same in its place, and shown by no link."""
    old = Render.objects.filter(created_at__lt=now - RENDERS_KEPT).exclude(
        status__in=(Status.QUEUED, Status.RUNNING)
    )
    kept = {
        render.pk
        for variant in old.values_list("variant", flat=True).distinct()
        for render in newest(Render.objects.filter(variant=variant).defer("detail", "document"))
    }
    shown = ShareLink.renders.through.objects.values("render_id")
    return Render.objects.filter(pk__in=old.values("pk")).exclude(pk__in=kept).exclude(pk__in=shown)


def _long_deleted(now: Any) -> int:
    return Song.objects.filter(deleted_at__lt=now - KEPT).count()


def owners() -> list[tuple[type[Model], str]]:
    """Every field of every model that can have a sound, those without a way back included."""
    return [
        (relation.related_model, relation.field.name)
        for relation in Blob._meta.get_fields(include_hidden=True)
        if isinstance(relation, ForeignObjectRel) and isinstance(relation.related_model, type)
    ]


def _sounds(now: Any, done: Collected, *, dry_run: bool) -> None:
    """Sounds that no clip, render, test, trial, picture or recording has."""
    rows = Blob.objects.filter(created_at__lt=now - _YOUNG)
    for relation in owners():
        model, name = relation
        manager = getattr(model, "everything", model._default_manager)
        rows = rows.filter(~Exists(manager.filter(**{name: OuterRef("pk")})))
    for blob in rows:
        done.sounds += 1
        done.megabytes += blob.size_bytes / 1e6
        if not dry_run:
            _let_go(blob, rows)


def _let_go(blob: Blob, unowned: QuerySet[Blob]) -> None:
    """One sound, with its file; not where somebody took it in again meanwhile."""
    store, path = objects.objects(), local_path(blob)
    if store is None:
        with transaction.atomic():
            blob.delete()
    else:
        with objects.alone(blob.digest):
            if not unowned.filter(pk=blob.pk).exists():
                return
            name = blob.storage_name
            blob.delete()
            with objects.answering():
                store.delete(name)
    _drop(path)


def _drop(path: Path) -> None:
    """A sound's file, unless it was taken in again meanwhile."""
    aside = path.with_name(f"{path.name}.gone")
    if not path.exists():
        return
    path.rename(aside)
    if Blob.objects.filter(pk=path.name).exists() and not path.exists():
        aside.rename(path)
    else:
        aside.unlink()


def _strays(done: Collected, *, dry_run: bool) -> None:
    """Objects that no row knows, of sounds and of files on their way, a day old or more."""
    store = objects.objects()
    if store is None:
        return
    before = timezone.now() - _YOUNG
    known = set(Blob.objects.values_list("pk", flat=True))
    coming = {f"uploads/{pk}.part" for pk in Upload.objects.values_list("pk", flat=True)}
    arrived = Clip.objects.filter(blob=None).values_list("upload_path", flat=True)
    coming |= {f"uploads/{name}" for name in arrived}
    for place, name, made in objects.listed(store):
        if made >= before or name in known or place in coming:
            continue
        done.files += 1
        if dry_run:
            continue
        with objects.alone(name):
            if not Blob.objects.filter(pk=name).exists():
                store.delete(f"{place}/{name}")


def _files(done: Collected, *, dry_run: bool) -> None:
    """Files that no row knows, and what killed workers left in the scratch folder; a day old or more."""
    before = time.time() - _YOUNG.total_seconds()
    audio = Path(settings.MEDIA_ROOT)
    known = set(Blob.objects.values_list("pk", flat=True))
    stray = [p for p in audio.glob("*/*") if p.is_file() and p.name not in known]
    scratch = Path(settings.SCRATCH_ROOT)
    stray += list(scratch.glob("*")) if scratch.is_dir() else []
    for path in stray:
        try:
            if path.stat().st_mtime >= before:
                continue
            size = sum(p.stat().st_size for p in (path, *path.rglob("*")) if p.is_file())
        except FileNotFoundError:
            continue
        done.files += 1
        done.megabytes += size / 1e6
        if dry_run:
            continue
        if path.is_dir():
            shutil.rmtree(path, ignore_errors=True)
        else:
            path.unlink(missing_ok=True)
