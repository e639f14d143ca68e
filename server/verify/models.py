"""Null tests of a song and what they measured."""

import uuid

from django.db import models

from server.jobs.models import JobState


class NullTest(JobState):
    """Clip B brought onto clip A and subtracted. `measurement` never changes; the limit may."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    song = models.ForeignKey("songs.Song", on_delete=models.CASCADE, related_name="null_tests")
    clip_a = models.ForeignKey("clips.Clip", on_delete=models.CASCADE, related_name="+")
    clip_b = models.ForeignKey("clips.Clip", on_delete=models.CASCADE, related_name="+")
    batch = models.UUIDField(
        null=True, help_text="Tests of one reference that were asked for together"
    )
    options = models.JSONField()
    limit = models.JSONField()
    measurement = models.JSONField(null=True)
    summary = models.JSONField(null=True)
    created_at = models.DateTimeField(auto_now_add=True)
    deleted_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-created_at", "id"]
