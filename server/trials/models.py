"""Blind trials of a song."""

import uuid

from django.db import models


class Trial(models.Model):
    """A, B and an X that is one of them, so many times. `order` is never told before its answer."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    song = models.ForeignKey("songs.Song", on_delete=models.CASCADE, related_name="trials")
    title_a = models.CharField(max_length=120)
    title_b = models.CharField(max_length=120)
    blob_a = models.ForeignKey("clips.Blob", on_delete=models.PROTECT, related_name="+")
    blob_b = models.ForeignKey("clips.Blob", on_delete=models.PROTECT, related_name="+")
    gain_a = models.FloatField(default=1.0, help_text="Linear, at most 1")
    gain_b = models.FloatField(default=1.0)
    matched = models.BooleanField(default=True)
    start_s = models.FloatField(default=0.0)
    length_s = models.FloatField()
    practice = models.CharField(max_length=20, blank=True)
    about = models.CharField(max_length=200, blank=True)
    total = models.PositiveSmallIntegerField()
    order = models.CharField(max_length=60)
    answers = models.CharField(max_length=60, blank=True)
    created_at = models.DateTimeField(auto_now_add=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-created_at", "id"]
