"""What was found and decided about a song, in order."""

import uuid

from django.db import models

from server.config.found import found_by


class LogEntry(models.Model):
    """One line of a song's log: written once and never changed; a correction is a new line."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    song = models.ForeignKey("songs.Song", on_delete=models.CASCADE, related_name="log")
    step = models.CharField(max_length=10, default="listen", help_text="Where it was done")
    kind = models.CharField(max_length=40)
    title = models.CharField(max_length=200)
    text = models.TextField(blank=True, help_text="Why, or what was found, in words")
    number = models.CharField(max_length=40, blank=True, help_text="The figure that counts")
    tone = models.CharField(max_length=10, default="plain", help_text="plain, passed or caution")
    place = models.CharField(max_length=200, blank=True, help_text="The view of the song to open")
    data = models.JSONField(default=dict)
    created_at = models.DateTimeField(auto_now_add=True)
    found_by = found_by("title", "kind", "text", "number")

    class Meta:
        ordering = ["-created_at", "id"]
        indexes = [models.Index(fields=["song", "-created_at", "id"], name="log_newest_first")]


class NotePicture(models.Model):
    """A picture of a note, or one that waits for its note to be written (`entry` is none)."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    song = models.ForeignKey("songs.Song", on_delete=models.CASCADE, related_name="pictures")
    entry = models.ForeignKey(
        LogEntry, on_delete=models.CASCADE, null=True, related_name="pictures"
    )
    place = models.PositiveSmallIntegerField(default=0, help_text="Among those of its note")
    blob = models.ForeignKey("clips.Blob", on_delete=models.PROTECT)
    kind = models.CharField(max_length=4, choices=[("jpeg", "JPEG"), ("png", "PNG")])
    width = models.PositiveSmallIntegerField()
    height = models.PositiveSmallIntegerField()
    small = models.BinaryField(help_text="A JPEG to be shown in a row")
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["place", "created_at", "id"]
