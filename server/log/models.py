"""What was found and decided about a song, in order."""

import uuid

from django.db import models


class LogEntry(models.Model):
    """One line of a song's log. `data` is what it was about, for views that draw it again."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    song = models.ForeignKey("songs.Song", on_delete=models.CASCADE, related_name="log")
    kind = models.CharField(max_length=40)
    title = models.CharField(max_length=200)
    text = models.TextField(blank=True)
    data = models.JSONField(default=dict)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-created_at", "id"]
