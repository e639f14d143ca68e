"""A song as it was: its values, its rigs and their variants. Clips and renders stay with the song."""

import uuid

from django.db import models


class Snapshot(models.Model):
    """Taken by name, before something risky, or by the first edit of a day; never changed."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    song = models.ForeignKey("songs.Song", on_delete=models.CASCADE, related_name="snapshots")
    name = models.CharField(max_length=120)
    kind = models.CharField(max_length=10, help_text="named, before or daily")
    content = models.JSONField()
    created_at = models.DateTimeField(auto_now_add=True)
    deleted_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-created_at", "id"]
