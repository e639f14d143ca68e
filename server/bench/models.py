"""What devices were measured to do."""

import uuid

from django.db import models

from server.jobs.models import JobState


class Measurement(JobState):
    """One test signal through one device. Without a take it went through a stand-in."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    song = models.ForeignKey("songs.Song", on_delete=models.CASCADE, related_name="measurements")
    signal = models.JSONField()
    plan = models.JSONField()
    stand_in = models.CharField(max_length=20, blank=True)
    take = models.ForeignKey("clips.Clip", on_delete=models.CASCADE, null=True, related_name="+")
    result = models.JSONField(null=True)
    created_at = models.DateTimeField(auto_now_add=True)
    deleted_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-created_at", "id"]
