"""Clips of a song, the files behind them, and uploads on their way."""

import uuid

from django.conf import settings
from django.db import models
from django.db.models import F, Q

from server.config.found import found_by
from server.jobs.models import JobState


class Blob(models.Model):
    """Audio by content. Has no owner; it is reached only through an owned clip."""

    digest = models.CharField(primary_key=True, max_length=64)
    size_bytes = models.PositiveBigIntegerField()
    created_at = models.DateTimeField(auto_now_add=True)

    @property
    def storage_name(self) -> str:
        return f"{self.digest[:2]}/{self.digest}"


class Clip(JobState):
    """A piece of audio in a song. `done` means decoded and ready; `failed` means not usable."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    song = models.ForeignKey("songs.Song", on_delete=models.CASCADE, related_name="clips")
    name = models.CharField(max_length=200)
    blob = models.ForeignKey(Blob, on_delete=models.PROTECT, null=True)
    upload_path = models.CharField(max_length=80, blank=True)
    report = models.JSONField(null=True)
    usable_seconds = models.FloatField(null=True, help_text="Of a file that stops early")
    accept_truncated = models.BooleanField(default=False)
    created_at = models.DateTimeField(auto_now_add=True)
    deleted_at = models.DateTimeField(null=True)
    found_by = found_by("name")

    class Meta:
        ordering = ["created_at", "id"]


class SuggestedPair(models.Model):
    """Two clips worth comparing, as the demo offers them."""

    song = models.ForeignKey("songs.Song", on_delete=models.CASCADE, related_name="pairs")
    clip_a = models.ForeignKey(Clip, on_delete=models.CASCADE, related_name="+")
    clip_b = models.ForeignKey(Clip, on_delete=models.CASCADE, related_name="+")
    title = models.CharField(max_length=80)
    finding = models.CharField(max_length=120)

    class Meta:
        ordering = ["id"]


class Upload(models.Model):
    """A file that is being sent in pieces; can go on after a broken line."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    song = models.ForeignKey("songs.Song", on_delete=models.CASCADE)
    name = models.CharField(max_length=200)
    size_bytes = models.PositiveBigIntegerField()
    received_bytes = models.PositiveBigIntegerField(default=0)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(received_bytes__lte=F("size_bytes")), name="upload_not_overfull"
            )
        ]
